import type { Document } from '@gltf-transform/core';
import { createDeformer, listMorphNames, readDossier, type Deformer } from '../character/index.ts';
import { triangleArea } from '../geometry/index.ts';
import { jointRoles, poseSkeleton, RANGE_OF_MOTION, roleIndex, rolesFromSource, type Pose } from '../skeleton/index.ts';
import { type StopSignal, throwIfAborted } from '../problem.ts';
import type { ImageCodec } from '../textures/index.ts';
import { type Alike, alikeParts } from './alike.ts';
import { colorDifference, createColorSampler, lookOnce } from './appearance.ts';
import { coveredTriangles } from './covered.ts';
import { compareInventory, type Inventory } from './inventory.ts';
import { sameVertices, vertexDistance } from './same-vertices.ts';
import { skinThrough, wearsClothes } from './skin-through.ts';
import { type Distance, distanceWithin, MeasuredSurface, surfaceDistance } from './surface-distance.ts';

export interface ParityRow {
  name: string;
  rmsMm: number;
  p99Mm: number;
  maxMm: number;
  /** Part in which the largest distance lies. */
  where?: string;
  /** Of poses, where most vertices of the result are the source's own: how far each is from itself. Sliding along the surface, which the distance of surfaces hides, shows here. */
  vertex?: { rmsMm: number; maxMm: number };
}

export interface Parity {
  schema: 1;
  samples: number;
  /** What can be seen; `covered`: what clothes cover in every pose looked at, and its share of the source's area, 0 … 1. */
  shape: { rest: Omit<ParityRow, 'name'>; /** Each part at rest against what it came from, in the source's order. */ parts: ParityRow[]; morphs: ParityRow[]; poses: ParityRow[]; covered?: Omit<ParityRow, 'name'> & { share: number }; /** Skin that shows through clothes, square centimetres, at rest and in the poses looked at; where there are clothes. */ skin?: { pose: string; sourceCm2: number; resultCm2: number }[] };
  appearance: { baseColorDeltaE: { mean: number; p99: number } };
  inventory: Inventory;
}

export interface ParityOptions {
  /** Samples on each surface; default 20,000. */
  samples: number;
  seed: number;
  /** Without a codec colours are not compared and come back as zeros. */
  images?: ImageCodec;
  progress?: (fraction: number, message: string) => void;
  signal?: StopSignal;
}

/** A morph is measured where it moves a corner by more than this, metres: elsewhere it is the rest shape. */
const MOVES = 1e-5;
/** Samples on each side in the region that a morph moves. */
const MORPH_SAMPLES = 2000;
/** Samples on each side of one part. */
const PART_SAMPLES = 1000;

/**
 * How far `result` is from `source`: at rest, in every morph both have (there where it moves something), in the poses of the range-of-motion set,
 * taken through joint roles, so that names and orientations may differ. A part is measured against what it came from, so
 * that what vanished behind something else is missed. A character against itself gives zeros.
 */
