import type { Mesh } from './mesh.ts';

/** A closed curve on a mesh: each node a share of the way from one of its points to another. Runs with what is inside on its left. */
export interface Loop {
  from: Uint32Array;
  to: Uint32Array;
  share: Float64Array;
}

/** A closed curve of a skin that has a name: what lies on it belongs on the other skin's curve of that name. */
export interface NamedLoop {
  name: string;
  loop: Loop;
  /** Whether a wrap lays it on the other's. */
  holds: boolean;
}

/** Fewer nodes than this are a pore, not a curve. */
const LEAST_NODES = 12;

/** Closed curves where a value per point crosses a level (marching over triangles). */
export function isolines({ corners }: Pick<Mesh, 'corners'>, value: ArrayLike<number>, level: number): Loop[] {
  const next = new Map<string, string>(),
    nodes = new Map<string, [number, number, number]>(),
    on = (a: number, b: number): string => {
      const [i, j] = a < b ? [a, b] : [b, a],
        key = `${i},${j}`;
      if (!nodes.has(key)) nodes.set(key, [i, j, (level - value[i]) / (value[j] - value[i])]);
      return key;
    };
  for (let t = 0; t < corners.length; t += 3) {
    const c = [corners[t], corners[t + 1], corners[t + 2]],
      high = c.map((p) => value[p] >= level),
      count = high.filter(Boolean).length;
    if (count === 0 || count === 3) continue;
    const lone = high.indexOf(count === 1),
      one = on(c[lone], c[(lone + 1) % 3]),
      two = on(c[lone], c[(lone + 2) % 3]);
    if (count === 1) next.set(one, two);
    else next.set(two, one);
  }
  return closed(next).map((keys) => {
    const found = keys.map((key) => nodes.get(key) as [number, number, number]);
    return {
      from: Uint32Array.from(found, ([i]) => i),
      to: Uint32Array.from(found, ([, j]) => j),
      share: Float64Array.from(found, ([, , s]) => s),
    };
  });
}

/** Closed borders of a mesh. */
export function borderLoops({ corners, points }: Pick<Mesh, 'corners' | 'points'>): Loop[] {
  const sides = new Set<number>(),
    next = new Map<number, number>();
  for (let t = 0; t < corners.length; t += 3)
    for (let k = 0; k < 3; k++) sides.add(corners[t + k] * points + corners[t + ((k + 1) % 3)]);
  for (const side of sides) {
    const a = Math.floor(side / points),
      b = side % points;
    if (!sides.has(b * points + a)) next.set(a, b);
  }
  return closed(next).map((keys) => ({
    from: Uint32Array.from(keys),
    to: Uint32Array.from(keys),
    share: new Float64Array(keys.length),
  }));
}

/** Chains that come back to where they began, each once, in the order of their first member. */
function closed<K>(next: ReadonlyMap<K, K>): K[][] {
  const seen = new Set<K>(),
    out: K[][] = [];
  for (const first of next.keys()) {
    if (seen.has(first)) continue;
    const chain: K[] = [];
    let at: K | undefined = first;
    while (at !== undefined && !seen.has(at)) {
      seen.add(at);
      chain.push(at);
      at = next.get(at);
    }
    if (at === first && chain.length >= LEAST_NODES) out.push(chain);
  }
  return out;
}

/** Places of a loop's nodes, xyz. */
export function placesOfLoop({ from, to, share }: Loop, places: ArrayLike<number>): Float64Array {
  const out = new Float64Array(from.length * 3);
  for (let i = 0; i < from.length; i++)
    for (let k = 0; k < 3; k++)
      out[i * 3 + k] = places[from[i] * 3 + k] * (1 - share[i]) + places[to[i] * 3 + k] * share[i];
  return out;
}

export interface LoopMeasure {
  middle: [number, number, number];
  length: number;
}

export function measureLoop(at: Float64Array): LoopMeasure {
  const n = at.length / 3,
    middle: [number, number, number] = [0, 0, 0];
  let length = 0;
  for (let i = 0; i < n; i++) {
    const j = (i + 1) % n;
    length += Math.hypot(at[i * 3] - at[j * 3], at[i * 3 + 1] - at[j * 3 + 1], at[i * 3 + 2] - at[j * 3 + 2]);
    for (let k = 0; k < 3; k++) middle[k] += at[i * 3 + k] / n;
  }
  return { middle, length };
}

/** Times a curve is smoothed before its length is measured: an isoline's wiggles would count. */
const SMOOTHED = 12;

/**
 * Nodes of a loop by how far along it they lie: from its one end along `axis` to the other 0 … 1, and back 1 … 2. Lengths
 * are those of the smoothed curve.
 */
export function alongLoop(places: Float64Array, axis: number): Float64Array {
  const n = places.length / 3;
  let at = places;
  for (let s = 0; s < SMOOTHED; s++) {
    const next = new Float64Array(at.length);
    for (let i = 0; i < n; i++)
      for (let k = 0; k < 3; k++)
        next[i * 3 + k] = 0.5 * at[i * 3 + k] + 0.25 * (at[((i + n - 1) % n) * 3 + k] + at[((i + 1) % n) * 3 + k]);
    at = next;
  }
  let low = 0,
    high = 0;
  for (let i = 0; i < n; i++) {
    if (at[i * 3 + axis] < at[low * 3 + axis]) low = i;
    if (at[i * 3 + axis] > at[high * 3 + axis]) high = i;
  }
  const out = new Float64Array(n),
    run = (from: number, to: number, base: number) => {
      const steps: [number, number][] = [];
      let total = 0;
      for (let i = from; i !== to; i = (i + 1) % n) {
        const j = (i + 1) % n;
        steps.push([i, total]);
        total += Math.hypot(at[i * 3] - at[j * 3], at[i * 3 + 1] - at[j * 3 + 1], at[i * 3 + 2] - at[j * 3 + 2]);
      }
      for (const [i, s] of steps) out[i] = base + s / (total || 1);
    };
  run(low, high, 0);
  run(high, low, 1);
  return out;
}

/** Place at `along` (0 … 2) of a loop whose nodes lie at `alongs`. */
export function placeAlong(places: Float64Array, alongs: Float64Array, along: number): [number, number, number] | null {
  const n = alongs.length;
  for (let i = 0; i < n; i++) {
    const j = (i + 1) % n,
      low = alongs[i],
      high = alongs[j] <= low ? alongs[j] + 2 : alongs[j];
    for (const s of [along, along + 2])
      if (s >= low && s <= high) {
        const f = high > low ? (s - low) / (high - low) : 0;
        return [0, 1, 2].map((k) => places[i * 3 + k] * (1 - f) + places[j * 3 + k] * f) as [number, number, number];
      }
  }
  return null;
}
