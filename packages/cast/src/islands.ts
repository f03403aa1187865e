import { cross, dot, unit, type Vec3 } from '@dimetra/core';
import type { Neighbours, Unrolled } from './unrolled.ts';

/** Faces taken out of their charts because they lay on others there or had no room, laid flat where nothing else is. */
export interface Islands {
  /** By face: its island, -1 where it stays in its chart. */
  of: Int32Array;
  /** By face: texture places of its three corners, 0 … 1; of those that stay, the ones given. */
  places: Float64Array;
}

/** Cells along a side of the texture in which room is looked for, and how many of them stay free about an island. */
const CELLS = 512,
  ROOM = 2;
/** Cells along a side in which faces are held against those near them. */
const COARSE = 128;
/** Two faces lie on one another where they do so by more than this; neighbours touch. */
const TOUCH = 1e-6;
/** Rounds in which single faces follow their neighbours out of the chart. */
const ROUNDS = 2;
/** Cosine between a face and its island: up to some seventy degrees. */
const ALIKE = 0.35;
/** Share of the room that a face of its size has elsewhere in its chart: with less it has none. */
const LEAST_ROOM = 0.01;
/** Islands that have to be smaller than this, of the size they should have, are no use to anybody. */
const LEAST_SIZE = 0.1;

/** Why a face leaves its chart: it lies on another there, or the chart shows it as a line. */
const STAYS = 0,
  LIES_ON_ANOTHER = 1,
  HAS_NO_ROOM = 2;

/**
 * Takes faces that lie on others out of their charts and gives each connected bunch of them that looks one way a place
 * of its own, seen along its normal, at the density of its chart. What stays lies on nothing else, to the last decimal.
 * So do faces that have no room in their chart (soles, the underside of a hem), at whatever size there is room for.
 * @param places texture places of every face's corners, six numbers a face
 */
export function partIslands(
  positions: ArrayLike<number>,
  faces: readonly Unrolled[],
  neighbours: Neighbours,
  places: Float64Array,
): Islands {
  const out: Islands = { of: new Int32Array(faces.length).fill(-1), places: Float64Array.from(places) };
  const leaves = new Uint8Array(faces.length);
  const normals = faces.map((face) => normalOf(positions, face.corners)),
    average = densities(normals, faces, places, leaves)();
  faces.forEach((_, f) => {
    if (Math.abs(areaOf(places, f * 6)) < (LEAST_ROOM * average ** 2 * Math.hypot(...normals[f])) / 2)
      leaves[f] = HAS_NO_ROOM;
  });
  for (const f of losers(
    faces,
    places,
    faces.map((_, i) => i),
  ))
    leaves[f] = LIES_ON_ANOTHER;
  if (leaves.every((why) => why === STAYS)) return out;
  followNeighbours(neighbours, leaves);
  const density = densities(normals, faces, places, leaves);
  const islands: number[][] = [];
  faces.forEach((_, f) => {
    if (leaves[f] && out.of[f] < 0)
      islands.push(growIsland(f, islands.length, faces, neighbours, normals, leaves, out.of));
  });
  for (const members of islands)
    layFlat(
      positions,
      faces,
      members,
      meanOf(members.map((f) => normals[f])),
      density(faces[members[0]].chart),
      out.places,
    );
  // What winds up like a snail lies on itself even so: such faces go by themselves.
  for (const members of [...islands])
    for (const loser of losers(faces, out.places, members)) {
      members.splice(members.indexOf(loser), 1);
      out.of[loser] = islands.length;
      islands.push([loser]);
    }
  for (const members of pack(islands, out.places, places, leaves)) {
    if (leaves[members[0]] === LIES_ON_ANOTHER)
      throw new Error('The charts leave no room in the texture for the faces that lie on others.');
    for (const f of members) {
      out.of[f] = -1;
      out.places.set(places.subarray(f * 6, f * 6 + 6), f * 6);
    }
  }
  return out;
}

