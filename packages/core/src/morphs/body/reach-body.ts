import type { Document } from '@gltf-transform/core';
import { listMorphNames, listParts } from '../../character/index.ts';
import { heightOf } from '../../geometry/index.ts';
import { measureStance } from '../../rig/index.ts';
import { deltaOf, putDelta } from '../deltas.ts';
import { BASE, foldMorphs } from '../fold.ts';
import { intoCharacter, intoMesh } from '../frames.ts';
import { type PreparedFigure, prepareFigure } from '../mix/prepare.ts';
import { goAlong } from '../mix/go-along.ts';
import { ownPerson } from '../mix/people.ts';
import { moveVertices } from '../move-vertices.ts';
import { type JointMoved, moveJoints, withJointsFollowing } from '../refit-joints.ts';
import { putMorph } from '../rewrite.ts';
import { inMesh, movementOf, targetOf } from '../standing.ts';
import { findBuild } from './find-build.ts';
import type { BodyScale } from './bone-maps.ts';
import { scaleBones, type Scaled } from './scale-bones.ts';

export interface BodyWanted {
  /** Centimetres. */
  heightCm?: number;
  /** −1 slight … 1 heavy. */
  build?: number;
}
export interface BodyReached {
  /** Centimetres, before and after. */
  height: [number, number];
  /** Own morphs that were used, with their weights. */
  morphs: Record<string, number>;
  /** How bones were drawn out; null where they were not. */
  scale: BodyScale | null;
  joints: JointMoved[];
}

/** A morph isn't dialled further than this: beyond it, it was never meant to be seen. */
const MOST = 1.25;
/** Nearer than this to the height that is asked, nothing is scaled any more, centimetres. */
const CLOSE_CM = 0.05;
/** How much broader flesh is at the end of a build that no morph makes. */
const FLESH = 0.12;

/**
 * Brings a body to a height and a build: by the character's own morphs as far as they go, else by drawing it out along its
 * bones; hands, feet and head keep their size, and what is worn goes along. Changes `document`.
 */
export function reachBody(document: Document, wanted: BodyWanted, stop: () => void = () => {}): BodyReached {
  const before = measureStance(document).heightCm,
    out: BodyReached = { height: [before, before], morphs: {}, scale: null, joints: [] };
  const { weights, flesh } = byMorphs(document, wanted, before, stop);
  out.morphs = weights;
  if (Object.keys(weights).length)
    out.joints = withJointsFollowing(document, () => foldMorphs(document, { weights, into: BASE, keep: true }));
  stop();
  const now = measureStance(document).heightCm,
    goal = wanted.heightCm ?? now;
  if (flesh !== 1 || Math.abs(goal - now) > CLOSE_CM) {
    const figure = prepareFigure(ownPerson(document)),
      scale = scaleFor(figure, goal / now, flesh);
    out.scale = scale;
    out.joints = together(out.joints, putScaled(document, figure, scaleBones(figure, scale)));
  }
  out.height[1] = measureStance(document).heightCm;
  return out;
}

/** Weights of own morphs, put where parts have none of them; and how much flesh is to be made without one. */
function byMorphs(
  document: Document,
  { heightCm, build = 0 }: BodyWanted,
  before: number,
  stop: () => void,
): { weights: Record<string, number>; flesh: number } {
  const weights: Record<string, number> = {};
  if (!listMorphNames(document).length) return { weights, flesh: 1 + FLESH * build };
  const figure = prepareFigure(ownPerson(document)),
    { own } = figure,
    { tall, heavy, slight } = findBuild(own),
    filled = build > 0 ? (heavy ?? slight) : (slight ?? heavy),
    sign = filled === heavy ? 1 : -1;
  stop();
  const made = build && filled ? wholeMovement(document, figure, filled) : null;
  if (made && filled) weights[filled] = Math.round(sign * build * 1000) / 1000;
  if (heightCm !== undefined && tall) {
    const grows = wholeMovement(document, figure, tall.name),
      w = made && filled ? weights[filled] : 0,
      height = (t: number) =>
        (heightOf(own.rest.map((value, k) => value + t * grows[k] + (made ? w * made[k] : 0))) / heightOf(own.rest)) *
        before;
    // Nearly a straight line: two looks find it.
    let t = 0;
    for (let look = 0; look < 3; look++) {
      const step = 0.05,
        slope = (height(t + step) - height(t)) / step;
      if (Math.abs(slope) > 1e-3) t = Math.min(MOST, Math.max(-MOST, t + (heightCm - height(t)) / slope));
    }
    if (Math.abs(t) > 1e-4) weights[tall.name] = t;
  }
  return { weights, flesh: build && !filled ? 1 + FLESH * build : 1 };
}

