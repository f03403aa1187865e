import type { Document } from '@gltf-transform/core';
import { createDeformer, listMorphNames, readDossier, type Deformer } from '../character/index.ts';
import { triangleArea } from '../geometry/index.ts';
import { jointRoles, poseSkeleton, RANGE_OF_MOTION, roleIndex, rolesFromSource, type Pose } from '../skeleton/index.ts';
import { type StopSignal, throwIfAborted } from '../problem.ts';
import type { ImageCodec } from '../textures/index.ts';
import { colorDifference, createColorSampler, lookOnce } from './appearance.ts';
import { coveredTriangles } from './covered.ts';
import { compareInventory, type Inventory } from './inventory.ts';
import { type Distance, distanceWithin, MeasuredSurface, surfaceDistance } from './surface-distance.ts';

export interface ParityRow {
  name: string;
  rmsMm: number;
  p99Mm: number;
  maxMm: number;
  /** Part in which the largest distance lies. */
  where?: string;
}

export interface Parity {
  schema: 1;
  samples: number;
  /** What can be seen; `covered`: what clothes cover in every pose looked at, and its share of the source's area, 0 … 1. */
  shape: { rest: Omit<ParityRow, 'name'>; morphs: ParityRow[]; poses: ParityRow[]; covered?: Omit<ParityRow, 'name'> & { share: number } };
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

/**
 * How far `result` is from `source`: at rest, in every morph both have (there where it moves something), in the poses of the range-of-motion set,
 * taken through joint roles, so that names and orientations may differ. A character against itself gives zeros.
 */
export async function compareCharacters(source: Document, result: Document, options: Partial<ParityOptions> = {}): Promise<Parity> {
  const { samples = 20_000, seed = 1, images, progress = () => {}, signal } = options;
  progress(0, 'finding what can be seen');
  const a = createDeformer(source), b = createDeformer(result);
  // Images are decoded beside the measuring.
  const look = images && lookOnce(images), colors = look && Promise.all([createColorSampler(source, a, look), createColorSampler(result, b, look)]);
  // It is awaited further down; a measurement that stops before must not leave its failure to nobody.
  colors?.catch(() => {});
  const aRest = a.evaluate(new Float32Array(a.vertices * 3)), bRest = b.evaluate(new Float32Array(b.vertices * 3));
  const { aRoles, bRoles } = rolesToBend(source, a, result, b);
  const aCover = sortOut(a, aRest, aRoles), bCover = sortOut(b, bRest, bRoles);
  const aShape = new MeasuredSurface(aRest, a.indices, samples, seed, aCover.open), bShape = new MeasuredSurface(bRest, b.indices, samples, seed, bCover.open);
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
  const baseColorDeltaE = colors ? colorDifference(aShape, bShape, ...(await colors)) : { mean: 0, p99: 0 };

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
  // A source whose mesh follows no joint can't be bent to compare with.
  const bends = a.ranges.some((range) => range.part.node.getSkin());
  const poses = RANGE_OF_MOTION.filter((pose) => bends && pose.turns.some((turn) => aRoles.has(turn.role))).map((pose, i) => {
    progress(0.2 + (0.8 * (names.length + i)) / total, `measuring pose ${pose.name}`);
    a.evaluate(aNow, {}, poseSkeleton(a.skeleton, aRoles, pose));
    b.evaluate(bNow, {}, poseSkeleton(b.skeleton, bRoles, pose));
    return measure(pose.name);
  });
  return { schema: 1, samples, shape: { rest, morphs, poses, ...(covered ? { covered } : {}) }, appearance: { baseColorDeltaE }, inventory: compareInventory(source, result) };
}

/** Which joint of either bends for each role of the source. */
function rolesToBend(source: Document, a: Deformer, result: Document, b: Deformer) {
  const aRoles = roleIndex(jointRoles(source, a.skeleton));
  return { aRoles, bRoles: rolesFromSource({ skeleton: a.skeleton, roles: aRoles }, { skeleton: b.skeleton, roles: roleIndex(jointRoles(result, b.skeleton)) }, readDossier(result).renamedJoints) };
}

const without = ({ name: _, ...rest }: ParityRow): Omit<ParityRow, 'name'> => rest;

/** Poses that show what lies under hems and cuffs. */
const SHOWING = ['arms raised', 'squat', 'bent forward'];

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

/**
 * What the heat map on the stage is coloured by. Every vertex of `source` gets its distance to the surface of
 * `result`; every vertex of `result` the largest distance of a source vertex that lies nearest to one of its
 * triangles. Measuring the result's own vertices would show nothing: reduction leaves them where they were.
 */
export function deviationByVertex(source: Document, result: Document, pose?: Pose): { source: VertexDistances; result: VertexDistances } {
  const a = createDeformer(source), b = createDeformer(result);
  const { aRoles, bRoles } = rolesToBend(source, a, result, b);
  const aNow = a.evaluate(new Float32Array(a.vertices * 3), {}, pose && poseSkeleton(a.skeleton, aRoles, pose)), bNow = b.evaluate(new Float32Array(b.vertices * 3), {}, pose && poseSkeleton(b.skeleton, bRoles, pose));
  const { tree } = new MeasuredSurface(bNow, b.indices, 0, 1);
  const own = new Float32Array(a.vertices), carried = new Float32Array(b.vertices);
  let hint = -1;
  for (let i = 0; i < a.vertices; i++) {
    own[i] = tree.closest(aNow[i * 3], aNow[i * 3 + 1], aNow[i * 3 + 2], hint) * 1000;
    hint = tree.hit.triangle;
    for (let k = 0; hint >= 0 && k < 3; k++) { const corner = b.indices[hint * 3 + k]; if (own[i] > carried[corner]) carried[corner] = own[i]; }
  }
  const split = (deformer: Deformer, values: Float32Array): VertexDistances => new Map(deformer.ranges.map((range) => [range.part.id, values.slice(range.firstVertex, range.firstVertex + range.vertices)]));
  return { source: split(a, own), result: split(b, carried) };
}