/** Of faces that lie on one another those that are turned over or nearer to the axis. */
function losers(faces: readonly Unrolled[], places: Float64Array, among: readonly number[]): number[] {
  const lost = new Uint8Array(faces.length),
    met = new Int32Array(faces.length).fill(-1),
    boxes = new Float64Array(faces.length * 4);
  let left = Infinity,
    top = Infinity,
    right = -Infinity,
    bottom = -Infinity,
    sum = 0;
  for (const f of among) {
    const box = boxOf(places, f * 6);
    boxes.set(box, f * 4);
    left = Math.min(left, box[0]);
    top = Math.min(top, box[1]);
    right = Math.max(right, box[2]);
    bottom = Math.max(bottom, box[3]);
    sum += areaOf(places, f * 6);
  }
  const turned = (f: number) => areaOf(places, f * 6) * sum < 0;
  const worse = (a: number, b: number): number =>
    turned(a) !== turned(b) ? (turned(a) ? a : b) : faces[a].reach < faces[b].reach ? a : b;
  const cells: number[][] = [],
    scale = COARSE / (Math.max(right - left, bottom - top) || 1),
    cell = (x: number) => Math.min(COARSE - 1, Math.floor(x * scale));
  for (const f of among) {
    if (Math.abs(areaOf(places, f * 6)) < TOUCH * TOUCH) continue;
    const x0 = cell(boxes[f * 4] - left),
      y0 = cell(boxes[f * 4 + 1] - top),
      x1 = cell(boxes[f * 4 + 2] - left),
      y1 = cell(boxes[f * 4 + 3] - top);
    for (let y = y0; y <= y1; y++)
      for (let x = x0; x <= x1; x++) {
        const here = (cells[y * COARSE + x] ??= []);
        for (const other of here) {
          if (lost[f]) break;
          if (lost[other] || met[other] === f) continue;
          met[other] = f;
          if (apart(boxes, f * 4, other * 4) || !lieOnEachOther(places, f * 6, other * 6)) continue;
          lost[worse(f, other)] = 1;
        }
        here.push(f);
      }
  }
  return among.filter((f) => lost[f]);
}

const apart = (box: Float64Array, a: number, b: number): boolean =>
  box[a + 2] - box[b] < TOUCH ||
  box[b + 2] - box[a] < TOUCH ||
  box[a + 3] - box[b + 1] < TOUCH ||
  box[b + 3] - box[a + 1] < TOUCH;

/** Whether no line parts two triangles: those along their six edges are enough (separating axes). */
const lieOnEachOther = (at: Float64Array, a: number, b: number): boolean => !parts(at, a, b) && !parts(at, b, a);

/** Whether a side of the one triangle has the whole other one beyond it. */
function parts(at: Float64Array, one: number, other: number): boolean {
  for (let k = 0; k < 6; k += 2) {
    const i = one + k,
      j = one + ((k + 2) % 6),
      l = one + ((k + 4) % 6);
    let nx = at[j + 1] - at[i + 1],
      ny = at[i] - at[j];
    const length = Math.sqrt(nx * nx + ny * ny);
    if (length < TOUCH) continue;
    const inwards = (at[l] - at[i]) * nx + (at[l + 1] - at[i + 1]) * ny < 0 ? -1 : 1;
    nx *= inwards / length;
    ny *= inwards / length;
    const o = at[i] * nx + at[i + 1] * ny;
    if (
      Math.max(
        at[other] * nx + at[other + 1] * ny,
        at[other + 2] * nx + at[other + 3] * ny,
        at[other + 4] * nx + at[other + 5] * ny,
      ) -
        o <
      TOUCH
    )
      return true;
  }
  return false;
}

const areaOf = (at: Float64Array, o: number): number =>
  ((at[o + 2] - at[o]) * (at[o + 5] - at[o + 1]) - (at[o + 4] - at[o]) * (at[o + 3] - at[o + 1])) / 2;
const boxOf = (at: Float64Array, o: number): [number, number, number, number] => [
  Math.min(at[o], at[o + 2], at[o + 4]),
  Math.min(at[o + 1], at[o + 3], at[o + 5]),
  Math.max(at[o], at[o + 2], at[o + 4]),
  Math.max(at[o + 1], at[o + 3], at[o + 5]),
];

/** A face with two neighbours that leave goes with them: fewer and rounder islands. @param leaves why each face leaves, 0 where it stays */
function followNeighbours(neighbours: Neighbours, leaves: Uint8Array): void {
  for (let round = 0; round < ROUNDS; round++) {
    const before = leaves.slice();
    before.forEach((why, f) => {
      const gone = why ? [] : neighbours(f).filter((other) => before[other]);
      if (gone.length > 1) leaves[f] = Math.min(...gone.map((other) => before[other]));
    });
  }
}

const normalOf = (p: ArrayLike<number>, [a, b, c]: readonly number[]): Vec3 =>
  cross(
    [0, 1, 2].map((k) => p[b * 3 + k] - p[a * 3 + k]),
    [0, 1, 2].map((k) => p[c * 3 + k] - p[a * 3 + k]),
  );

const meanOf = (normals: readonly Vec3[]): Vec3 =>
  unit([0, 1, 2].map((k) => normals.reduce((sum, n) => sum + n[k], 0)));

/** Faces around one that leave too, lie in the same chart, and look about the same way, so that none of them is turned over when laid flat. */
function growIsland(
  from: number,
  island: number,
  faces: readonly Unrolled[],
  neighbours: Neighbours,
  normals: readonly Vec3[],
  leaves: Uint8Array,
  of: Int32Array,
): number[] {
  const members = [from],
    sum = [...normals[from]];
  of[from] = island;
  for (const f of members)
    for (const other of neighbours(f)) {
      if (
        leaves[other] !== leaves[from] ||
        of[other] >= 0 ||
        faces[other].chart !== faces[from].chart ||
        dot(unit(normals[other]), unit(sum)) < ALIKE
      )
        continue;
      of[other] = island;
      members.push(other);
      for (let k = 0; k < 3; k++) sum[k] += normals[other][k];
    }
  return members;
}