export async function compareCharacters(source: Document, result: Document, options: Partial<ParityOptions> = {}): Promise<Parity> {
  const { samples = 20_000, seed = 1, images, progress = () => {}, signal } = options;
  progress(0, 'finding what can be seen');
  const { leftOut = {} } = readDossier(result), a = createDeformer(source, (part) => leftOut[part.name] === undefined), b = createDeformer(result);
  // Images are decoded beside the measuring.
  const look = images && lookOnce(images), colors = look && Promise.all([createColorSampler(source, a, look), createColorSampler(result, b, look)]);
  // It is awaited further down; a measurement that stops before must not leave its failure to nobody.
  colors?.catch(() => {});
  const aRest = a.evaluate(new Float32Array(a.vertices * 3)), bRest = b.evaluate(new Float32Array(b.vertices * 3));
  const { aRoles, bRoles } = rolesToBend(source, a, result, b);
  const aCover = sortOut(a, aRest, aRoles), bCover = sortOut(b, bRest, bRoles);
  const alike = alikeParts(a, b, result);
  const aShape = new MeasuredSurface(aRest, a.indices, samples, seed, aCover.open, { of: alike.source, count: alike.groups }), bShape = new MeasuredSurface(bRest, b.indices, samples, seed, bCover.open, { of: alike.result, count: alike.groups });
  const aNow = new Float32Array(aRest.length), bNow = new Float32Array(bRest.length);
  const row = (name: string, d: Distance): ParityRow => ({ name, rmsMm: d.rmsMm, p99Mm: d.p99Mm, maxMm: d.maxMm, where: d.at && d.maxMm > 0 ? partAt(d.at.side === 'source' ? a : b, d.at.triangle) : undefined });
  const measure = (name: string): ParityRow => {
    throwIfAborted(signal);
    aShape.move(aNow);
    bShape.move(bNow);
    return row(name, surfaceDistance(aShape, bShape));
  };
  progress(0.1, 'measuring at rest');
  const rest = without(row('', surfaceDistance(aShape, bShape)));
  const covered = aCover.covered.length ? { ...without(row('', distanceWithin(aShape, bShape, aCover.covered, bCover.covered, 2 * MORPH_SAMPLES, seed))), share: areaShare(aRest, a.indices, aCover.covered) } : null;
  const parts = partRows(a, b, alike, aCover.hidden, bCover.hidden, (inA, inB) => distanceWithin(aShape, bShape, inA, inB, PART_SAMPLES, seed), row);
  const baseColorDeltaE = colors ? colorDifference(aShape, bShape, ...(await colors)) : { mean: 0, p99: 0 };

  const skin = wearsClothes(a) && wearsClothes(b) ? skinRows(a, aRest, aRoles, b, bRest, bRoles) : null;

  const have = new Set(listMorphNames(result));
  const names = listMorphNames(source).filter((name) => have.has(name));
  const total = names.length + RANGE_OF_MOTION.length;
  const morphs = names.map((name, i) => {
    throwIfAborted(signal);
    progress(0.2 + (0.8 * i) / total, `measuring morph ${name}`);
    const inSource = a.movedTriangles(name, MOVES), inResult = b.movedTriangles(name, MOVES), seenIn = (moved: Uint32Array, hidden: Uint8Array) => { const seen = withMark(moved, hidden, 0); return seen.length ? seen : moved; };
    aShape.moveSome(a.evaluate(aNow, { [name]: 1 }), inSource);
    bShape.moveSome(b.evaluate(bNow, { [name]: 1 }), inResult);
    const found = row(name, distanceWithin(aShape, bShape, seenIn(inSource, aCover.hidden), seenIn(inResult, bCover.hidden), MORPH_SAMPLES, seed));
    aShape.moveBack(aRest);
    bShape.moveBack(bRest);
    return found;
  });
  const groupsOf = (deformer: Deformer, groups: Uint16Array) => { const out = new Uint16Array(deformer.vertices); for (const { firstVertex, vertices, firstTriangle, triangles } of deformer.ranges) if (triangles) out.fill(groups[firstTriangle], firstVertex, firstVertex + vertices); return out; };
  const same = sameVertices(aRest, bRest, groupsOf(a, alike.source), groupsOf(b, alike.result)), mostSame = same.filter((v) => v >= 0).length > same.length / 2;
  // A source whose mesh follows no joint can't be bent to compare with.
  const bends = a.ranges.some((range) => range.part.node.getSkin());
  const poses = RANGE_OF_MOTION.filter((pose) => bends && pose.turns.some((turn) => aRoles.has(turn.role))).map((pose, i) => {
    progress(0.2 + (0.8 * (names.length + i)) / total, `measuring pose ${pose.name}`);
    a.evaluate(aNow, {}, poseSkeleton(a.skeleton, aRoles, pose));
    b.evaluate(bNow, {}, poseSkeleton(b.skeleton, bRoles, pose));
    const found = measure(pose.name);
    return mostSame ? { ...found, vertex: vertexDistance(aNow, bNow, same) } : found;
  });
  return { schema: 1, samples, shape: { rest, parts, morphs, poses, ...(covered ? { covered } : {}), ...(skin ? { skin } : {}) }, appearance: { baseColorDeltaE }, inventory: compareInventory(source, result) };
}

/** One row a group of parts: what can be seen of it, or all of it where nothing can. */
function partRows(a: Deformer, b: Deformer, alike: Alike, aHidden: Uint8Array, bHidden: Uint8Array, measure: (inA: Uint32Array, inB: Uint32Array) => Distance, row: (name: string, d: Distance) => ParityRow): ParityRow[] {
  const inGroup = (groups: Uint16Array, group: number, hidden: Uint8Array) => { const all = trianglesIn(groups, group), open = withMark(all, hidden, 0); return open.length ? open : all; };
  const names = new Map<number, string[]>();
  for (const { part, firstTriangle, triangles } of a.ranges) if (triangles) { const group = alike.source[firstTriangle]; names.set(group, [...(names.get(group) ?? []), part.name]); }
  return [...names].map(([group, own]) => row(titleOf(own, b, alike, group), measure(inGroup(alike.source, group, aHidden), inGroup(alike.result, group, bHidden))));
}

