import type { Accessor, GLTF } from '@gltf-transform/core';
import { accessorPiece, describePiece, type Share } from './accessor-piece.ts';
import { accessorOf } from './skeleton-json.ts';

const ARRAY_BUFFER = 34_962,
  ELEMENT_ARRAY_BUFFER = 34_963;

/** Bytes that lie one behind the other in one buffer view, which has one use and, for vertices, one stride. */
interface Shelf {
  view: number;
  chunks: Uint8Array[];
  length: number;
}

/**
 * Lays the arrays of a document out in one buffer and says in `json` where each is (glTF 2.0 §3.6.2): a view for
 * each kind of use, every array on a boundary of four bytes as vertex attributes need.
 * @param json from `skeletonJson`; its buffer views and buffers are made anew
 * @returns the buffer's bytes in order
 */
export function layOut(json: GLTF.IGLTF, accessors: readonly Accessor[]): Uint8Array[] {
  const use = usesIn(json),
    shelves = new Map<string, Shelf>(),
    views: GLTF.IBufferView[] = (json.bufferViews = []);
  const put = (bytes: Uint8Array, kind: string, more: Partial<GLTF.IBufferView> = {}) => {
    let shelf = shelves.get(kind);
    if (!shelf) {
      shelf = { view: views.push({ buffer: 0, byteLength: 0, ...more }) - 1, chunks: [], length: 0 };
      shelves.set(kind, shelf);
    }
    const byteOffset = shelf.length;
    for (const chunk of [bytes, new Uint8Array(-bytes.length & 3)])
      if (chunk.length) {
        shelf.chunks.push(chunk);
        shelf.length += chunk.length;
      }
    return { bufferView: shelf.view, byteOffset };
  };
  json.accessors?.forEach((definition, i) => {
    const accessor = accessors[accessorOf(definition, accessors)],
      piece = accessorPiece(accessor),
      kind = use.get(i) ?? 'other';
    // An array without a view is all zeros (glTF 2.0 §3.6.2.1): a morph that leaves a part alone costs it nothing.
    if (kind === 'target' && !piece.sparse && allZero(accessor.getArray())) {
      describePiece(definition, piece, () => ({}));
      return;
    }
    describePiece(definition, piece, (share: Share, from, length) => {
      const bytes = piece.bytes.subarray(from, from + length);
      if (share !== 'all') return put(bytes, share);
      if (kind === 'indices') return put(bytes, kind, { target: ELEMENT_ARRAY_BUFFER });
      if (kind !== 'attribute' && kind !== 'target') return put(bytes, kind);
      const size = accessor.getElementSize() * accessor.getComponentSize(),
        byteStride = (size + 3) & ~3;
      return put(byteStride === size ? bytes : spread(bytes, size, byteStride), `attributes of ${byteStride}`, {
        target: ARRAY_BUFFER,
        byteStride,
      });
    });
  });
  let total = 0;
  for (const { view, length } of shelves.values()) {
    Object.assign(views[view], { byteOffset: total, byteLength: length });
    total += length;
  }
  json.buffers = total ? [{ byteLength: total }] : [];
  return [...shelves.values()].flatMap((shelf) => shelf.chunks);
}

/** Elements that end between boundaries, each moved onto one. */
function spread(bytes: Uint8Array, size: number, stride: number): Uint8Array {
  const count = bytes.length / size,
    out = new Uint8Array(count * stride);
  for (let i = 0; i < count; i++) for (let k = 0; k < size; k++) out[i * stride + k] = bytes[i * size + k];
  return out;
}

// Alone, so that its compiled code outlives the document.
function allZero(values: ArrayLike<number> | null): boolean {
  if (values) for (let i = 0; i < values.length; i++) if (values[i] !== 0) return false;
  return true;
}

/** What accessors are used for, by their place; what isn't named here needs no view of its own. */
function usesIn(json: GLTF.IGLTF): Map<number, 'attribute' | 'target' | 'indices' | 'binds'> {
  const use = new Map<number, 'attribute' | 'target' | 'indices' | 'binds'>();
  for (const { primitives } of json.meshes ?? [])
    for (const prim of primitives) {
      for (const target of prim.targets ?? []) for (const i of Object.values(target)) use.set(i, 'target');
      for (const i of Object.values(prim.attributes)) use.set(i, 'attribute');
      if (prim.indices !== undefined) use.set(prim.indices, 'indices');
    }
  for (const skin of json.skins ?? [])
    if (skin.inverseBindMatrices !== undefined) use.set(skin.inverseBindMatrices, 'binds');
  return use;
}
