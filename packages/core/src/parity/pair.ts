import type { Document } from '@gltf-transform/core';
import { createDeformer, readDossier, type Deformer } from '../character/index.ts';
import { jointRoles, poseSkeleton, RANGE_OF_MOTION, roleIndex, rolesFromSource, type Pose } from '../rig/index.ts';
import { type Alike, alikeParts } from './alike.ts';
import { coveredTriangles } from './covered.ts';
import { type DrawnFigure, drawnFigure } from './drawn.ts';

export type RolesToBend = ReturnType<typeof roleIndex>;

/** One of two figures that are compared. */
export interface Side {
  deformer: Deformer;
  figure: DrawnFigure;
  /** Which joint bends for each role of the source. */
  roles: RolesToBend;
  /** Group of each triangle, see {@link Alike}. */
  groups: Uint16Array;
}

/** Two figures made ready to be compared: what was left out on purpose is gone, joints have met by role and parts by origin. */
export interface Pair {
  source: Side;
  result: Side;
  sourceDocument: Document;
  resultDocument: Document;
  alike: Alike;
}

export function pairUp(source: Document, result: Document): Pair {
  const { leftOut = {}, joinedParts = {}, renamedJoints } = readDossier(result),
    a = createDeformer(source, ({ name }) => leftOut[joinedParts[name] ?? name] === undefined),
    b = createDeformer(result);
  const aRoles = roleIndex(jointRoles(source, a.skeleton));
  const bRoles = rolesFromSource(
    { skeleton: a.skeleton, roles: aRoles },
    { skeleton: b.skeleton, roles: roleIndex(jointRoles(result, b.skeleton)) },
    renamedJoints,
  );
  const alike = alikeParts(a, b, result);
  return {
    source: { deformer: a, figure: drawnFigure(a), roles: aRoles, groups: alike.source },
    result: { deformer: b, figure: drawnFigure(b), roles: bRoles, groups: alike.result },
    sourceDocument: source,
    resultDocument: result,
    alike,
  };
}

/** Positions of a side at rest, or in a pose. */
export const shapeOf = (
  { deformer, roles }: Side,
  pose?: Pose,
  out: Float32Array = new Float32Array(deformer.vertices * 3),
): Float32Array => deformer.evaluate(out, {}, pose && poseSkeleton(deformer.skeleton, roles, pose));

/** Poses that show what lies under hems and cuffs. */
const SHOWING = ['arms raised', 'squat', 'bent forward'];

/** A side at rest and in the poses that show what clothes cover; `names` says which. */
export interface Showing {
  names: string[];
  shapes: { source: Float32Array[]; result: Float32Array[] };
}

/**
 * @param still two figures that nothing poses are only looked at as they stand
 * @param room makes the arrays that shapes are written to
 */
export function showing(
  { source, result }: Pair,
  still = false,
  room: (length: number) => Float32Array = (length) => new Float32Array(length),
): Showing {
  const poses = still
      ? []
      : RANGE_OF_MOTION.filter(
          (pose) => SHOWING.includes(pose.name) && pose.turns.some((turn) => source.roles.has(turn.role)),
        ),
    all = [undefined, ...poses],
    shapesOf = (side: Side) => all.map((pose) => shapeOf(side, pose, room(side.deformer.vertices * 3)));
  return {
    names: ['at rest', ...poses.map((pose) => pose.name)],
    shapes: { source: shapesOf(source), result: shapesOf(result) },
  };
}

/** Which triangles of a side clothes cover in all shapes, 1 for each. */
export const hiddenOf = ({ figure }: Side, shapes: readonly Float32Array[]): Uint8Array =>
  coveredTriangles(figure, shapes);

/** Triangles that can be seen in some shape, and those that clothes cover in all; a figure without clothes keeps all of them open. */
export function sortOut(hidden: Uint8Array): { open: Uint32Array | undefined; covered: Uint32Array } {
  const every = Uint32Array.from(hidden.keys()),
    covered = withMark(every, hidden, 1);
  return {
    open: covered.length && covered.length < hidden.length ? withMark(every, hidden, 0) : undefined,
    covered,
  };
}

/** Those of `triangles` whose mark is `mark`. */
export function withMark(triangles: Uint32Array, marks: Uint8Array, mark: 0 | 1): Uint32Array {
  const out = new Uint32Array(triangles.length);
  let n = 0;
  for (let i = 0; i < triangles.length; i++) if (marks[triangles[i]] === mark) out[n++] = triangles[i];
  return out.slice(0, n);
}
