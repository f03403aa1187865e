import type { Document } from '@gltf-transform/core';
import { listMorphNames, listParts, readDossier, skeletonOf } from '../character/index.ts';
import { nearestName } from '../nearest-name.ts';
import type { Finding } from '../problem.ts';
import { settingNames, type SettingWords, settingWords } from '../settings.ts';
import type { StepDefinition } from '../step.ts';

type Kind = NonNullable<SettingWords['names']>;
/** Settings that a step doesn't have: a slip of the pen would otherwise just do nothing. */
export function unknownSettings(step: StepDefinition, settings: Readonly<Record<string, unknown>>): Finding[] {
  const known = settingNames(step);
  return Object.keys(settings)
    .filter((name) => !known.includes(name))
    .map((name) => ({
      code: 'recipe.unknown-setting',
      severity: 'warning',
      message: `“${step.title}” has no setting “${name}”${nearestName(name, known)}. It did nothing.`,
      where: `${step.id}.${name}`,
      repair: step.id,
    }));
}

/** Materials, parts, joints and morphs that settings name and the character doesn't have. */
export function unknownNames(
  step: StepDefinition,
  settings: Readonly<Record<string, unknown>>,
  document: Document,
): Finding[] {
  return Object.entries(settings).flatMap(([setting, said]) => {
    const kind = settingWords(step, setting).names;
    if (!kind || !said || typeof said !== 'object') return [];
    const names = Array.isArray(said) ? said.map(String) : Object.keys(said);
    if (!names.length) return [];
    const have = namesOf(document, kind),
      known = new Set(have);
    return names
      .filter((name) => !known.has(name))
      .map(
        (name): Finding => ({
          code: 'recipe.unknown-name',
          severity: 'warning',
          message: `“${step.title}” names the ${kind} “${name}”, which the character doesn't have${nearestName(name, have)}. That setting did nothing.`,
          where: name,
          repair: step.id,
        }),
      );
  });
}

function namesOf(document: Document, kind: Kind): string[] {
  if (kind === 'material')
    return document
      .getRoot()
      .listMaterials()
      .map((material) => material.getName());
  if (kind === 'morph') return [...listMorphNames(document), ...(readDossier(document).formerMorphs ?? [])];
  return kind === 'part'
    ? listParts(document).map((part) => part.id)
    : skeletonOf(document).joints.map((joint) => joint.getName());
}