/** The part's name; of several that became one, that one's. */
function titleOf(own: readonly string[], b: Deformer, alike: Alike, group: number): string {
  if (own.length === 1) return own[0];
  return b.ranges.find((range) => range.triangles && alike.result[range.firstTriangle] === group)?.part.name ?? `${own[0]} and ${own.length - 1} more`;
}

function trianglesIn(groups: Uint16Array, group: number): Uint32Array {
  const out: number[] = [];
  for (let t = 0; t < groups.length; t++) if (groups[t] === group) out.push(t);
  return Uint32Array.from(out);
}

/** Which joint of either bends for each role of the source. */
function rolesToBend(source: Document, a: Deformer, result: Document, b: Deformer) {
  const aRoles = roleIndex(jointRoles(source, a.skeleton));
  return { aRoles, bRoles: rolesFromSource({ skeleton: a.skeleton, roles: aRoles }, { skeleton: b.skeleton, roles: roleIndex(jointRoles(result, b.skeleton)) }, readDossier(result).renamedJoints) };
}

const without = ({ name: _, ...rest }: ParityRow): Omit<ParityRow, 'name'> => rest;

/** Poses that show what lies under hems and cuffs. */
const SHOWING = ['arms raised', 'squat', 'bent forward'];

/** Skin through clothes at rest and in the poses that show it, in both figures. */
function skinRows(a: Deformer, aRest: Float32Array, aRoles: ReturnType<typeof roleIndex>, b: Deformer, bRest: Float32Array, bRoles: ReturnType<typeof roleIndex>): { pose: string; sourceCm2: number; resultCm2: number }[] {
  const rounded = (cm2: number) => Math.round(cm2 * 10) / 10, poses = RANGE_OF_MOTION.filter((pose) => SHOWING.includes(pose.name) && pose.turns.some((turn) => aRoles.has(turn.role)));
  const posed = (deformer: Deformer, roles: ReturnType<typeof roleIndex>, pose: Pose) => deformer.evaluate(new Float32Array(deformer.vertices * 3), {}, poseSkeleton(deformer.skeleton, roles, pose));
  return [{ pose: 'at rest', sourceCm2: rounded(skinThrough(a, aRest)), resultCm2: rounded(skinThrough(b, bRest)) }, ...poses.map((pose) => ({ pose: pose.name, sourceCm2: rounded(skinThrough(a, posed(a, aRoles, pose))), resultCm2: rounded(skinThrough(b, posed(b, bRoles, pose))) }))];
}

/** Triangles that can be seen, and those that clothes cover; a figure without clothes keeps all of them open. */
function sortOut(deformer: Deformer, rest: Float32Array, roles: ReturnType<typeof roleIndex>): { open: Uint32Array | undefined; covered: Uint32Array; hidden: Uint8Array } {
  const poses = RANGE_OF_MOTION.filter((pose) => SHOWING.includes(pose.name) && pose.turns.some((turn) => roles.has(turn.role)));
  const hidden = coveredTriangles(deformer, [rest, ...poses.map((pose) => deformer.evaluate(new Float32Array(rest.length), {}, poseSkeleton(deformer.skeleton, roles, pose)))]);
  const every = Uint32Array.from(hidden.keys()), covered = withMark(every, hidden, 1);
  return { open: covered.length && covered.length < hidden.length ? withMark(every, hidden, 0) : undefined, covered, hidden };
}

/** Those of `triangles` whose mark is `mark`. */
function withMark(triangles: Uint32Array, marks: Uint8Array, mark: 0 | 1): Uint32Array {
  const out = new Uint32Array(triangles.length);
  let n = 0;
  for (let i = 0; i < triangles.length; i++) if (marks[triangles[i]] === mark) out[n++] = triangles[i];
  return out.slice(0, n);
}

function areaShare(positions: Float32Array, indices: Uint32Array, some: Uint32Array): number {
  const area = (t: number) => triangleArea(positions, indices[t * 3], indices[t * 3 + 1], indices[t * 3 + 2]);
  let all = 0, part = 0;
  for (let t = 0; t < indices.length / 3; t++) all += area(t);
  for (const t of some) part += area(t);
  return all > 0 ? Math.round((part / all) * 1000) / 1000 : 0;
}

const partAt = (deformer: Deformer, triangle: number): string | undefined => deformer.ranges.find((range) => triangle < range.firstTriangle + range.triangles)?.part.name;

