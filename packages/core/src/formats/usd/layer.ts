/** A file that another one brings in: its path, the prim meant, empty for its default prim. */
export interface UsdArc {
  asset: string;
  prim: string;
}
export type UsdNumbers = Float64Array | Float32Array | Int32Array;
/** Asset and prim paths are arcs; tuples and arrays of tuples are one run of numbers; quaternions are stored x y z w. */
export type UsdValue = number | boolean | string | UsdNumbers | string[] | UsdArc[] | Map<string, UsdValue> | null;

export interface UsdAttribute {
  /** As declared, without `[]`: `point3f`, `token` … */
  type: string;
  /** Whether it holds a list of its type. */
  array: boolean;
  value?: UsdValue;
  samples?: { times: number[]; values: UsdValue[] };
  connections: string[];
  meta: Map<string, UsdValue>;
}

export interface UsdPrim {
  name: string;
  specifier: 'def' | 'over' | 'class';
  type: string;
  meta: Map<string, UsdValue>;
  arcs: { references: UsdArc[]; payloads: UsdArc[]; inherits: string[]; specializes: string[] };
  attributes: Map<string, UsdAttribute>;
  relations: Map<string, string[]>;
  children: Map<string, UsdPrim>;
  variants: Map<string, Map<string, UsdPrim>>;
  selection: Map<string, string>;
}

/** One file: its own metadata and a tree of prims under a nameless root. */
export interface UsdLayer {
  path: string;
  meta: Map<string, UsdValue>;
  subLayers: string[];
  root: UsdPrim;
}

export const newPrim = (name: string, specifier: UsdPrim['specifier'] = 'over', type = ''): UsdPrim => ({
  name,
  specifier,
  type,
  meta: new Map(),
  arcs: { references: [], payloads: [], inherits: [], specializes: [] },
  attributes: new Map(),
  relations: new Map(),
  children: new Map(),
  variants: new Map(),
  selection: new Map(),
});
/** What people call a prim. */
export const titleOf = (prim: UsdPrim): string => {
  const title = prim.meta.get('displayName');
  return typeof title === 'string' && title.trim() ? title : prim.name;
};
export const newAttribute = (type: string, array = false): UsdAttribute => ({
  type,
  array,
  connections: [],
  meta: new Map(),
});

/** Deepest nesting and most prims that a file may ask for. */
export const USD_LIMITS = { depth: 300, prims: 300_000 } as const;

/** `quat*` are written real part first in text and last in memory. */
export const isQuaternion = (type: string): boolean => /^quat[dfh]$/.test(type);

export const arcsOf = (value: UsdValue): UsdArc[] =>
  Array.isArray(value) ? value.filter((entry): entry is UsdArc => typeof entry !== 'string') : [];
export const pathsOf = (value: UsdValue): string[] =>
  arcsOf(value)
    .map((arc) => arc.prim)
    .filter(Boolean);

/** A list of opinions after an edit of it. */
export function edited<T>(old: readonly T[], next: readonly T[], edit: string): T[] {
  if (edit === 'delete') return old.filter((entry) => !next.includes(entry));
  if (edit === 'append' || edit === 'add') return [...old, ...next];
  return edit === 'prepend' ? [...next, ...old] : [...next];
}

/** Puts metadata of a prim where it belongs: arcs, chosen variants, or beside the rest. */
export function primMeta(prim: UsdPrim, key: string, value: UsdValue, edit: string): void {
  const { arcs } = prim;
  if (key === 'references') arcs.references = edited(arcs.references, arcsOf(value), edit);
  else if (key === 'payload') arcs.payloads = edited(arcs.payloads, arcsOf(value), edit);
  else if (key === 'inherits') arcs.inherits = edited(arcs.inherits, pathsOf(value), edit);
  else if (key === 'specializes') arcs.specializes = edited(arcs.specializes, pathsOf(value), edit);
  else if (key === 'variants' && value instanceof Map) {
    for (const [set, name] of value) if (typeof name === 'string') prim.selection.set(set, name);
  } else if (edit !== 'delete') prim.meta.set(key, value);
}
