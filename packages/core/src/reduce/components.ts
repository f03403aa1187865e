import { seededRandom } from '../geometry/index.ts';

/**
 * Strongest common patterns of a set of morph deltas, as xyz attributes per vertex: the right singular vectors
 * scaled by their singular values, found from the Gram matrix of the morphs by power iteration with deflation
 * (Golub & Van Loan, ch. 8). Two vertices with the same values move alike under every morph.
 * @param deltas one array of xyz per vertex for each morph
 * @returns `most` arrays or fewer, each xyz per vertex, in metres
 */
export function morphComponents(deltas: readonly Float32Array[], most: number): Float32Array[] {
  const active = deltas.filter(moves);
  const m = active.length;
  if (!m || most < 1) return [];
  if (m <= most) return active.map((delta) => Float32Array.from(delta));
  // Of a fine mesh every few vertices tell the patterns.
  const step = Math.max(1, Math.floor(active[0].length / 3 / enoughFor(m))),
    told = active.map((delta) => everyFew(delta, step));
  const gram = new Float64Array(m * m);
  for (let a = 0; a < m; a++) {
    for (let b = a; b < m; b++) {
      const sum = dotOf(told[a], told[b]) * step;
      gram[a * m + b] = gram[b * m + a] = sum;
    }
  }
  const random = seededRandom(7);
  const found: Float64Array[] = [];
  for (let c = 0; c < most; c++) {
    let vector = Float64Array.from({ length: m }, () => random() - 0.5);
    let value = 0;
    for (let step = 0; step < 60; step++) {
      const next = new Float64Array(m);
      let moved = 0;
      value = timesMatrix(next, gram, vector);
      if (!(value > 1e-18)) break;
      for (let a = 0; a < m; a++) {
        next[a] /= value;
        moved += (next[a] - vector[a]) ** 2;
      }
      vector = next;
      // The pattern steers the simplifier; a thousandth of it steers nothing.
      if (moved < 1e-6) break;
    }
    if (!(value > 1e-18)) break;
    found.push(vector);
    for (let a = 0; a < m; a++) for (let b = 0; b < m; b++) gram[a * m + b] -= value * vector[a] * vector[b];
  }
  return blend(active, found);
}

/** next = gram · vector; returns its length. */
function timesMatrix(next: Float64Array, gram: Float64Array, vector: Float64Array): number {
  let squares = 0;
  for (let a = 0, g = 0; a < next.length; a++) {
    let sum = 0;
    for (let b = 0; b < next.length; b++, g++) sum += gram[g] * vector[b];
    next[a] = sum;
    squares += sum * sum;
  }
  return Math.sqrt(squares);
}

/** Values of every morph that the processor's caches hold at once. */
const STRETCH = 1024;

/** For each set of factors, the sum of the morphs that count for anything, each times its factor. */
function blend(deltas: readonly Float32Array[], sets: readonly Float64Array[]): Float32Array[] {
  const { length } = deltas[0],
    none = new Float32Array(length),
    out = sets.map(() => new Float32Array(length));
  const used = sets.map((factors) => [...factors.keys()].filter((a) => Math.abs(factors[a]) > 0.01));
  // Stretch by stretch, so that the morphs are fetched once for all sets.
  for (let from = 0; from < length; from += STRETCH)
    for (let c = 0; c < sets.length; c++)
      for (let n = 0; n < used[c].length; n += 4) {
        const at = (m: number) => (m < used[c].length ? deltas[used[c][m]] : none),
          by = (m: number) => (m < used[c].length ? sets[c][used[c][m]] : 0);
        // Four at a time: what is summed so far is fetched and put back once for all of them.
        addFour(
          out[c],
          from,
          Math.min(length, from + STRETCH),
          at(n),
          by(n),
          at(n + 1),
          by(n + 1),
          at(n + 2),
          by(n + 2),
          at(n + 3),
          by(n + 3),
        );
      }
  return out;
}

function addFour(
  sum: Float32Array,
  from: number,
  end: number,
  p: Float32Array,
  a: number,
  q: Float32Array,
  b: number,
  r: Float32Array,
  c: number,
  s: Float32Array,
  d: number,
): void {
  for (let i = from; i < end; i++) sum[i] += p[i] * a + q[i] * b + r[i] * c + s[i] * d;
}

/** Vertices that are enough to tell which morphs move alike. */
const ENOUGH = 1500,
  FEWEST = 300;
/** Beyond this many morphs fewer vertices are looked at: every pair of morphs is held against each other, at each of them. */
const MANY = 96;

const enoughFor = (morphs: number): number =>
  morphs <= MANY ? ENOUGH : Math.max(FEWEST, Math.round(ENOUGH * (MANY / morphs) ** 2));

function moves(delta: Float32Array): boolean {
  for (let i = 0; i < delta.length; i++) if (delta[i] !== 0) return true;
  return false;
}

/** Every `step`-th vertex, laid tight. */
function everyFew(values: Float32Array, step: number): Float32Array {
  if (step === 1) return values;
  const out = new Float32Array(Math.ceil(values.length / 3 / step) * 3);
  for (let to = 0, from = 0; to < out.length; to += 3, from += step * 3) {
    out[to] = values[from];
    out[to + 1] = values[from + 1];
    out[to + 2] = values[from + 2];
  }
  return out;
}

function dotOf(x: Float32Array, y: Float32Array): number {
  // Four sums at once: the processor need not wait for one to add the next.
  let a = 0,
    b = 0,
    c = 0,
    d = 0,
    i = 0;
  for (; i + 3 < x.length; i += 4) {
    a += x[i] * y[i];
    b += x[i + 1] * y[i + 1];
    c += x[i + 2] * y[i + 2];
    d += x[i + 3] * y[i + 3];
  }
  for (; i < x.length; i++) a += x[i] * y[i];
  return a + b + c + d;
}

/**
 * The joints whose weights vary most over a part, as one attribute per joint.
 * @returns up to `most` arrays, one value per vertex, 0 … 1
 */
export function weightAttributes(
  joints: ArrayLike<number>,
  weights: ArrayLike<number>,
  perVertex: number,
  most: number,
): Float32Array[] {
  const vertices = joints.length / perVertex;
  let count = 0;
  for (let k = 0; k < joints.length; k++) if (joints[k] >= count) count = joints[k] + 1;
  const sum = new Float64Array(count),
    square = new Float64Array(count);
  for (let k = 0; k < joints.length; k++) {
    const w = weights[k];
    sum[joints[k]] += w;
    square[joints[k]] += w * w;
  }
  const variance = Array.from(sum, (total, joint) => ({
    joint,
    value: square[joint] / vertices - (total / vertices) ** 2,
  }));
  variance.sort((a, b) => b.value - a.value || a.joint - b.joint);
  const chosen = variance.filter((entry) => entry.value > 1e-6).slice(0, most);
  const out = chosen.map(() => new Float32Array(vertices)),
    columnOf: (Float32Array | undefined)[] = new Array(count).fill(undefined);
  chosen.forEach(({ joint }, i) => {
    columnOf[joint] = out[i];
  });
  for (let v = 0, k = 0; v < vertices; v++)
    for (let n = 0; n < perVertex; n++, k++) {
      const column = weights[k] ? columnOf[joints[k]] : undefined;
      if (column) column[v] += weights[k];
    }
  return out;
}
