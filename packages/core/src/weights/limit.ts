import type { Influences } from '../character/index.ts';

export interface LimitResult {
  influences: Influences;
  /** Vertices that lost an influence. */
  changed: Uint32Array;
}

/**
 * Keeps the `most` strongest influences of every vertex and makes them sum to one. Ties go to the lower joint
 * index, so the result doesn't depend on slot order. Vertices without weights stay without.
 */
export function limitInfluences(source: Influences, most: number): LimitResult {
  const vertices = source.joints.length / source.perVertex;
  const perVertex = Math.ceil(most / 4) * 4;
  const out: Influences = {
    perVertex,
    joints: new Uint16Array(vertices * perVertex),
    weights: new Float32Array(vertices * perVertex),
  };
  const { joints, weights } = source,
    order = new Int32Array(source.perVertex);
  const changed: number[] = [];
  for (let v = 0; v < vertices; v++) {
    let used = 0;
    // Sorted in as they come: there are few, and most come in order.
    for (let k = v * source.perVertex; k < (v + 1) * source.perVertex; k++) {
      const weight = weights[k];
      if (!(weight > 0)) continue;
      let at = used++;
      for (
        ;
        at > 0 &&
        (weights[order[at - 1]] < weight || (weights[order[at - 1]] === weight && joints[order[at - 1]] > joints[k]));
        at--
      )
        order[at] = order[at - 1];
      order[at] = k;
    }
    if (used > most) changed.push(v);
    const kept = used > most ? most : used;
    let total = 0;
    for (let k = 0; k < kept; k++) total += weights[order[k]];
    for (let k = 0, to = v * perVertex; k < kept; k++, to++) {
      out.joints[to] = joints[order[k]];
      out.weights[to] = weights[order[k]] / total;
    }
  }
  return { influences: out, changed: Uint32Array.from(changed) };
}