/** Length in the texture of a metre on the surface, by chart; of a chart that all faces leave, as elsewhere. */
function densities(
  normals: readonly Vec3[],
  faces: readonly Unrolled[],
  places: Float64Array,
  leaves: Uint8Array,
): (chart?: number) => number {
  const of = (chart?: number) => {
    let flat = 0,
      solid = 0;
    faces.forEach((face, f) => {
      if (!leaves[f] && (chart === undefined || face.chart === chart)) {
        flat += Math.abs(areaOf(places, f * 6));
        solid += Math.hypot(...normals[f]) / 2;
      }
    });
    return solid > 0 ? Math.sqrt(flat / solid) : 0;
  };
  const known = new Map<number | undefined, number>();
  return (chart) => {
    let found = known.get(chart);
    if (found === undefined) {
      found = of(chart) || of();
      known.set(chart, found);
    }
    return found;
  };
}

/** Texture places of faces seen along a normal, the right way round: pictures begin at their upper edge. */
function layFlat(
  positions: ArrayLike<number>,
  faces: readonly Unrolled[],
  members: readonly number[],
  normal: Vec3,
  density: number,
  out: Float64Array,
): void {
  // Any two axes at right angles to it.
  const across = unit(Math.abs(normal[1]) < 0.9 ? cross([0, 1, 0], normal) : cross([1, 0, 0], normal)),
    along = cross(normal, across);
  for (const f of members)
    faces[f].corners.forEach((corner, k) => {
      const p = [0, 1, 2].map((c) => positions[corner * 3 + c]);
      out[f * 6 + k * 2] = dot(p, across) * density;
      out[f * 6 + k * 2 + 1] = -dot(p, along) * density;
    });
}

/**
 * Moves every island to where there is room for it, those that must go and tall ones first, each as large as still fits.
 * @returns islands for which there is no room
 */
function pack(islands: readonly number[][], out: Float64Array, places: Float64Array, leaves: Uint8Array): number[][] {
  const taken = new Uint8Array(CELLS * CELLS),
    cell = (x: number) => Math.max(0, Math.min(CELLS, x));
  const take = (x0: number, y0: number, x1: number, y1: number) => {
    for (let y = cell(y0); y < cell(y1); y++) taken.fill(1, y * CELLS + cell(x0), y * CELLS + cell(x1));
  };
  leaves.forEach((why, f) => {
    if (why !== LIES_ON_ANOTHER) {
      const [x0, y0, x1, y1] = boxOf(places, f * 6);
      take(
        Math.floor(x0 * CELLS) - ROOM,
        Math.floor(y0 * CELLS) - ROOM,
        Math.ceil(x1 * CELLS) + ROOM,
        Math.ceil(y1 * CELLS) + ROOM,
      );
    }
  });
  const rows = islands.map((members) => ({
    members,
    why: leaves[members[0]],
    box: members
      .map((f) => boxOf(out, f * 6))
      .reduce(([a, b, c, d], [e, f, g, h]) => [Math.min(a, e), Math.min(b, f), Math.max(c, g), Math.max(d, h)]),
  }));
  rows.sort((a, b) => a.why - b.why || b.box[3] - b.box[1] - (a.box[3] - a.box[1]) || a.members[0] - b.members[0]);
  return rows
    .filter(({ members, box }) => {
      for (let size = 1; size > LEAST_SIZE; size *= 0.8) {
        const width = Math.ceil((box[2] - box[0]) * size * CELLS) + 1 + ROOM,
          height = Math.ceil((box[3] - box[1]) * size * CELLS) + 1 + ROOM,
          spot = findRoom(taken, width, height);
        if (!spot) continue;
        take(spot[0], spot[1], spot[0] + width, spot[1] + height);
        for (const f of members)
          for (let k = 0; k < 6; k++)
            out[f * 6 + k] = (spot[k % 2] + ROOM / 2 + 0.5) / CELLS + (out[f * 6 + k] - box[k % 2]) * size;
        return false;
      }
      return true;
    })
    .map(({ members }) => members);
}

/** The first place, row by row, where a rectangle of cells is free. */
function findRoom(taken: Uint8Array, width: number, height: number): [number, number] | null {
  for (let y = 0; y + height <= CELLS; y++)
    for (let x = 0; x + width <= CELLS; x++) {
      let blocked = -1;
      for (let row = y; row < y + height && blocked < 0; row++) {
        const first = row * CELLS + x;
        let last = first + width - 1;
        while (last >= first && !taken[last]) last--;
        if (last >= first) blocked = last - row * CELLS;
      }
      if (blocked < 0) return [x, y];
      x = blocked;
    }
  return null;
}
