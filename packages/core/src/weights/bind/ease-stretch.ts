import { bendVertex, type Influences } from '../../character/index.ts';
import { apart } from '../../geometry/index.ts';
import type { Body } from './body.ts';

/** Edges that become this much longer are eased: below the twice that counts as a tear, so that none is left just under it. */
const LIMIT = 1.7;
/** Weights change this far round an edge that is torn in one go, and this far from where tears were found in all; metres. */
const AROUND = 0.0015,
  AT_MOST = 0.02;
/** Looks at the result, and sweeps of smoothing between two of them. */
const ROUNDS = 16,
  SWEEPS = 60;
/** Weights below this are dropped. */
const LEAST = 1e-3;
/** Edges shorter than this say nothing, metres. */
const SHORT = 1e-5;

/** Edges between places, each once: ends in pairs, and length. */
interface Edges {
  ends: Uint32Array;
  lengths: Float32Array;
}

/**
 * Evens weights out where bending tears the surface: around every edge that some pose makes {@link LIMIT} times longer
 * weights become as even as their surroundings let them, changing in proportion to distance along the surface (harmonic
 * on the graph of edges with conductance 1 ÷ length, Gauss–Seidel), until no pose tears it or {@link ROUNDS} are over.
 * Vertices at one place stay one. Changes `influences`.
 * @param first the first vertex at the place of each vertex
 * @param motions S_j of every joint away from rest, one array for each pose
 * @returns vertices whose weights changed
 */
export function easeStretch(
  body: Body,
  influences: Influences,
  first: Uint32Array,
  motions: readonly Float64Array[],
): number {
  const { positions } = body,
    count = positions.length / 3,
    edges = edgesOf(positions, body.indices, first),
    hot = new Uint8Array(count);
  const straining = motions.filter((motion) => markStretched(hot, positions, edges, influences, [motion]));
  if (!straining.length) return 0;
  const free = within(hot, edges, AT_MOST),
    here = edgesTouching(edges, free),
    around = neighboursOf(here, count),
    changed = new Uint8Array(count);
  for (let round = 0; round < ROUNDS && hot.includes(1); round++) {
    const now = within(hot, here, AROUND);
    for (let v = 0; v < count; v++) {
      now[v] &= free[v];
      changed[v] |= now[v];
    }
    relax(influences, now, around);
    hot.fill(0);
    markStretched(hot, positions, here, influences, straining);
  }
  for (let v = 0; v < count; v++) if (first[v] !== v && changed[first[v]]) copyRow(influences, first[v], v);
  return changed.reduce((sum, value) => sum + value, 0);
}

function edgesOf(positions: Float32Array, indices: Uint32Array, first: Uint32Array): Edges {
  const ends: number[] = [],
    seen = new Set<number>();
  for (let t = 0; t < indices.length; t += 3)
    for (let e = 0; e < 3; e++) {
      const a = first[indices[t + e]],
        b = first[indices[t + ((e + 1) % 3)]],
        key = Math.min(a, b) * first.length + Math.max(a, b);
      if (a === b || seen.has(key)) continue;
      seen.add(key);
      ends.push(a, b);
    }
  return {
    ends: Uint32Array.from(ends),
    lengths: Float32Array.from({ length: ends.length / 2 }, (_, e) => apart(positions, ends[e * 2], ends[e * 2 + 1])),
  };
}

function edgesTouching({ ends, lengths }: Edges, marks: Uint8Array): Edges {
  const kept = Array.from(lengths.keys()).filter((e) => marks[ends[e * 2]] || marks[ends[e * 2 + 1]]);
  return {
    ends: Uint32Array.from(kept.flatMap((e) => [ends[e * 2], ends[e * 2 + 1]])),
    lengths: Float32Array.from(kept, (e) => lengths[e]),
  };
}

/** Marks both ends of each edge that is over the limit in any pose. @returns whether there is one */
function markStretched(
  hot: Uint8Array,
  positions: Float32Array,
  { ends, lengths }: Edges,
  influences: Influences,
  motions: readonly Float64Array[],
): boolean {
  const asked = new Uint8Array(hot.length),
    posed = new Float32Array(positions.length),
    point = new Float64Array(3);
  let any = false;
  for (const end of ends) asked[end] = 1;
  for (const motion of motions) {
    for (let v = 0; v < asked.length; v++) {
      if (!asked[v]) continue;
      bendVertex(point, motion, influences, v, positions);
      posed.set(point, v * 3);
    }
    for (let e = 0; e < lengths.length; e++) {
      const a = ends[e * 2],
        b = ends[e * 2 + 1];
      if (lengths[e] <= SHORT || apart(posed, a, b) <= LIMIT * lengths[e]) continue;
      hot[a] = hot[b] = 1;
      any = true;
    }
  }
  return any;
}

