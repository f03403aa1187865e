/** What a material is; decides how alpha, gloss and sidedness are treated (S2). */
export const MATERIAL_KINDS = [
  'skin',
  'lips',
  'eye',
  'cornea',
  'tear',
  'shade',
  'lash',
  'brow',
  'scalp',
  'hair',
  'beard',
  'teeth',
  'gums',
  'tongue',
  'nail',
  'cloth',
  'knit',
  'leather',
  'rubber',
  'metal',
  'plastic',
  'glass',
  'other',
] as const;
export type MaterialKind = (typeof MATERIAL_KINDS)[number];

/** Kinds drawn as strands with gaps between, kinds that are clear layers, and so all that is meant to be seen through. */
/** What is drawn as strands or cards of them. */
export const HAIR_KINDS: readonly MaterialKind[] = ['hair', 'beard', 'lash', 'brow'];
/** What lies on the head in many layers; lashes and brows are a single one. */
export const isHair = (kind: string): boolean => kind === 'hair' || kind === 'beard';
export const STRAND_KINDS: readonly MaterialKind[] = [...HAIR_KINDS, 'scalp'];
/** What stands in sockets and in the mouth, and bends with nothing. */
export const INNER_KINDS: readonly MaterialKind[] = ['eye', 'cornea', 'teeth', 'gums', 'tongue'];
export const CLEAR_KINDS: readonly MaterialKind[] = ['cornea', 'tear', 'shade', 'glass'];
/** Parts of a body with nothing behind them to be seen through. */
export const SOLID_KINDS: readonly MaterialKind[] = ['skin', 'lips', 'eye', 'teeth', 'gums', 'tongue', 'nail'];
/** Kinds that may be metal through and through. */
export const METAL_KINDS: readonly MaterialKind[] = ['metal', 'other'];
export const isSeenThrough = (kind: string): boolean =>
  [...STRAND_KINDS, ...CLEAR_KINDS].includes(kind as MaterialKind);
