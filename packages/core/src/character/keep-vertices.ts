import type { Document, Primitive } from '@gltf-transform/core';

/** Vertices that `indices` names, ascending; `place` says where each comes to lie. */
function keptBy(indices: Uint32Array, place: Uint32Array): Uint32Array {
  const used = new Uint8Array(place.length),
    kept = new Uint32Array(place.length);
  for (let i = 0; i < indices.length; i++) used[indices[i]] = 1;
  let left = 0;
  for (let i = 0; i < used.length; i++)
    if (used[i]) {
      place[i] = left;
      kept[left++] = i;
    }
  return kept.subarray(0, left);
}
function renumber(next: Uint16Array | Uint32Array, indices: Uint32Array, place: Uint32Array): void {
  for (let i = 0; i < indices.length; i++) next[i] = place[indices[i]];
}

function cutDeltas(from: Float32Array, kept: Uint32Array): Float32Array<ArrayBuffer> {
  const to = new Float32Array(kept.length * 3);
  for (let i = 0, t = 0; i < kept.length; i++, t += 3) {
    const f = kept[i] * 3;
    to[t] = from[f];
    to[t + 1] = from[f + 1];
    to[t + 2] = from[f + 2];
  }
  return to;
}

/** Keeps the vertices that `indices` names, in their old order, in every attribute and morph target. */
export function keepVertices(document: Document, prim: Primitive, indices: Uint32Array): void {
  const count = prim.getAttribute('POSITION')?.getCount() ?? 0;
  const place = new Uint32Array(count),
    kept = keptBy(indices, place),
    left = kept.length;
  const cut = (source: NonNullable<ReturnType<Primitive['getAttribute']>>) => {
    const size = source.getElementSize();
    const from = source.getArray();
    const copy = document.createAccessor(source.getName()).setType(source.getType());
    // Every change is announced through the whole graph; what is so already is not set again.
    if (source.getNormalized()) copy.setNormalized(true);
    if (source.getSparse()) copy.setSparse(true);
    if (!from) return copy.setArray(new Float32Array(kept.length * size));
    // Nearly all is morphs: a loop that meets nothing else is three times as fast.
    if (size === 3 && from instanceof Float32Array) return copy.setArray(cutDeltas(from, kept));
    const to = new (from.constructor as Float32ArrayConstructor)(kept.length * size);
    for (let i = 0, t = 0; i < kept.length; i++)
      for (let k = 0, f = kept[i] * size; k < size; k++) to[t++] = from[f + k];
    return copy.setArray(to);
  };
  if (left < count)
    for (const semantic of prim.listSemantics())
      prim.setAttribute(
        semantic,
        cut(prim.getAttribute(semantic) as NonNullable<ReturnType<Primitive['getAttribute']>>),
      );
  if (left < count)
    for (const target of prim.listTargets())
      for (const semantic of target.listSemantics())
        target.setAttribute(
          semantic,
          cut(target.getAttribute(semantic) as NonNullable<ReturnType<Primitive['getAttribute']>>),
        );
  const next = kept.length <= 65_535 ? new Uint16Array(indices.length) : new Uint32Array(indices.length);
  renumber(next, indices, place);
  prim.setMode(4).setIndices(document.createAccessor().setType('SCALAR').setArray(next));
}
