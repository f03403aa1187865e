import { Accessor, type GLTF } from '@gltf-transform/core';

/** An accessor's numbers as bytes to be stored, and what glTF says of them; views count from the piece's start. */
export interface AccessorPiece {
  bytes: Uint8Array;
  componentType: number;
  count: number;
  /** Smallest and largest value of each component, as float. */
  min: number[];
  max: number[];
  /** Where only few elements differ from zero: how many, with which sort of index, values starting where. */
  sparse: { count: number; indexType: 5123 | 5125; valuesAt: number } | null;
}

/** Takes an accessor's array as it lies in memory (little-endian, as glTF wants), or its non-zero elements alone. */
export function accessorPiece(accessor: Accessor): AccessorPiece {
  const array = accessor.getArray() ?? new Float32Array(accessor.getCount() * accessor.getElementSize());
  const size = accessor.getElementSize(), count = array.length / size;
  const { min, max } = extremes(array, size, accessor.getNormalized() ? normaliser(array) : 1);
  const piece = { componentType: accessor.getComponentType() as number, count, min, max };
  if (accessor.getSparse()) {
    const sparse = sparseBytes(array, size, count);
    if (sparse) return { ...piece, ...sparse };
  }
  return { ...piece, bytes: new Uint8Array(array.buffer, array.byteOffset, array.byteLength), sparse: null };
}

type Numbers = NonNullable<ReturnType<Accessor['getArray']>>;

function extremes(array: Numbers, size: number, divide: number): { min: number[]; max: number[] } {
  const min = new Array<number>(size).fill(Infinity), max = new Array<number>(size).fill(-Infinity);
  for (let i = 0, k = 0; i < array.length; i++) {
    const value = array[i];
    if (value < min[k]) min[k] = value;
    if (value > max[k]) max[k] = value;
    if (++k === size) k = 0;
  }
  const settle = (value: number) => Math.fround((Number.isFinite(value) ? value : 0) / divide);
  return { min: min.map(settle), max: max.map(settle) };
}

/** What a stored integer is divided by to give the number it stands for (glTF 2.0 §3.11). */
const normaliser = (array: Numbers): number => (array instanceof Float32Array ? 1 : 2 ** (array.BYTES_PER_ELEMENT * 8 - (array instanceof Int8Array || array instanceof Int16Array ? 1 : 0)) - 1);

function sparseBytes(array: Numbers, size: number, count: number): Pick<AccessorPiece, 'bytes' | 'sparse'> | null {
  const used: number[] = [];
  for (let i = 0; i < count; i++) for (let k = i * size; k < (i + 1) * size; k++) if (array[k] !== 0) { used.push(i); break; }
  // A sparse accessor without entries is not valid glTF.
  if (!used.length) return null;
  const wide = count > 65_535;
  const valuesAt = Math.ceil((used.length * (wide ? 4 : 2)) / 4) * 4;
  const bytes = new Uint8Array(valuesAt + used.length * size * array.BYTES_PER_ELEMENT);
  if (wide) new Uint32Array(bytes.buffer, 0, used.length).set(used); else new Uint16Array(bytes.buffer, 0, used.length).set(used);
  const values = new (array.constructor as Float32ArrayConstructor)(bytes.buffer, valuesAt, used.length * size);
  used.forEach((from, i) => { for (let k = 0; k < size; k++) values[i * size + k] = array[from * size + k]; });
  return { bytes, sparse: { count: used.length, indexType: wide ? 5125 : 5123, valuesAt } };
}

/** Puts what a piece says of itself into a glTF accessor whose bytes are buffer `buffer`; adds its buffer views. */
export function describePiece(json: GLTF.IGLTF, definition: GLTF.IAccessor, piece: AccessorPiece, buffer: number): void {
  const views = (json.bufferViews ??= []);
  const view = (byteOffset: number, byteLength: number): number => views.push({ buffer, byteOffset, byteLength }) - 1;
  definition.componentType = piece.componentType as GLTF.AccessorComponentType;
  definition.count = piece.count;
  if (definition.min) { definition.min = piece.min; definition.max = piece.max; }
  delete definition.bufferView;
  delete definition.byteOffset;
  if (!piece.sparse) { definition.bufferView = view(0, piece.bytes.length); return; }
  const { count, indexType, valuesAt } = piece.sparse;
  definition.sparse = { count, indices: { bufferView: view(0, valuesAt), componentType: indexType }, values: { bufferView: view(valuesAt, piece.bytes.length - valuesAt) } };
}
