import type { Material } from '@gltf-transform/core';

/** What a material is; decides how alpha, gloss and sidedness are treated (S2). */
export const MATERIAL_KINDS = [
  'skin',
  'lips',
  'eye',
  'cornea',
  'tear',
  'lash',
  'brow',
  'scalp',
  'hair',
  'teeth',
  'tongue',
  'nail',
  'cloth',
  'leather',
  'rubber',
  'metal',
  'plastic',
  'glass',
  'other',
] as const;
export type MaterialKind = (typeof MATERIAL_KINDS)[number];

/** Kinds drawn as strands with gaps between, kinds that are clear layers, and so all that is meant to be seen through. */
export const STRAND_KINDS: readonly MaterialKind[] = ['hair', 'lash', 'brow', 'scalp'];
export const CLEAR_KINDS: readonly MaterialKind[] = ['cornea', 'tear', 'glass'];
/** Parts of a body with nothing behind them to be seen through. */
export const SOLID_KINDS: readonly MaterialKind[] = ['skin', 'lips', 'eye', 'teeth', 'tongue', 'nail'];
export const isSeenThrough = (kind: string): boolean =>
  [...STRAND_KINDS, ...CLEAR_KINDS].includes(kind as MaterialKind);

/** Words that name a kind, most telling first; matched against whole words of the material's, then the part's name. */
const KIND_WORDS: readonly [MaterialKind, RegExp][] = [
  ['cornea', /^(cornea|corneas|eyewet|refraction)$/],
  ['tear', /^(tear|tears|tearline|tearlines|lacrimal|waterline|eyemoisture)$/],
  ['lash', /^(lash|lashes|eyelash|eyelashes|wimper|wimpern|cils)$/],
  ['brow', /^(brow|brows|eyebrow|eyebrows|braue|brauen|sourcils)$/],
  ['scalp', /^(scalp|skullcap|haircap)$/],
  ['hair', /^(hair|hairs|ponytail|fringe|bangs|beard|moustache|stubble|haar|haare|cheveux|braid|bun)$/],
  ['teeth', /^(teeth|tooth|gum|gums|mouth|zaehne|dents)$/],
  ['tongue', /^(tongue|zunge|langue)$/],
  ['nail', /^(nail|nails|fingernail|fingernails|toenail|toenails)$/],
  ['lips', /^(lip|lips)$/],
  ['glass', /^(glass|lens|lenses|visor|goggles|reflector)$/],
  ['metal', /^(metal|steel|buckle|zip|zipper|chain|clip|brass|badge)$/],
  ['leather', /^(leather|belt|glove|gloves)$/],
  ['rubber', /^(boot|boots|sole|soles|rubber|wellington|neoprene|drysuit)$/],
  ['plastic', /^(plastic|headset|earpiece|microphone|helmet|radio)$/],
  [
    'cloth',
    /^(cloth|fabric|jacket|trousers|bib|shirt|shirts|tee|sweater|jumper|vest|lifevest|beanie|cap|hat|overall|overalls|waistcoat|sock|socks|lanyard|webbing|shorts|scarf|coat|hood|wool|knit|collar|suit|garment|outfit|clothes|shoe|shoes|dress|skirt)$/,
  ],
  ['eye', /^(eye|eyes|iris|sclera|eyeball|eyeballs|pupil|auge|augen|yeux)$/],
  ['skin', /^(skin|body|head|face|torso|arm|arms|leg|legs|hand|hands|foot|feet|limb|limbs|neck|haut|peau|ear|ears)$/],
];

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

/** Kind of a material from what was said by hand, its name, then the name of the part that wears it. */
export function materialKindOf(
  material: Material | null,
  partName: string,
  overruled: Record<string, string> = {},
): MaterialKind {
  const said = material ? overruled[material.getName()] : undefined;
  if (said && (MATERIAL_KINDS as readonly string[]).includes(said)) return said as MaterialKind;
  return (material && kindFromWords(wordsOf(material.getName()))) ?? kindFromWords(wordsOf(partName)) ?? 'other';
}

/** Role of a part on the person, from its name and material: the garment's own word, or the kind of its surface. */
export function partRoleOf(partName: string, material: Material | null): string {
  const words = wordsOf(partName);
  const kind = kindFromWords(words) ?? materialKindOf(material, partName);
  if (kind === 'skin') {
    if (words.some((word) => /^(head|face)$/.test(word))) return 'head';
    if (words.some((word) => /^(hand|hands)$/.test(word))) return 'hands';
    return 'body';
  }
  const roles: Partial<Record<MaterialKind, string>> = {
    eye: 'eyes',
    cornea: 'cornea',
    tear: 'tears',
    lash: 'lashes',
    brow: 'brows',
    scalp: 'scalp',
    hair: 'hair',
    teeth: 'teeth',
    tongue: 'tongue',
    nail: 'nails',
    lips: 'head',
    cloth: 'garment',
    leather: 'garment',
    rubber: words.some((word) => /^(boot|boots|sole|soles|shoe|shoes)$/.test(word)) ? 'footwear' : 'garment',
    metal: 'accessory',
    plastic: 'accessory',
    glass: 'accessory',
  };
  return roles[kind] ?? 'other';
}
