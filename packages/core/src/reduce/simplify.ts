import type { Document, Primitive } from '@gltf-transform/core';
import { MeshoptSimplifier } from 'meshoptimizer/simplifier';
import {
  floatsOf,
  influencesOf,
  keepVertices,
  listParts,
  type Part,
  STRAND_KINDS,
  trianglesOf,
} from '../character/index.ts';
import { hashOf } from '../geometry/index.ts';
import { type Finding, type StopSignal, throwIfAborted } from '../problem.ts';
import { simplifyCards } from './cards.ts';
import { morphComponents, weightAttributes } from './components.ts';
import { lookAtStrands, type StrandLook } from './look-at-strands.ts';

/** meshoptimizer takes at most this many attribute values per vertex. */
const MOST_ATTRIBUTES = 32;

export interface SimplifyOptions {
  /** How much a change of normal counts against a change of position; default 0.2, on heads 0.5: with more, coarse levels keep their folds and lose their shape (the crowd's pilot 5.2 mm off at rest instead of 4.7). */
  normalWeight: number;
  /** How much a change of texture place counts; default 0.5. */
  uvWeight: number;
  /** How much a change of the morphs' patterns counts; default 1: a metre of morph movement is a metre. */
  morphWeight: number;
  /** How much a change of joint weight counts, in parts of the extent; default 0.2, on heads 0.3. */
  jointWeight: number;
}
export const SIMPLIFY_DEFAULTS: Readonly<SimplifyOptions> = Object.freeze({
  normalWeight: 0.2,
  uvWeight: 0.5,
  morphWeight: 1,
  jointWeight: 0.2,
});

/** Of the face: lips and lids are small folds that normals tell of more than distances; with the others' weights a mouth became a line. */
const FACE: Readonly<Pick<SimplifyOptions, 'normalWeight' | 'jointWeight'>> = Object.freeze({
  normalWeight: 0.5,
  jointWeight: 0.3,
});
const optionsFor = (part: Part, options: SimplifyOptions): SimplifyOptions =>
  part.role === 'head' && options === SIMPLIFY_DEFAULTS ? { ...options, ...FACE } : options;

export interface PartReduced {
  id: string;
  from: number;
  asked: number;
  to: number;
}

/**
 * Brings parts to their triangle budgets by half-edge collapse onto existing vertices (Garland & Heckbert 1997
 * as built in meshoptimizer), so that what remains keeps its UVs, weights and morph deltas exactly. Vertices
 * that another part touches stay, so that parts don't gape. Changes `document` in place.
 */
export async function simplifyParts(
  document: Document,
  budgets: ReadonlyMap<string, number>,
  options: SimplifyOptions = SIMPLIFY_DEFAULTS,
  progress: (fraction: number, message: string) => void = () => {},
  signal?: StopSignal,
): Promise<{ parts: PartReduced[]; findings: Finding[] }> {
  await MeshoptSimplifier.ready;
  const findings: Finding[] = [];
  const rows: PartReduced[] = [];
  const parts = listParts(document);
  const shared = sharedVertices(parts);
  const done = new Map<Primitive, PartReduced>();
  // Before anything goes, and only where there are strands to be reduced.
  const goes = (part: Part) => (budgets.get(part.id) ?? part.triangles) < part.triangles,
    strands = parts.some((part) => STRAND_KINDS.includes(part.kind) && goes(part)) ? lookAtStrands(document) : null;
  for (const [i, part] of parts.entries()) {
    throwIfAborted(signal);
    progress(i / parts.length, `reducing ${part.name}`);
    const before = done.get(part.prim);
    const asked = budgets.get(part.id) ?? part.triangles;
    if (before) {
      rows.push({ ...before, id: part.id });
      continue;
    }
    const row: PartReduced = { id: part.id, from: part.triangles, asked, to: part.triangles };
    if (asked < part.triangles && part.triangles > 0) {
      row.to = simplifyPart(
        document,
        part,
        asked,
        shared.get(part.prim) as Uint8Array,
        optionsFor(part, options),
        strands,
      );
      if (row.to > asked * 1.02 + 2)
        findings.push({
          code: 'reduce.not-reached',
          severity: 'warning',
          message: `“${part.name}” stopped at ${row.to} triangles: its seams and borders can't be taken further without gaps.`,
          where: part.id,
          measured: row.to,
          limit: asked,
        });
    }
    done.set(part.prim, row);
    rows.push(row);
  }
  return { parts: rows, findings };
}

