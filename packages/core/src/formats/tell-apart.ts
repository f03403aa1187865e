import type { Document } from '@gltf-transform/core';
import { freeName, morphNamesOf, skeletonOf } from '../character/index.ts';
import type { Finding } from '../problem.ts';

/**
 * Gives every material a name of its own, since settings, reports and most engines find a material by its name:
 * the first of a name keeps it, the next becomes “Skin 2” (the next number that is free). Materials without a
 * name are called “Material” by the same rule. Changes `document` in place; the same names in give the same out.
 *
 * @returns one finding that says what each is called now, or none
 */
export function tellMaterialsApart(document: Document): Finding[] {
  const materials = document.getRoot().listMaterials();
  const taken = new Set(materials.map((material) => material.getName())),
    met = new Set<string>(),
    renamed: string[] = [];
  let nameless = 0;
  for (const material of materials) {
    const said = material.getName(),
      base = said.trim() || 'Material';
    if (said === base && !met.has(said)) {
      met.add(said);
      continue;
    }
    const name = freeName(base, taken);
    material.setName(name);
    taken.add(name);
    met.add(name);
    if (said === base) renamed.push(`“${name}”`);
    else nameless++;
  }
  const findings: Finding[] = [];
  if (renamed.length)
    findings.push({
      code: 'materials.same-name',
      severity: 'info',
      message: `Several materials had one name; so that each can be set on its own, ${renamed.length === 1 ? 'one is' : `${renamed.length} are`} now called ${listed(renamed)}.`,
      measured: renamed.length,
    });
  if (nameless)
    findings.push({
      code: 'materials.no-name',
      severity: 'info',
      message: `${nameless === 1 ? 'A material had no name and was given one' : `${nameless} materials had no names and were given some`}, so that settings can find ${nameless === 1 ? 'it' : 'them'}.`,
      measured: nameless,
    });
  return findings;
}

/**
 * Gives every joint a name of its own by the same rule, “arm_2”: roles, ties, notes and reports find a joint by its
 * name, and would take the second of a name for the first. Changes `document` in place.
 */
export function tellJointsApart(document: Document): Finding[] {
  const { joints } = skeletonOf(document),
    taken = new Set(joints.map((joint) => joint.getName())),
    met = new Set<string>(),
    renamed: string[] = [];
  for (const joint of joints) {
    const said = joint.getName();
    if (said && !met.has(said)) {
      met.add(said);
      continue;
    }
    const name = freeName(said || 'joint', taken, '_');
    joint.setName(name);
    taken.add(name);
    renamed.push(`“${name}”`);
  }
  return renamed.length
    ? [
        {
          code: 'skeleton.same-name',
          severity: 'info',
          message: `Several joints had one name or none; so that each can be found, ${renamed.length === 1 ? 'one is' : `${renamed.length} are`} now called ${listed(renamed)}.`,
          measured: renamed.length,
        },
      ]
    : [];
}

/**
 * Gives every morph of a mesh a name of its own by the same rule, “smile 2”: dials, recipes and engines find a morph by its
 * name, and would never reach the second. Changes `document` in place.
 */
export function tellMorphsApart(document: Document): Finding[] {
  const renamed: string[] = [];
  for (const mesh of document.getRoot().listMeshes()) {
    const names = morphNamesOf(mesh),
      taken = new Set(names),
      met = new Set<string>();
    if (taken.size === names.length) continue;
    const apart = names.map((said) => {
      if (!met.has(said)) {
        met.add(said);
        return said;
      }
      const name = freeName(said, taken);
      taken.add(name);
      renamed.push(`“${name}”`);
      return name;
    });
    mesh.setExtras({ ...mesh.getExtras(), targetNames: apart });
    for (const prim of mesh.listPrimitives())
      prim.listTargets().forEach((target, i) => {
        target.setName(apart[i]);
      });
  }
  return renamed.length
    ? [
        {
          code: 'morphs.same-name',
          severity: 'info',
          message: `Several morphs of one mesh had one name; so that each can be dialled, ${renamed.length === 1 ? 'one is' : `${renamed.length} are`} now called ${listed(renamed)}.`,
          measured: renamed.length,
        },
      ]
    : [];
}

/** Gives every image a name of its own: what glTF has no place for is kept by the name of its image. */
export function tellImagesApart(document: Document): void {
  const textures = document.getRoot().listTextures(),
    taken = new Set(textures.map((texture) => texture.getName())),
    met = new Set<string>();
  for (const texture of textures) {
    const said = texture.getName();
    if (said && !met.has(said)) {
      met.add(said);
      continue;
    }
    const name = freeName(said || 'map', taken);
    texture.setName(name);
    taken.add(name);
    met.add(name);
  }
}

const listed = (names: readonly string[]): string =>
  names.length > 6 ? `${names.slice(0, 5).join(', ')} and ${names.length - 5} more` : names.join(', ');
