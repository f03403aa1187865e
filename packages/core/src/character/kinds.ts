import type { Material } from '@gltf-transform/core';
import { KIND_SIGNS, KIND_WORDS } from './kind-words.ts';
import { MATERIAL_KINDS, type MaterialKind } from './material-kind.ts';

export * from './material-kind.ts';

/** Lower-case words of a name: camel case, digits and separators split. */
export function wordsOf(name: string): string[] {
  return name
    .normalize('NFKD')
    .replace(/[\u0300-\u036f]/g, '')
    .replace(/([a-z])([A-Z])/g, '$1 $2')
    .replace(/([A-Z]+)([A-Z][a-z])/g, '$1 $2')
    .replace(/([A-Za-z])(\d)/g, '$1 $2')
    .replace(/(\d)([A-Za-z])/g, '$1 $2')
    .toLowerCase()
    .split(/[^a-z0-9]+/)
    .filter(Boolean);
}

function kindFromWords(words: string[]): MaterialKind | null {
  // Two words that are written apart as often as together.
  const joined = new Set([...words, ...words.slice(1).map((word, i) => words[i] + word)]);
  for (const [kind, pattern] of KIND_WORDS) for (const word of joined) if (pattern.test(word)) return kind;
  return null;
}

/** Kind that a name says, in words or in signs. */
export function kindFromName(name: string): MaterialKind | null {
  return kindFromWords(wordsOf(name)) ?? KIND_SIGNS.find(([, signs]) => signs.test(name.normalize('NFC')))?.[0] ?? null;
}

export interface KindFound {
  kind: MaterialKind;
  /** 0 … 1 */
  confidence: number;
  /** In words, for the user. */
  reason: string;
}
/** How far a name of a material, and one of a part that wears it, is believed. */
const BY_MATERIAL = 0.95,
  BY_PART = 0.85;

/** What a material is by what was said by hand, its name, then the name of the part that wears it. */
export function kindByName(
  material: Material | null,
  partName: string,
  overruled: Readonly<Record<string, string>> = {},
): KindFound {
  const name = material?.getName() ?? '',
    said = material ? overruled[name] : undefined;
  if (said && (MATERIAL_KINDS as readonly string[]).includes(said))
    return { kind: said as MaterialKind, confidence: 1, reason: 'said by hand' };
  const own = material && kindFromName(name);
  if (own) return { kind: own, confidence: BY_MATERIAL, reason: `its name “${name}” says so` };
  const worn = kindFromName(partName);
  if (worn) return { kind: worn, confidence: BY_PART, reason: `“${partName}” wears it` };
  return { kind: 'other', confidence: 0, reason: 'neither its name nor that of what wears it says' };
}

/** Kind of a material from what was said by hand, its name, then the name of the part that wears it. */
export const materialKindOf = (
  material: Material | null,
  partName: string,
  overruled: Readonly<Record<string, string>> = {},
): MaterialKind => kindByName(material, partName, overruled).kind;

/** What a part can be on a person. */
export const PART_ROLES = [
  'head',
  'eyes',
  'cornea',
  'tears',
  'lashes',
  'brows',
  'teeth',
  'tongue',
  'hands',
  'body',
  'nails',
  'scalp',
  'hair',
  'garment',
  'footwear',
  'accessory',
  'other',
] as const;

/** Role of a part on the person, from its name and material: the garment's own word, or the kind of its surface. */
export function partRoleOf(
  partName: string,
  material: Material | null,
  overruled: Readonly<Record<string, string>> = {},
): string {
  const words = wordsOf(partName);
  const kind = kindFromName(partName) ?? materialKindOf(material, partName, overruled);
  if (kind === 'skin') {
    if (words.some((word) => /^(head|face)$/.test(word))) return 'head';
    if (words.some((word) => /^(hand|hands)$/.test(word))) return 'hands';
    return 'body';
  }
  const roles: Partial<Record<MaterialKind, string>> = {
    eye: 'eyes',
    cornea: 'cornea',
    tear: 'tears',
    shade: 'tears',
    lash: 'lashes',
    brow: 'brows',
    scalp: 'scalp',
    hair: 'hair',
    beard: 'hair',
    teeth: 'teeth',
    gums: 'teeth',
    tongue: 'tongue',
    nail: 'nails',
    lips: 'head',
    cloth: 'garment',
    knit: 'garment',
    leather: 'garment',
    rubber: words.some((word) => /^(boot|boots|sole|soles|shoe|shoes)$/.test(word)) ? 'footwear' : 'garment',
    metal: 'accessory',
    plastic: 'accessory',
    glass: 'accessory',
  };
  return roles[kind] ?? 'other';
}