/** Marks, for each primitive, the vertices whose exact position another primitive has too. */
function sharedVertices(parts: readonly Part[]): Map<Primitive, Uint8Array> {
  const prims = [...new Set(parts.map((part) => part.prim))];
  const values = prims.map((prim) => {
    const accessor = prim.getAttribute('POSITION');
    return accessor ? floatsOf(accessor) : new Float32Array(0);
  });
  const total = values.reduce((sum, array) => sum + array.length / 3, 0);
  // Open addressing over bit patterns: strings as keys cost more than the reduction itself.
  const size = 2 ** Math.ceil(Math.log2(Math.max(2, total * 2)));
  const slotPrim = new Int32Array(size).fill(-1),
    slotVertex = new Uint32Array(size);
  const shared = values.map((array) => new Uint8Array(array.length / 3));
  values.forEach((array, p) => {
    const bits = new Uint32Array(array.length),
      plain = new Float32Array(bits.buffer);
    // −0 and 0 are one place.
    for (let i = 0; i < array.length; i++) plain[i] = array[i] + 0;
    for (let v = 0; v < array.length / 3; v++) {
      let slot = hashOf(bits[v * 3], bits[v * 3 + 1], bits[v * 3 + 2]) & (size - 1);
      for (; ; slot = (slot + 1) & (size - 1)) {
        const owner = slotPrim[slot];
        if (owner < 0) {
          slotPrim[slot] = p;
          slotVertex[slot] = v;
          break;
        }
        const other = values[owner],
          o = slotVertex[slot] * 3;
        if (other[o] !== array[v * 3] || other[o + 1] !== array[v * 3 + 1] || other[o + 2] !== array[v * 3 + 2])
          continue;
        if (owner !== p) {
          shared[p][v] = 1;
          shared[owner][slotVertex[slot]] = 1;
        }
        break;
      }
    }
  });
  // A seam keeps several vertices in one place; whichever of them met the other part first speaks for all.
  return spreadWithinPlaces(prims, values, shared);
}

function spreadWithinPlaces(
  prims: readonly Primitive[],
  values: readonly Float32Array[],
  shared: readonly Uint8Array[],
): Map<Primitive, Uint8Array> {
  return new Map(
    prims.map((prim, p) => {
      const marks = shared[p],
        array = values[p];
      if (marks.includes(1)) {
        const places = new Set<string>();
        const key = (v: number) => `${array[v * 3]},${array[v * 3 + 1]},${array[v * 3 + 2]}`;
        marks.forEach((mark, v) => {
          if (mark) places.add(key(v));
        });
        for (let v = 0; v < marks.length; v++) if (!marks[v] && places.has(key(v))) marks[v] = 1;
      }
      return [prim, marks];
    }),
  );
}

