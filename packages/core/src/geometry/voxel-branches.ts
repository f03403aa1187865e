import { createUnions } from './hanging-together.ts';
import { STEPS_AROUND, type Voxels } from './voxels.ts';

/** Where nothing leads to. */
export const UNREACHED = 2 ** 30;

/**
 * How far each solid voxel lies from one of them, through the solid, in tenths of a voxel (Dijkstra's search in buckets of
 * whole lengths, Dial 1969); {@link UNREACHED} where nothing leads to it.
 * @param voxels with a rim of empty ones
 */
export function distancesFrom({ dims: [nx, ny], solid }: Voxels, source: number): Int32Array {
  const out = new Int32Array(solid.length).fill(UNREACHED),
    steps = STEPS_AROUND.map(([x, y, z, cost]) => [x + nx * (y + ny * z), cost] as const),
    buckets: number[][] = [[source]];
  out[source] = 0;
  for (let d = 0; d < buckets.length; d++)
    for (const at of buckets[d] ?? []) {
      if (out[at] !== d) continue;
      for (const [step, cost] of steps) {
        const next = at + step;
        if (!solid[next] || d + cost >= out[next]) continue;
        out[next] = d + cost;
        (buckets[d + cost] ??= []).push(next);
      }
    }
  return out;
}

/** A part of a solid that leads away from where distances begin, and comes together with another where they part. */
export interface Branch {
  /** Its farthest voxel, and how far that is. */
  tip: number;
  far: number;
  /** The voxel where it meets the branch that leads farther, and how far that is; −1 and 0 for the farthest of all. */
  saddle: number;
  parts: number;
  /** All its voxels beyond the saddle, farthest first. */
  cells: Int32Array;
  /** Those of the branch it meets, as it stands there. */
  other: Int32Array;
}

/**
 * Branches of a solid as the maxima of distances through it that persist: 0-dimensional persistence of superlevel sets, of
 * two that meet the nearer ends (elder rule; Edelsbrunner, Letscher & Zomorodian 2002).
 * @param distances as {@link distancesFrom} gives them
 * @param least how far beyond its saddle a branch leads, tenths of a voxel
 * @returns the farthest of all first, then by how far they lead beyond their saddles
 */
export function branchesOf({ dims: [nx, ny] }: Voxels, distances: Int32Array, least: number): Branch[] {
  const cells = byDistance(distances);
  if (!cells.length) return [];
  const seen = new Uint8Array(distances.length),
    { join, of } = createUnions(distances.length),
    // Members of a branch hang on one another, so that two become one at once.
    after = new Int32Array(distances.length).fill(-1),
    last = Int32Array.from(after),
    members = new Int32Array(distances.length),
    steps = STEPS_AROUND.map(([x, y, z]) => x + nx * (y + ny * z)),
    found: Branch[] = [];
  // A chain only grows at its end: what a branch holds now is known by its first member and their number, and listed when
  // somebody asks. Thousands of branches, as a soup of triangles has them, cost no more than a few.
  const listed = (from: number, count: number): (() => Int32Array) => {
    let list: Int32Array | null = null;
    return () => {
      if (!list) {
        list = new Int32Array(count);
        for (let at = from, i = 0; i < count; at = after[at], i++) list[i] = at;
        list = farthestFirst(list, distances);
      }
      return list;
    };
  };
  for (const at of cells) {
    seen[at] = 1;
    last[at] = at;
    members[at] = 1;
    for (const step of steps) {
      if (!seen[at + step]) continue;
      const one = of(at),
        two = of(at + step);
      if (one === two) continue;
      const elder = isElder(distances, one, two) ? one : two,
        younger = elder === one ? two : one;
      if (distances[younger] - distances[at] > least) {
        const own = listed(younger, members[younger]),
          met = listed(elder, members[elder]);
        found.push({
          tip: younger,
          far: distances[younger],
          saddle: at,
          parts: distances[at],
          get cells() {
            return own();
          },
          get other() {
            return met();
          },
        });
      }
      join(younger, elder);
      after[last[elder]] = younger;
      last[elder] = last[younger];
      members[elder] += members[younger];
    }
  }
  const [tip] = cells;
  return [
    {
      tip,
      far: distances[tip],
      saddle: -1,
      parts: 0,
      cells,
      other: new Int32Array(0),
    },
    ...found.sort((a, b) => b.far - b.parts - (a.far - a.parts) || a.tip - b.tip),
  ];
}

/** Voxels that are reached, farthest first, those as far by their number: sorted by counting. */
function byDistance(distances: Int32Array): Int32Array {
  let most = 0,
    count = 0;
  for (let i = 0; i < distances.length; i++)
    if (distances[i] < UNREACHED) {
      count++;
      if (distances[i] > most) most = distances[i];
    }
  const from = new Int32Array(most + 2),
    out = new Int32Array(count);
  for (let i = 0; i < distances.length; i++) if (distances[i] < UNREACHED) from[most - distances[i] + 1]++;
  for (let d = 0; d <= most; d++) from[d + 1] += from[d];
  for (let i = 0; i < distances.length; i++) if (distances[i] < UNREACHED) out[from[most - distances[i]]++] = i;
  return out;
}

const isElder = (distances: Int32Array, a: number, b: number): boolean =>
  distances[a] > distances[b] || (distances[a] === distances[b] && a < b);
const farthestFirst = (cells: Int32Array, distances: Int32Array): Int32Array =>
  cells.sort((a, b) => distances[b] - distances[a] || a - b);