/** What is marked, and what lies within a distance of it along edges. */
function within(marks: Uint8Array, { ends, lengths }: Edges, reach: number): Uint8Array {
  const far = Float64Array.from(marks, (mark) => (mark ? 0 : Infinity));
  for (let moved = true; moved; ) {
    moved = false;
    for (let e = 0; e < lengths.length; e++) {
      const a = ends[e * 2],
        b = ends[e * 2 + 1],
        d = lengths[e];
      if (far[a] + d < far[b] && far[a] + d <= reach) {
        far[b] = far[a] + d;
        moved = true;
      } else if (far[b] + d < far[a] && far[b] + d <= reach) {
        far[a] = far[b] + d;
        moved = true;
      }
    }
  }
  return Uint8Array.from(far, (d) => Number(d <= reach));
}

/** Neighbours of each vertex, from `from[v]` to `from[v + 1]`, with what each counts for. */
interface Around {
  from: Uint32Array;
  to: Uint32Array;
  conductance: Float32Array;
}

function neighboursOf({ ends, lengths }: Edges, count: number): Around {
  const from = new Uint32Array(count + 1);
  for (const end of ends) from[end + 1]++;
  for (let v = 0; v < count; v++) from[v + 1] += from[v];
  const next = from.slice(),
    to = new Uint32Array(ends.length),
    conductance = new Float32Array(ends.length);
  for (let e = 0; e < ends.length; e++) {
    const at = next[ends[e]]++;
    to[at] = ends[e ^ 1];
    conductance[at] = 1 / Math.max(SHORT, lengths[e >> 1]);
  }
  return { from, to, conductance };
}

/** Every chosen vertex becomes its neighbours' mean, one after the other, again and again; the strongest influences stay. */
function relax(influences: Influences, chosen: Uint8Array, around: Around): void {
  const left = chosen.slice(),
    columns = new Map<number, Float32Array>();
  for (let v = 0; v < left.length; v++)
    if (left[v]) relaxPatch(influences, patchFrom(v, left, around), around, columns);
}

/** Chosen vertices that hang together with `start`, ascending; taken out of `left`. */
function patchFrom(start: number, left: Uint8Array, { from, to }: Around): Uint32Array {
  const patch = [start];
  left[start] = 0;
  for (let i = 0; i < patch.length; i++)
    for (let n = from[patch[i]]; n < from[patch[i] + 1]; n++)
      if (left[to[n]]) {
        left[to[n]] = 0;
        patch.push(to[n]);
      }
  return Uint32Array.from(patch).sort();
}

/** @param columns one of each joint, all zero, kept from patch to patch */
function relaxPatch(
  influences: Influences,
  patch: Uint32Array,
  around: Around,
  columns: Map<number, Float32Array>,
): void {
  const { perVertex, joints, weights } = influences,
    met = new Set(patch),
    here = new Map<number, Float32Array>();
  for (const v of patch) for (let n = around.from[v]; n < around.from[v + 1]; n++) met.add(around.to[n]);
  for (const v of met)
    for (let k = v * perVertex; k < (v + 1) * perVertex; k++) {
      if (!weights[k]) continue;
      const column = columns.get(joints[k]) ?? new Float32Array(weights.length / perVertex);
      columns.set(joints[k], column);
      here.set(joints[k], column);
      column[v] = weights[k];
    }
  for (const column of here.values()) sweepColumn(column, patch, around);
  for (const v of patch) putStrongest(influences, v, here);
  for (const column of here.values()) for (const v of met) column[v] = 0;
}

/** Sweeps run up and down in turn, so that nothing drifts to one side. */
function sweepColumn(column: Float32Array, list: Uint32Array, { from, to, conductance }: Around): void {
  for (let sweep = 0; sweep < SWEEPS; sweep++)
    for (let i = 0; i < list.length; i++) {
      const v = list[sweep & 1 ? list.length - 1 - i : i];
      let sum = 0,
        all = 0;
      for (let n = from[v]; n < from[v + 1]; n++) {
        sum += conductance[n] * column[to[n]];
        all += conductance[n];
      }
      column[v] = sum / all;
    }
}

function putStrongest(
  { perVertex, joints, weights }: Influences,
  v: number,
  columns: ReadonlyMap<number, Float32Array>,
): void {
  const kept = [...columns]
      .flatMap(([joint, column]): [number, number][] => (column[v] > LEAST ? [[joint, column[v]]] : []))
      .sort((a, b) => b[1] - a[1] || a[0] - b[0])
      .slice(0, perVertex),
    total = kept.reduce((sum, [, weight]) => sum + weight, 0);
  if (!(total > 0)) return;
  for (let k = 0; k < perVertex; k++) {
    joints[v * perVertex + k] = kept[k]?.[0] ?? 0;
    weights[v * perVertex + k] = k < kept.length ? kept[k][1] / total : 0;
  }
}

function copyRow({ perVertex, joints, weights }: Influences, from: number, to: number): void {
  joints.copyWithin(to * perVertex, from * perVertex, (from + 1) * perVertex);
  weights.copyWithin(to * perVertex, from * perVertex, (from + 1) * perVertex);
}
