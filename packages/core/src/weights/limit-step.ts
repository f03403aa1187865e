import * as v from 'valibot';
import type { Document, Primitive } from '@gltf-transform/core';
import {
  floatsOf,
  influencesMax,
  influencesOf,
  inverseBindsOf,
  listParts,
  skeletonOf,
  type Influences,
  writeInfluences,
} from '../character/index.ts';
import { multiply } from '../geometry/index.ts';
import { throwIfAborted, type Finding } from '../problem.ts';
import { jointRoles, poseSkeleton, RANGE_OF_MOTION, roleIndex } from '../rig/index.ts';
import { measure } from '../measures.ts';
import { worded } from '../settings.ts';
import { defineStep } from '../step.ts';
import { type Bending, bendingCost } from './bending.ts';
import { limitInfluences } from './limit.ts';
import { refitWeights } from './refit.ts';

/** Shifts below this in every pose are not worth repairing, millimetres. */
const TOLERANCE_MM = 0.2;

interface Limited {
  prim: Primitive;
  before: Influences;
  after: Influences;
  bending: Bending;
}

export const weightsStep = defineStep({
  id: 'weights.limit',
  station: 'weights',
  title: 'Limit influences',
  needs: ['K6'],
  settings: v.object({
    /** Influences per vertex; the target's number where not given. */
    max: worded(v.optional(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(64))), {
      title: 'Most influences on a vertex',
    }),
    /** Fit the weights that stay so that bending changes least. */
    repair: worded(v.optional(v.boolean(), true), { title: 'Fit the weights that stay' }),
  }),
  reads: (target) => target.influences,
  applies: (document) => document.getRoot().listSkins().length > 0,
  async run(document, settings, target, context) {
    const most = settings.max ?? target.influences.max;
    const poses = posesOf(document);
    let before = 0,
      changed = 0,
      vertices = 0,
      repaired = 0;
    const rows: Limited[] = [];
    for (const part of skinnedParts(document)) {
      const position = part.prim.getAttribute('POSITION'),
        influences = influencesOf(part.prim),
        skin = part.node.getSkin();
      if (!position || !influences || !skin) continue;
      before = Math.max(before, influencesMax(influences));
      vertices += part.vertices;
      const limited = limitInfluences(influences, most);
      changed += limited.changed.length;
      rows.push({
        prim: part.prim,
        before: influences,
        after: limited.influences,
        bending: {
          positions: floatsOf(position),
          vertices: limited.changed,
          poses: limited.changed.length ? poses(skin) : [],
        },
      });
    }
    const dropped = total(rows);
    if (settings.repair)
      for (const [i, row] of rows.entries()) {
        throwIfAborted(context.signal);
        context.progress(i / rows.length, 'fitting the weights that stay');
        const { perVertex } = bendingCost(row.bending, row.before, row.after);
        repaired += refitWeights(
          { ...row.bending, vertices: row.bending.vertices.filter((_, k) => perVertex[k] > TOLERANCE_MM) },
          row.before,
          row.after,
        );
      }
    const kept = total(rows);
    for (const row of rows) writeInfluences(document, row.prim, row.after);
    const findings: Finding[] = [];
    if (changed)
      findings.push({
        code: 'weights.limited',
        severity: kept.worstMm > 10 ? 'warning' : 'info',
        message: `${changed} vertices had more than ${most} influences; the worst moves ${kept.worstMm.toFixed(2)} mm in “${RANGE_OF_MOTION[kept.worstPose]?.name ?? 'rest'}”${repaired ? `, ${dropped.worstMm.toFixed(2)} mm before ${repaired} of them were fitted again` : ''}.`,
        measured: Math.round(kept.worstMm * 100) / 100,
        names: { pose: RANGE_OF_MOTION[kept.worstPose]?.name ?? '' },
      });
    const rms = (squares: number) => Math.sqrt(squares / Math.max(1, vertices * RANGE_OF_MOTION.length));
    const round = (x: number) => Math.round(x * 1000) / 1000;
    return {
      measures: [
        measure('influences', before, Math.min(before, most)),
        measure('vertices-over-the-limit', changed, 0),
        measure('largest-shift', 0, round(kept.worstMm)),
        measure('rms-shift', 0, round(rms(kept.squares))),
        measure('rms-shift-unfitted', 0, round(rms(dropped.squares))),
      ],
      findings,
    };
  },
});

/** Each skinned primitive once, with a part that shows it. */
function skinnedParts(document: Document) {
  const seen = new Set<Primitive>();
  return listParts(document).filter((part) => {
    if (!part.node.getSkin() || seen.has(part.prim)) return false;
    seen.add(part.prim);
    return true;
  });
}

/** Skinning matrices of the range-of-motion set for any skin of the document, made once per skin. */
function posesOf(
  document: Document,
): (skin: NonNullable<ReturnType<ReturnType<typeof listParts>[number]['node']['getSkin']>>) => Float64Array[] {
  // Made when the first vertex asks: most characters keep to the limit already.
  let posed: Float64Array[] | null = null;
  const skeleton = skeletonOf(document);
  const all = () => {
    const roles = roleIndex(jointRoles(document, skeleton));
    return RANGE_OF_MOTION.map((pose) => poseSkeleton(skeleton, roles, pose));
  };
  const made = new Map<unknown, Float64Array[]>();
  return (skin) => {
    let out = made.get(skin);
    if (!out) {
      const binds = inverseBindsOf(skin),
        joints = skin.listJoints().map((joint) => skeleton.index.get(joint) ?? 0);
      posed ??= all();
      out = posed.map((global) => {
        const matrices = new Float64Array(binds.length);
        joints.forEach((joint, j) => {
          multiply(matrices, j * 16, global, joint * 16, binds, j * 16);
        });
        return matrices;
      });
      made.set(skin, out);
    }
    return out;
  };
}

function total(rows: readonly Limited[]): { worstMm: number; worstPose: number; squares: number } {
  const sum = { worstMm: 0, worstPose: -1, squares: 0 };
  for (const row of rows) {
    const cost = bendingCost(row.bending, row.before, row.after);
    sum.squares += cost.squares;
    if (cost.worstMm > sum.worstMm) {
      sum.worstMm = cost.worstMm;
      sum.worstPose = cost.worstPose;
    }
  }
  return sum;
}
