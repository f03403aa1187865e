import { Accessor, type GLTF } from '@gltf-transform/core';

/** An accessor's numbers as bytes to be stored, and what glTF says of them; views count from the piece's start. */
export interface AccessorPiece {
  bytes: Uint8Array;
  componentType: number;
  count: number;
  /** Smallest and largest value of each component as it is stored; normalised integers are not decoded (glTF 2.0 §3.6.2.5). Looked for when asked: most accessors go without. */
  extremes(): { min: number[]; max: number[] };
  /** Where only few elements differ from zero: how many, with which sort of index, values starting where. */
  sparse: { count: number; indexType: 5123 | 5125; valuesAt: number } | null;
}

/** Takes an accessor's array as it lies in memory (little-endian, as glTF wants), or its non-zero elements alone. */
export function accessorPiece(accessor: Accessor): AccessorPiece {
  const array = accessor.getArray() ?? new Float32Array(accessor.getCount() * accessor.getElementSize());
  const size = accessor.getElementSize(),
    count = array.length / size;
  const sparse = accessor.getSparse() ? sparseBytes(array, size, count) : null;
  let known: ReturnType<AccessorPiece['extremes']> | null = null;
  const piece = {
    componentType: accessor.getComponentType() as number,
    count,
    extremes: () => (known ??= sparse ? withZero(extremes(sparse.values, size)) : extremes(array, size)),
  };
  if (sparse) return { ...piece, bytes: sparse.bytes, sparse: sparse.sparse };
  return { ...piece, bytes: new Uint8Array(array.buffer, array.byteOffset, array.byteLength), sparse: null };
}

type Numbers = NonNullable<ReturnType<Accessor['getArray']>>;

function extremes(array: Numbers, size: number): { min: number[]; max: number[] } {
  const min = new Array<number>(size).fill(Infinity),
    max = new Array<number>(size).fill(-Infinity);
  for (let i = 0, k = 0; i < array.length; i++) {
    const value = array[i];
    if (value < min[k]) min[k] = value;
    if (value > max[k]) max[k] = value;
    if (++k === size) k = 0;
  }
  const settle = (value: number) => Math.fround(Number.isFinite(value) ? value : 0);
  return { min: min.map(settle), max: max.map(settle) };
}

/** What is not stored of a sparse array is zero. */
const withZero = ({ min, max }: { min: number[]; max: number[] }) => ({
  min: min.map((value) => Math.min(0, value)),
  max: max.map((value) => Math.max(0, value)),
});

/** Null where no element differs from zero, or so many that nothing is gained. */
function sparseBytes(
  array: Numbers,
  size: number,
  count: number,
): (Pick<AccessorPiece, 'bytes' | 'sparse'> & { values: Numbers }) | null {
  const used = size === 3 && array instanceof Float32Array ? movedBy(array) : notZero(array, size, count);
  const wide = count > 65_535;
  const valuesAt = Math.ceil((used.length * (wide ? 4 : 2)) / 4) * 4,
    length = valuesAt + used.length * size * array.BYTES_PER_ELEMENT;
  // A sparse accessor without entries is not valid glTF, and one with most of them is larger than a dense one.
  if (!used.length || length >= array.byteLength) return null;
  const bytes = new Uint8Array(length);
  if (wide) new Uint32Array(bytes.buffer, 0, used.length).set(used);
  else new Uint16Array(bytes.buffer, 0, used.length).set(used);
  const values = new (array.constructor as Float32ArrayConstructor)(bytes.buffer, valuesAt, used.length * size);
  for (let i = 0, to = 0; i < used.length; i++)
    for (let k = 0, from = used[i] * size; k < size; k++) values[to++] = array[from++];
  return { bytes, values, sparse: { count: used.length, indexType: wide ? 5125 : 5123, valuesAt } };
}

function notZero(array: Numbers, size: number, count: number): number[] {
  const used: number[] = [];
  for (let i = 0; i < count; i++)
    for (let k = i * size; k < (i + 1) * size; k++)
      if (array[k] !== 0) {
        used.push(i);
        break;
      }
  return used;
}

/** The same for morph deltas, nearly all that is stored so: one kind of array, three values at a time. */
function movedBy(deltas: Float32Array): number[] {
  const used: number[] = [];
  for (let i = 0, at = 0; at + 2 < deltas.length; i++, at += 3)
    if (deltas[at] !== 0 || deltas[at + 1] !== 0 || deltas[at + 2] !== 0) used.push(i);
  return used;
}

/** What some bytes of a piece are, and where they came to lie. */
export type Share = 'all' | 'sparse indices' | 'sparse values';
export type Place = { bufferView: number; byteOffset?: number };
/** Nowhere: an array of zeros needs no bytes. */
export type Nowhere = Record<string, never>;

/** Puts what a piece says of itself into a glTF accessor. `put` is asked for a place for its bytes, in one share or two. */
export function describePiece(
  definition: GLTF.IAccessor,
  piece: AccessorPiece,
  put: (share: Share, from: number, length: number) => Place | Nowhere,
): void {
  definition.componentType = piece.componentType as GLTF.AccessorComponentType;
  definition.count = piece.count;
  if (definition.min) Object.assign(definition, piece.extremes());
  delete definition.bufferView;
  delete definition.byteOffset;
  if (!piece.sparse) {
    Object.assign(definition, put('all', 0, piece.bytes.length));
    return;
  }
  const { count, indexType, valuesAt } = piece.sparse;
  definition.sparse = {
    count,
    indices: { ...(put('sparse indices', 0, valuesAt) as Place), componentType: indexType },
    values: put('sparse values', valuesAt, piece.bytes.length - valuesAt) as Place,
  };
}
