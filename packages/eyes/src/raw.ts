/**
 * A glTF 2.0 file as its bytes say, read by arithmetic of its own: nothing here is shared with the readers whose
 * results it is to judge. Source: glTF 2.0 specification, §3.6.2 (accessors), §4 (GLB).
 */

export interface DeliveredFile {
  path: string;
  bytes: Uint8Array;
}

/** JSON as parsed; every field may be anything. */
export type Json = Record<string, unknown>;

export interface RawAsset {
  json: Json;
  /** Bytes of a bufferView, or null where the file doesn't hold them. */
  view(index: number): Uint8Array | null;
  /** Bytes of a buffer, or null where they didn't come. */
  buffer(index: number): Uint8Array | null;
  /** Encoded bytes of an image, or null where they are missing. */
  image(index: number): Uint8Array | null;
}

export const listOf = (value: unknown): Json[] =>
  Array.isArray(value) ? value.map((entry) => (entry && typeof entry === 'object' ? (entry as Json) : {})) : [];
export const numbersOf = (value: unknown): number[] =>
  Array.isArray(value) ? value.filter((entry): entry is number => typeof entry === 'number') : [];
const numberOr = (value: unknown, otherwise: number): number => (typeof value === 'number' ? value : otherwise);

const GLB_MAGIC = 0x46546c67,
  JSON_CHUNK = 0x4e4f534a,
  BIN_CHUNK = 0x004e4942;

/** @throws Error where the file is no glTF at all */
export function openRaw(model: DeliveredFile, files: readonly DeliveredFile[]): RawAsset {
  const { json, binary } = isGlb(model.bytes) ? splitGlb(model.bytes) : { json: parse(model.bytes), binary: null };
  const resource = (uri: unknown): Uint8Array | null => {
    if (typeof uri !== 'string') return null;
    const data = /^data:[^,]*;base64,/.exec(uri);
    if (data) return Uint8Array.from(Buffer.from(uri.slice(data[0].length), 'base64'));
    const path = decodeURIComponent(uri);
    return files.find((file) => file.path === path)?.bytes ?? null;
  };
  const buffers = listOf(json.buffers),
    views = listOf(json.bufferViews),
    images = listOf(json.images);
  const opened = buffers.map((buffer, i) => (buffer.uri === undefined && i === 0 ? binary : resource(buffer.uri)));
  const view = (index: number): Uint8Array | null => {
    const entry = views[index];
    if (!entry) return null;
    const bytes = opened[numberOr(entry.buffer, 0)],
      from = numberOr(entry.byteOffset, 0),
      length = numberOr(entry.byteLength, 0);
    return bytes && from + length <= bytes.length ? bytes.subarray(from, from + length) : null;
  };
  return {
    json,
    view,
    buffer: (index) => opened[index] ?? null,
    image: (index) =>
      typeof images[index]?.bufferView === 'number'
        ? view(images[index].bufferView as number)
        : resource(images[index]?.uri),
  };
}

const isGlb = (bytes: Uint8Array): boolean =>
  bytes.length >= 12 && new DataView(bytes.buffer, bytes.byteOffset).getUint32(0, true) === GLB_MAGIC;

function splitGlb(bytes: Uint8Array): { json: Json; binary: Uint8Array | null } {
  const head = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  let json: Json | null = null,
    binary: Uint8Array | null = null;
  for (let at = 12; at + 8 <= bytes.length; ) {
    const length = head.getUint32(at, true),
      kind = head.getUint32(at + 4, true),
      body = bytes.subarray(at + 8, at + 8 + length);
    if (kind === JSON_CHUNK) json ??= parse(body);
    else if (kind === BIN_CHUNK) binary ??= body;
    at += 8 + length;
  }
  if (!json) throw new Error('the file holds no JSON chunk');
  return { json, binary };
}

function parse(bytes: Uint8Array): Json {
  const value: unknown = JSON.parse(new TextDecoder().decode(bytes));
  if (!value || typeof value !== 'object' || Array.isArray(value)) throw new Error('the JSON is no object');
  return value as Json;
}

const FLOAT = 5126;
const WIDTH: Record<string, number> = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4, MAT2: 4, MAT3: 9, MAT4: 16 };

/** How many floats of an accessor (dense and sparse) are not finite; 0 for accessors of whole numbers. */
export function notFiniteIn(asset: RawAsset, accessor: Json): number {
  if (accessor.componentType !== FLOAT) return 0;
  const width = WIDTH[String(accessor.type)] ?? 1,
    count = numberOr(accessor.count, 0),
    sparse = (accessor.sparse ?? null) as Json | null;
  let bad = 0;
  if (typeof accessor.bufferView === 'number') {
    const view = listOf(asset.json.bufferViews)[accessor.bufferView],
      bytes = asset.view(accessor.bufferView);
    if (bytes && view)
      bad += countBad(bytes, numberOr(accessor.byteOffset, 0), count, width, numberOr(view.byteStride, width * 4));
  }
  const values = sparse?.values as Json | undefined;
  if (sparse && values && typeof values.bufferView === 'number') {
    const bytes = asset.view(values.bufferView);
    if (bytes) bad += countBad(bytes, numberOr(values.byteOffset, 0), numberOr(sparse.count, 0), width, width * 4);
  }
  return bad;
}

function countBad(bytes: Uint8Array, from: number, count: number, width: number, stride: number): number {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  let bad = 0;
  for (let i = 0; i < count; i++)
    for (let k = 0; k < width; k++) {
      const at = from + i * stride + k * 4;
      if (at + 4 > bytes.length) return bad;
      // An exponent of all ones is infinity or not a number (IEEE 754).
      if ((view.getUint32(at, true) & 0x7f800000) === 0x7f800000) bad++;
    }
  return bad;
}

/** Paths of numbers in the JSON that aren't finite: 1e999 is legal JSON and no number. */
export function notFinitePaths(value: unknown, path = ''): string[] {
  const out: string[] = [],
    stack: [unknown, string][] = [[value, path]];
  while (stack.length) {
    const [at, where] = stack.pop() as [unknown, string];
    if (typeof at === 'number') {
      if (!Number.isFinite(at)) out.push(where);
    } else if (at && typeof at === 'object')
      for (const [key, inner] of Object.entries(at)) stack.push([inner, `${where}/${key}`]);
  }
  return out.reverse();
}
