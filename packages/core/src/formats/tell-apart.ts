import type { Document } from '@gltf-transform/core';
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
    let name = base;
    for (let n = 2; taken.has(name); n++) name = `${base} ${n}`;
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

const listed = (names: readonly string[]): string =>
  names.length > 6 ? `${names.slice(0, 5).join(', ')} and ${names.length - 5} more` : names.join(', ');
