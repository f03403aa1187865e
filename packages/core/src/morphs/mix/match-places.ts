import { trianglesOf } from '../../character/index.ts';
import type { Sheet } from '../standing.ts';
import { setStencil, type Stencils } from '../stencil.ts';
import { noStencils, type SheetMatch, uvOf } from './sheet-match.ts';
import type { Person } from './people.ts';

/** Cells to a side of the grid that texture triangles are looked up in. */
const CELLS = 128;
/** Beyond a triangle's edge by this, in shares of it, a place still lies on it: seams are rounded. */
const BESIDE = 0.02;
/** Two layouts are one where this share of places is found, and half of them lie within this of each other on both bodies, metres. */
const ENOUGH = 0.97,
  LIES_ALIKE = 0.05;

/** Vertices that are looked at first: where these have no place, the rest needn't be. */
const FEW = 100;

/**
 * Each vertex where the other has its texture place; of islands above each other the one that lies nearest, once the other
 * stands in this one's joints.
 */
export function matchByPlaces(inJoints: () => Float32Array) {
  const layouts = new Map<Sheet, Layout>();
  return (own: Person, sheet: Sheet, _other: Person, theirs: Sheet): SheetMatch | null => {
    const [uv, them] = [uvOf(sheet), uvOf(theirs)];
    // Strands wear one picture above each other: a place says nothing of which strand it is.
    if (!uv || !them || sheet.part.kind === 'hair') return null;
    const layout = layouts.get(theirs) ?? layoutOf(theirs, them, inJoints()),
      here = own.rest.subarray(sheet.first * 3, (sheet.first + sheet.vertices) * 3),
      out = noStencils(sheet.vertices),
      off: number[] = [],
      every = Math.max(1, Math.floor(sheet.vertices / FEW));
    layouts.set(theirs, layout);
    const few: number[] = [];
    let asked = 0;
    for (let v = 0; v < sheet.vertices; v += every, asked++) few.push(placeOn(layout, uv, here, v, null));
    if (
      !oneLayout(
        few.filter((d) => d < Infinity),
        asked,
      )
    )
      return null;
    for (let v = 0; v < sheet.vertices; v++) {
      const d = placeOn(layout, uv, here, v, out);
      if (d < Infinity) off.push(d);
    }
    return oneLayout(off, sheet.vertices) ? { ...out, by: 'places', other: theirs } : null;
  };
}

/** @param off how far apart places lie on the two bodies, of those that were found */
const oneLayout = (off: readonly number[], asked: number): boolean =>
  off.length > 0 && off.length >= asked * ENOUGH && off.slice().sort((a, b) => a - b)[off.length >> 1] < LIES_ALIKE;

interface Layout {
  first: number;
  uv: Float32Array;
  indices: Uint32Array;
  /** First indices of the triangles that may hold a place. */
  cells(x: number, y: number): readonly number[];
  /** Places of the vertices in this one's joints. */
  there: Float32Array;
}
function layoutOf({ part, first, vertices }: Sheet, uv: Float32Array, inJoints: Float32Array): Layout {
  const indices = trianglesOf(part.prim);
  return {
    first,
    uv,
    indices,
    cells: gridOver(uv, indices),
    there: inJoints.subarray(first * 3, (first + vertices) * 3),
  };
}

/** Finds a vertex's place and writes it to `out`. @returns how far the two lie apart on their bodies, metres; Infinity without a place */
function placeOn(
  { first, uv: them, indices, cells, there }: Layout,
  uv: Float32Array,
  here: Float32Array,
  v: number,
  out: Stencils | null,
): number {
  const [x, y] = [uv[v * 2], uv[v * 2 + 1]];
  let nearest = Infinity;
  for (const t of cells(x, y)) {
    const found = onTriangle(them, indices, t, x, y);
    if (!found) continue;
    let d = 0;
    for (let k = 0; k < 3; k++) {
      let place = 0;
      for (let c = 0; c < 3; c++) place += found[c] * there[indices[t + c] * 3 + k];
      d += (place - here[v * 3 + k]) ** 2;
    }
    if (d >= nearest) continue;
    nearest = d;
    if (out)
      setStencil(out, v, [first + indices[t], first + indices[t + 1], first + indices[t + 2]], found[1], found[2]);
  }
  return Math.sqrt(nearest);
}

/** Triangles by the cells of texture space that their boxes touch. @returns what lies at a place, by first index */
function gridOver(uv: Float32Array, indices: Uint32Array): (x: number, y: number) => readonly number[] {
  const cells = new Map<number, number[]>(),
    cell = (value: number) => Math.floor(value * CELLS),
    key = (x: number, y: number) => x * 65_536 + y;
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = [indices[t] * 2, indices[t + 1] * 2, indices[t + 2] * 2],
      x1 = cell(Math.max(uv[a], uv[b], uv[c])),
      y1 = cell(Math.max(uv[a + 1], uv[b + 1], uv[c + 1]));
    for (let x = cell(Math.min(uv[a], uv[b], uv[c])); x <= x1; x++)
      for (let y = cell(Math.min(uv[a + 1], uv[b + 1], uv[c + 1])); y <= y1; y++) {
        const list = cells.get(key(x, y));
        if (list) list.push(t);
        else cells.set(key(x, y), [t]);
      }
  }
  return (x, y) => cells.get(key(cell(x), cell(y))) ?? [];
}

/** Barycentric shares of a place in a texture triangle, cut to it; null where it lies outside. */
function onTriangle(
  uv: Float32Array,
  indices: Uint32Array,
  t: number,
  x: number,
  y: number,
): [number, number, number] | null {
  const [a, b, c] = [indices[t] * 2, indices[t + 1] * 2, indices[t + 2] * 2],
    ux = uv[b] - uv[a],
    uy = uv[b + 1] - uv[a + 1],
    vx = uv[c] - uv[a],
    vy = uv[c + 1] - uv[a + 1],
    det = ux * vy - uy * vx;
  if (Math.abs(det) < 1e-14) return null;
  const px = x - uv[a],
    py = y - uv[a + 1],
    v = (px * vy - py * vx) / det,
    w = (ux * py - uy * px) / det;
  if (v < -BESIDE || w < -BESIDE || v + w > 1 + BESIDE) return null;
  const shares = [Math.max(0, 1 - v - w), Math.max(0, v), Math.max(0, w)] as [number, number, number],
    sum = shares[0] + shares[1] + shares[2];
  return shares.map((share) => share / sum) as [number, number, number];
}