/** Millimetres per vertex, by part id. */
export type VertexDistances = Map<string, Float32Array>;
/** What the heat map shows. */
export interface HeatMap {
  source: VertexDistances;
  result: VertexDistances;
  /** Millimetres at the samples that can be seen, each for as much surface as any other: how much lies beyond a limit is their share. */
  open: { source: Float32Array; result: Float32Array };
}

/** Value of a place that clothes cover in every pose looked at: it is marked, not coloured. */
export const COVERED = -1;
/** Samples on each surface for the heat map. */
const HEAT_SAMPLES = 60_000;

/**
 * What the heat map on the stage is coloured by: every place of either figure has its own distance to the like part of
 * the other. Area-weighted samples are measured, and a vertex takes the mean of those around it, weighed by how near
 * they lie; a vertex that none came near is measured itself. So the share of a surface that is painted beyond a limit is
 * the share that lies beyond it. Vertices alone would show nothing: reduction leaves them where they were.
 */
export function deviationByVertex(source: Document, result: Document, pose?: Pose): HeatMap {
  const { leftOut = {} } = readDossier(result), a = createDeformer(source, (part) => leftOut[part.name] === undefined), b = createDeformer(result);
  const { aRoles, bRoles } = rolesToBend(source, a, result, b), alike = alikeParts(a, b, result);
  const placed = (deformer: Deformer, roles: typeof aRoles) => deformer.evaluate(new Float32Array(deformer.vertices * 3), {}, pose && poseSkeleton(deformer.skeleton, roles, pose));
  const restOf = (deformer: Deformer) => deformer.evaluate(new Float32Array(deformer.vertices * 3));
  const shapes = { a: new MeasuredSurface(placed(a, aRoles), a.indices, HEAT_SAMPLES, 1, undefined, { of: alike.source, count: alike.groups }), b: new MeasuredSurface(placed(b, bRoles), b.indices, HEAT_SAMPLES, 1, undefined, { of: alike.result, count: alike.groups }) };
  const painted = (deformer: Deformer, own: MeasuredSurface, other: MeasuredSurface, roles: typeof aRoles) => {
    const { hidden } = sortOut(deformer, restOf(deformer), roles), { values, samples } = meanAround(own, other, deformer.vertices), seen = new Uint8Array(deformer.vertices);
    for (let t = 0; t < hidden.length; t++) if (!hidden[t]) for (let k = 0; k < 3; k++) seen[deformer.indices[t * 3 + k]] = 1;
    for (let v = 0; v < values.length; v++) if (!seen[v]) values[v] = COVERED;
    return { map: new Map(deformer.ranges.map((range) => [range.part.id, values.slice(range.firstVertex, range.firstVertex + range.vertices)])), open: samples.filter((_, i) => !hidden[own.samples.triangle[i]]) };
  };
  const left = painted(a, shapes.a, shapes.b, aRoles), right = painted(b, shapes.b, shapes.a, bRoles);
  return { source: left.map, result: right.map, open: { source: left.open, result: right.open } };
}

/** Millimetres per vertex of `own`, and at its samples. */
function meanAround(own: MeasuredSurface, other: MeasuredSurface, vertices: number): { values: Float32Array; samples: Float32Array } {
  const points = own.locate(), { triangle, barycentric } = own.samples, { groupOf } = own.tree, sum = new Float64Array(vertices), weight = new Float64Array(vertices), samples = new Float32Array(triangle.length);
  let hint = -1;
  for (let i = 0; i < triangle.length; i++) {
    const t = triangle[i], v = barycentric[i * 2], w = barycentric[i * 2 + 1], d = other.tree.closest(groupOf[t], points[i * 3], points[i * 3 + 1], points[i * 3 + 2], hint) * 1000;
    hint = other.tree.hit.triangle;
    if (!Number.isFinite(d)) continue;
    samples[i] = d;
    [1 - v - w, v, w].forEach((share, k) => { const corner = own.indices[t * 3 + k]; sum[corner] += d * share; weight[corner] += share; });
  }
  const out = new Float32Array(vertices), at = own.corners();
  for (let t = 0; t < own.indices.length / 3; t++) for (let k = 0; k < 3; k++) {
    const corner = own.indices[t * 3 + k];
    if (weight[corner] > 0) { out[corner] = sum[corner] / weight[corner]; continue; }
    out[corner] = other.tree.closest(groupOf[t], at[corner * 3], at[corner * 3 + 1], at[corner * 3 + 2], hint) * 1000;
    weight[corner] = 1; sum[corner] = out[corner];
  }
  return { values: out, samples };
}
