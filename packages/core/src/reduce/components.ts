import { seededRandom } from '../geometry/index.ts';

/**
 * Strongest common patterns of a set of morph deltas, as xyz attributes per vertex: the right singular vectors
 * scaled by their singular values, found from the Gram matrix of the morphs by power iteration with deflation
 * (Golub & Van Loan, ch. 8). Two vertices with the same values move alike under every morph.
 * @param deltas one array of xyz per vertex for each morph
 * @returns `most` arrays or fewer, each xyz per vertex, in metres
 */
export function morphComponents(deltas: readonly Float32Array[], most: number): Float32Array[] {
  const active = deltas.filter((delta) => delta.some((value) => value !== 0));
  const m = active.length;
  if (!m || most < 1) return [];
  if (m <= most) return active.map((delta) => Float32Array.from(delta));
  // Morphs are mostly zeros: only places that one moves are multiplied; of a fine mesh, every few vertices tell the patterns.
  const places = active.map(placesOf), step = Math.max(1, Math.floor(active[0].length / 3 / ENOUGH));
  const told = step === 1 ? places : places.map((list) => list.filter((i) => Math.floor(i / 3) % step === 0));
  const gram = new Float64Array(m * m);
  for (let a = 0; a < m; a++) {
    for (let b = a; b < m; b++) {
      let sum = 0;
      const few = places[a].length < places[b].length ? a : b;
      const x = active[few], y = active[few === a ? b : a];
      for (const i of told[few]) sum += x[i] * y[i];
      sum *= step;
      gram[a * m + b] = gram[b * m + a] = sum;
    }
  }
  const random = seededRandom(7);
  const out: Float32Array[] = [];
  for (let c = 0; c < most; c++) {
    let vector = Float64Array.from({ length: m }, () => random() - 0.5);
    let value = 0;
    for (let step = 0; step < 60; step++) {
      const next = new Float64Array(m);
      for (let a = 0; a < m; a++) for (let b = 0; b < m; b++) next[a] += gram[a * m + b] * vector[b];
      value = Math.hypot(...next);
      if (!(value > 1e-18)) break;
      for (let a = 0; a < m; a++) next[a] /= value;
      vector = next;
    }
    if (!(value > 1e-18)) break;
    const pattern = new Float32Array(active[0].length);
    for (let a = 0; a < m; a++) {
      const factor = vector[a];
      const delta = active[a];
      if (Math.abs(factor) > 1e-12) for (const i of places[a]) pattern[i] += delta[i] * factor;
    }
    out.push(pattern);
    for (let a = 0; a < m; a++) for (let b = 0; b < m; b++) gram[a * m + b] -= value * vector[a] * vector[b];
  }
  return out;
}

/** Vertices that are enough to tell which morphs move alike. */
const ENOUGH = 8000;

function placesOf(values: Float32Array): Uint32Array {
  let n = 0;
  for (let i = 0; i < values.length; i++) if (values[i] !== 0) n++;
  const out = new Uint32Array(n);
  for (let i = 0, at = 0; i < values.length; i++) if (values[i] !== 0) out[at++] = i;
  return out;
}

/**
 * The joints whose weights vary most over a part, as one attribute per joint.
 * @returns up to `most` arrays, one value per vertex, 0 … 1
 */
export function weightAttributes(joints: ArrayLike<number>, weights: ArrayLike<number>, perVertex: number, most: number): Float32Array[] {
  const vertices = joints.length / perVertex;
  const sum = new Map<number, number>();
  const square = new Map<number, number>();
  for (let k = 0; k < joints.length; k++) {
    const w = weights[k];
    if (w === 0) continue;
    sum.set(joints[k], (sum.get(joints[k]) ?? 0) + w);
    square.set(joints[k], (square.get(joints[k]) ?? 0) + w * w);
  }
  const variance = [...sum.keys()].map((joint) => ({ joint, value: (square.get(joint) as number) / vertices - ((sum.get(joint) as number) / vertices) ** 2 }));
  variance.sort((a, b) => b.value - a.value || a.joint - b.joint);
  const chosen = variance.filter((entry) => entry.value > 1e-6).slice(0, most);
  return chosen.map(({ joint }) => {
    const out = new Float32Array(vertices);
    for (let k = 0; k < joints.length; k++) if (joints[k] === joint) out[Math.floor(k / perVertex)] += weights[k];
    return out;
  });
}
