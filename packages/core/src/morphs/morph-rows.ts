import type { Document } from '@gltf-transform/core';
import { isHumanoidRole, wordsOf } from '../character/index.ts';
import { bodyRegions, FACE_REGIONS, REGIONS, type Region } from './body-regions.ts';
import { type MorphCost, morphCosts } from './cost.ts';
import { jointShifts, learnJoints } from './joint-stencils.ts';
import { MORPH_WORDS, type MorphKind } from './morph-words.ts';
import { movementOf } from './standing.ts';
import { duplicatesAmong } from './tidy.ts';

/** Where a morph moves the body: one region, the face in several of its regions, or the figure as a whole; `nowhere` for none. */
export type MorphGroup = Region | 'face' | 'whole' | 'nowhere';
export const MORPH_GROUPS: readonly MorphGroup[] = ['whole', 'face', ...REGIONS, 'nowhere'];

export interface MorphRow extends MorphCost {
  group: MorphGroup;
  kind: MorphKind;
  /** Joints of the body whose centres leave the shape by over a millimetre, farthest first; those of the face go where it goes. */
  movesJoints: string[];
  /** An earlier morph of the same shape. */
  sameAs?: string;
}

/** A centre of a joint that goes further than this has left the shape, metres. */
const LEAVES = 1e-3;
/** Share of a morph's movement that makes it one region's. */
const MOSTLY = 0.6;

/** All that can be said of the morphs of a character that stands, in metres, before any is touched (M1, M2). */
export function morphRows(document: Document): MorphRow[] {
  const costs = morphCosts(document);
  if (!costs.length) return [];
  const figure = learnJoints(document),
    { deformer, rest, roles, stencils } = figure,
    regions = bodyRegions(document, deformer, rest),
    area = areaAround(rest, deformer.indices),
    ofBody = roles.map((role) => (isHumanoidRole(role) && role !== 'jaw') || role === 'twist' || role === 'helper'),
    twins = new Map(
      duplicatesAmong(
        document,
        costs.filter(({ moves }) => moves > 0).map(({ name }) => name),
      ).map(({ name, of }) => [name, of]),
    ),
    moved = new Float32Array(rest.length);
  return costs.map((cost) => {
    movementOf(figure, cost.name, 'POSITION', moved);
    const shifts = jointShifts(stencils, deformer.skeleton, moved),
      group = groupOf(moved, regions, area),
      sameAs = twins.get(cost.name);
    return {
      ...cost,
      group,
      kind: kindOfMorph(cost.name, group),
      movesJoints: leaving(shifts, deformer.skeleton.joints, ofBody),
      ...(sameAs && { sameAs }),
    };
  });
}

function leaving(shifts: Float64Array, joints: readonly { getName(): string }[], ofBody: readonly boolean[]): string[] {
  return joints
    .map((joint, j) => ({
      name: joint.getName(),
      far: Math.hypot(shifts[j * 3], shifts[j * 3 + 1], shifts[j * 3 + 2]),
    }))
    .filter(({ far }, j) => far > LEAVES && ofBody[j])
    .sort((a, b) => b.far - a.far || (a.name < b.name ? -1 : 1))
    .map(({ name }) => name);
}

const ON_HEAD: readonly MorphGroup[] = ['face', 'skull', 'ears', ...FACE_REGIONS];

/** The region that most of the movement lies in; several of the face are the face, of the body the whole. */
function groupOf(moved: Float32Array, regions: Uint8Array, area: Float64Array): MorphGroup {
  const sums = new Float64Array(REGIONS.length);
  for (let v = 0, i = 0; v < regions.length; v++, i += 3) {
    const square = moved[i] * moved[i] + moved[i + 1] * moved[i + 1] + moved[i + 2] * moved[i + 2];
    if (square > 0) sums[regions[v]] += Math.sqrt(square) * area[v];
  }
  const all = sums.reduce((sum, value) => sum + value, 0);
  if (!all) return 'nowhere';
  const best = sums.indexOf(Math.max(...sums));
  if (sums[best] >= MOSTLY * all) return REGIONS[best];
  const inFace = FACE_REGIONS.reduce((sum, region) => sum + sums[REGIONS.indexOf(region)], 0),
    onHead = inFace + sums[REGIONS.indexOf('skull')] + sums[REGIONS.indexOf('ears')];
  if (onHead >= 0.8 * all) return sums[best] >= 0.45 * all && inFace >= 0.8 * all ? REGIONS[best] : 'face';
  return 'whole';
}

/** Area of the triangles around each vertex, a third each: a finely built mouth counts for no more than a plain cheek. */
function areaAround(rest: Float32Array, indices: Uint32Array): Float64Array {
  const out = new Float64Array(rest.length / 3);
  for (let t = 0; t + 2 < indices.length; t += 3) {
    const [a, b, c] = [indices[t] * 3, indices[t + 1] * 3, indices[t + 2] * 3],
      [ux, uy, uz] = [rest[b] - rest[a], rest[b + 1] - rest[a + 1], rest[b + 2] - rest[a + 2]],
      [vx, vy, vz] = [rest[c] - rest[a], rest[c + 1] - rest[a + 1], rest[c + 2] - rest[a + 2]],
      area = Math.hypot(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx) / 6;
    for (let k = 0; k < 3; k++) out[indices[t + k]] += area;
  }
  return out;
}

/** What a morph is for: by the words of its name, else by where it moves the body. */
export function kindOfMorph(name: string, group: MorphGroup): MorphKind {
  const words = wordsOf(name);
  for (const [kind, pattern] of MORPH_WORDS)
    if (words.some((word) => pattern.test(word)))
      // A heavy brow is nobody's build.
      return kind === 'build' && ON_HEAD.includes(group) ? 'identity' : kind;
  if (group === 'whole' || group === 'torso') return 'build';
  if (['arms', 'legs', 'hands', 'feet', 'neck'].includes(group))
    return words.some((word) => /^\d+$/.test(word)) ? 'corrective' : 'build';
  if (['brow', 'eyes', 'mouth', 'face'].includes(group)) return 'expression';
  return ['nose', 'ears', 'skull', 'jaw', 'cheeks'].includes(group) ? 'identity' : 'other';
}
