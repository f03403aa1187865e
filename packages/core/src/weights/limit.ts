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
  const out: Influences = { perVertex, joints: new Uint16Array(vertices * perVertex), weights: new Float32Array(vertices * perVertex) };
  const order: number[] = [];
  const changed: number[] = [];
  for (let v = 0; v < vertices; v++) {
    order.length = 0;
    for (let k = v * source.perVertex; k < (v + 1) * source.perVertex; k++) if (source.weights[k] > 0) order.push(k);
    order.sort((a, b) => source.weights[b] - source.weights[a] || source.joints[a] - source.joints[b]);
    if (order.length > most) changed.push(v);
    const kept = Math.min(most, order.length);
    let total = 0;
    for (let k = 0; k < kept; k++) total += source.weights[order[k]];
    for (let k = 0; k < kept; k++) {
      out.joints[v * perVertex + k] = source.joints[order[k]];
      out.weights[v * perVertex + k] = source.weights[order[k]] / total;
    }
  }
  return { influences: out, changed: Uint32Array.from(changed) };
}