function simplifyPart(
  document: Document,
  part: Part,
  asked: number,
  lock: Uint8Array,
  options: SimplifyOptions,
  strands: StrandLook | null,
): number {
  const { prim } = part;
  const accessor = prim.getAttribute('POSITION');
  if (!accessor) return part.triangles;
  const positions = floatsOf(accessor).slice();
  const vertices = positions.length / 3;
  const indices = trianglesOf(prim).slice();
  if (strands && STRAND_KINDS.includes(part.kind)) {
    const uv = prim.getAttribute('TEXCOORD_0'),
      places = strands.places(part),
      mesh = { positions: places, uv: uv && floatsOf(uv), indices, lock, isAbove: strands.isAbove },
      cards =
        places.length === positions.length
          ? simplifyCards(mesh, Math.max(0, Math.floor(asked)), strands.seen(part))
          : null;
    if (cards) {
      keepVertices(document, prim, cards);
      return cards.length / 3;
    }
  }
  const { values, weights } = gatherAttributes(prim, positions, vertices, options);
  const target = Math.max(0, Math.floor(asked)) * 3;
  const run = (flags: ('LockBorder' | 'Regularize')[]) =>
    (weights.length
      ? MeshoptSimplifier.simplifyWithAttributes(
          indices,
          positions,
          3,
          values,
          weights.length,
          weights,
          lock,
          target,
          1,
          flags,
        )
      : MeshoptSimplifier.simplifyWithAttributes(
          indices,
          positions,
          3,
          new Float32Array(0),
          0,
          [],
          lock,
          target,
          1,
          flags,
        ))[0];
  const reduced = run([]);
  keepVertices(document, prim, reduced);
  return reduced.length / 3;
}

const STRETCH = 256;

/** What the simplifier is given besides positions: interleaved attributes and their weights, in the order: normals, UVs, joint weights, morph patterns. */
export function gatherAttributes(
  prim: Primitive,
  positions: Float32Array,
  vertices: number,
  options: SimplifyOptions,
): { values: Float32Array; weights: number[] } {
  const columns: { data: Float32Array; size: number; weight: number }[] = [];
  const extent = extentOf(positions);
  const normal = prim.getAttribute('NORMAL');
  if (normal && options.normalWeight > 0)
    columns.push({ data: floatsOf(normal), size: 3, weight: options.normalWeight });
  const uv = prim.getAttribute('TEXCOORD_0');
  if (uv && options.uvWeight > 0) columns.push({ data: floatsOf(uv), size: 2, weight: options.uvWeight });
  let free = MOST_ATTRIBUTES - columns.reduce((sum, column) => sum + column.size, 0);
  const influences = influencesOf(prim);
  if (influences && options.jointWeight > 0) {
    for (const data of weightAttributes(influences.joints, influences.weights, influences.perVertex, 12))
      columns.push({ data, size: 1, weight: options.jointWeight });
    free = MOST_ATTRIBUTES - columns.reduce((sum, column) => sum + column.size, 0);
  }
  if (options.morphWeight > 0) {
    const deltas = prim
      .listTargets()
      .map((target) => target.getAttribute('POSITION'))
      .filter((delta) => delta !== null)
      .map(floatsOf);
    // Attribute error is relative to the extent, as position error is, so metres are divided by it.
    for (const data of morphComponents(deltas, Math.floor(free / 3)))
      columns.push({ data, size: 3, weight: options.morphWeight / extent });
  }
  const stride = columns.reduce((sum, column) => sum + column.size, 0);
  const values = new Float32Array(vertices * stride);
  const weights: number[] = [];
  for (const column of columns) for (let k = 0; k < column.size; k++) weights.push(column.weight);
  // In stretches that the cache holds: each column reaches over the whole array.
  for (let from = 0; from < vertices; from += STRETCH) {
    let at = 0;
    for (const { data, size } of columns)
      for (let k = 0; k < size; k++, at++)
        weave(values, stride, at, data, size, k, from, Math.min(vertices, from + STRETCH));
  }
  return { values, weights };
}

// Loops over whole arrays stand alone: code that was compiled together with questions to the document is thrown away
// when the objects it met are gone.
function weave(
  values: Float32Array,
  stride: number,
  at: number,
  data: Float32Array,
  size: number,
  k: number,
  from: number,
  end: number,
): void {
  for (let v = from, to = from * stride + at, i = from * size + k; v < end; v++, to += stride, i += size)
    values[to] = data[i];
}

function extentOf(positions: Float32Array): number {
  let most = 1e-9;
  for (let k = 0; k < 3; k++) {
    let low = Infinity,
      high = -Infinity;
    for (let i = k; i < positions.length; i += 3) {
      low = Math.min(low, positions[i]);
      high = Math.max(high, positions[i]);
    }
    most = Math.max(most, high - low);
  }
  return most;
}