/** What a morph moves in full, with all that has nothing of it going along; such parts get the morph. */
function wholeMovement(document: Document, figure: PreparedFigure, name: string): Float32Array {
  const { own } = figure,
    moved = movementOf(own, name) ?? new Float32Array(own.rest.length),
    has = own.sheets.map((sheet) => deltaOf(targetOf(sheet, name), 'POSITION')?.some(Boolean) ?? false);
  goAlong(figure, moved, (i) => has[i]);
  own.sheets.forEach((sheet, i) => {
    if (has[i] || !figure.on[i]) return;
    const target = document.createPrimitiveTarget(name);
    putDelta(document, target, 'POSITION', inMesh(sheet, moved));
    putMorph(document, sheet.part.mesh, name, (prim) => (prim === sheet.part.prim ? target : undefined));
  });
  return moved;
}

/** The scale that makes a body `times` as tall: broader by half as much, as people are. */
function scaleFor(figure: PreparedFigure, times: number, flesh: number): BodyScale {
  const { rest } = figure.own,
    of = (along: number): BodyScale => ({ along, across: Math.sqrt(along), flesh }),
    height = (along: number) => {
      const { moved } = scaleBones(figure, of(along));
      return heightOf(rest.map((value, k) => value + moved[k])) / heightOf(rest);
    };
  let along = times;
  // Head and feet keep their size: legs and trunk have to make up for them.
  for (let look = 0; look < 3 && Math.abs(height(along) - times) > 1e-5; look++) {
    const slope = (height(along) - height(along * 0.99)) / (along * 0.01);
    along = Math.min(2, Math.max(0.4, along + (times - height(along)) / (slope || 1)));
  }
  return of(along);
}

function putScaled(document: Document, { own }: PreparedFigure, { moved, shifts, linear }: Scaled): JointMoved[] {
  const d = new Float64Array(3),
    parts = listParts(document);
  for (const sheet of own.sheets) {
    // A mesh under several nodes is turned once.
    if (parts.find(({ prim }) => prim === sheet.part.prim)?.id !== sheet.part.id) continue;
    for (const target of sheet.part.prim.listTargets()) {
      const delta = deltaOf(target, 'POSITION')?.slice();
      if (!delta) continue;
      for (let v = 0; v < sheet.vertices; v++) {
        const o = v * 3,
          m = (sheet.first + v) * 9;
        if (!linear[m]) continue;
        intoCharacter(d, sheet.frames, v, delta[o], delta[o + 1], delta[o + 2]);
        const [x, y, z] = d;
        for (let r = 0; r < 3; r++)
          d[r] = linear[m + r * 3] * x + linear[m + r * 3 + 1] * y + linear[m + r * 3 + 2] * z;
        intoMesh(d, sheet.frames, v);
        delta.set(d, o);
      }
      putDelta(document, target, 'POSITION', delta);
    }
  }
  moveVertices(document, own.sheets, moved);
  return moveJoints(document, own.skeleton, shifts);
}

/** Two movements of joints one after the other, at most as far as both. */
function together(first: readonly JointMoved[], second: readonly JointMoved[]): JointMoved[] {
  const sum = new Map(first.map(({ joint, mm }) => [joint, mm]));
  for (const { joint, mm } of second) sum.set(joint, (sum.get(joint) ?? 0) + mm);
  return [...sum].map(([joint, mm]) => ({ joint, mm })).sort((a, b) => b.mm - a.mm || (a.joint < b.joint ? -1 : 1));
}
