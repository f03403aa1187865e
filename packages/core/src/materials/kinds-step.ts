import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { type MaterialKind, kindsOf, MATERIAL_KINDS, readDossier, updateDossier } from '../character/index.ts';
import type { Finding } from '../problem.ts';
import { measure } from '../measures.ts';
import { worded } from '../settings.ts';
import { defineStep } from '../step.ts';

/** Keeps with a document what its materials were said to be; such as it doesn't have are passed over. */
export function sayKinds(document: Document, kinds: Readonly<Record<string, MaterialKind>>): void {
  const have = new Set(
    document
      .getRoot()
      .listMaterials()
      .map((material) => material.getName()),
  );
  const said = Object.entries(kinds).filter(([name]) => have.has(name));
  updateDossier(document, { materialKinds: { ...readDossier(document).materialKinds, ...Object.fromEntries(said) } });
}

/** What materials are, where their names don't say it or say it wrong: alpha, gloss, reduction and shares follow. */
export const kindsStep = defineStep({
  id: 'materials.kinds',
  station: 'intake',
  title: 'What materials are',
  needs: ['S2'],
  settings: v.object({
    /** Material name → kind, said by hand. */
    kinds: worded(v.optional(v.record(v.string(), v.picklist(MATERIAL_KINDS)), {}), {
      title: 'Kinds',
      names: 'material',
    }),
  }),
  reads: () => null,
  applies: (_document, _target, settings) => Object.keys(settings?.kinds ?? {}).length > 0,
  reference: {
    needed: (_document, settings) => Object.keys(settings.kinds).length > 0,
    undergo: (document, settings) => sayKinds(document, settings.kinds),
  },
  async run(document, settings) {
    const materials = new Map(
        document
          .getRoot()
          .listMaterials()
          .map((material) => [material.getName(), material]),
      ),
      kindBefore = kindsOf(document),
      said = Object.entries(settings.kinds).filter(([name]) => materials.has(name)),
      findings: Finding[] = [];
    for (const [name, kind] of said) {
      const material = materials.get(name) ?? null,
        was = kindBefore(material);
      if (was !== kind)
        findings.push({
          code: 'materials.kind',
          severity: 'info',
          message: `“${name}” is ${kind}, as was said by hand; it was taken for ${was} before.`,
          where: name,
        });
    }
    sayKinds(document, settings.kinds);
    return {
      measures: [measure('kinds-said', 0, findings.length)],
      findings,
    };
  },
});
