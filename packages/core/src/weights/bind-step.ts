import type { Document, Node, Skin } from '@gltf-transform/core';
import * as v from 'valibot';
import {
  bindWhereJointsStand,
  jointsApart,
  listParts,
  readDossier,
  skeletonOf,
  updateDossier,
  type Skeleton,
  bakePlaces,
  writeInfluences,
} from '../character/index.ts';
import { emptyBounds, growBounds } from '../geometry/index.ts';
import { type Finding, throwIfAborted } from '../problem.ts';
import { jointRoles, roleIndex } from '../rig/index.ts';
import { measure } from '../measures.ts';
import { worded } from '../settings.ts';
import { defineStep } from '../step.ts';
import { bindThroughVoxels, firstAtPlace } from './bind-voxels.ts';
import { type Body, gatherBody } from './bind/body.ts';
import { bonesOf } from './bind/bones.ts';
import { easeStretch } from './bind/ease-stretch.ts';
import { followWhole } from './bind/follow-whole.ts';
import { mayFollow } from './bind/may-follow.ts';
import { placeSkeleton } from './bind/place-skeleton.ts';
import { rangeOfMotion, stretchedShare } from './bind/stretched-share.ts';
import { fitSkeleton } from './fit-skeleton.ts';
import { voxelise } from '../geometry/index.ts';

/** Voxels along a figure's height: about a centimetre and a quarter for an adult. */
const ACROSS = 144;

export const bindStep = defineStep({
  id: 'weights.bind',
  station: 'weights',
  title: 'Bind mesh and skeleton',
  says: 'Mesh and skeleton came in files of their own, or the skeleton was made here. It is scaled, placed and its arms turned until it lies in the mesh; weights follow distances measured through the body.',
  needs: ['I8', 'K6'],
  settings: v.object({
    /** How fast a joint's influence falls with distance: low is soft, high is stiff. */
    falloff: worded(v.optional(v.pipe(v.number(), v.minValue(2), v.maxValue(12)), 6), {
      title: 'Falloff, soft 2 to stiff 12',
      step: 0.5,
    }),
    influences: worded(v.optional(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(16)), 8), {
      title: 'Influences on a vertex',
    }),
  }),
  givesWeights: true,
  reads: () => null,
  applies: (document) => looseJoints(document).length > 0,
  async run(document, settings, _target, context) {
    const findings: Finding[] = [],
      nodes = looseJoints(document),
      skin = document.createSkin('skin');
    for (const node of nodes) skin.addJoint(node);
    const skeleton = skeletonOf(document),
      roles = jointRoles(document, skeleton),
      parts = listParts(document).filter((part) => !part.node.getSkin() && part.triangles);
    const free = bakePlaces(document, parts);
    const body = gatherBody(parts),
      bounds = growBounds(emptyBounds(), body.positions),
      height = bounds.max[1] - bounds.min[1];
    context.progress(0.05, 'measuring the body');
    const stands = readDossier(document).apart?.placed === true,
      fit = stands
        ? null
        : fitSkeleton(skeleton, roleIndex(roles), voxelise(body.positions, body.indices, ACROSS), height);
    if (!fit && !stands) {
      skin.dispose();
      findings.push({
        code: 'weights.no-fit',
        severity: 'error',
        message:
          "The skeleton that came apart from the mesh can't be placed in it: hips, head or legs were not recognised in it. Send the figure with its skeleton in one file.",
        repair: 'weights.bind',
      });
      return { measures: [], findings };
    }
    if (fit) placeSkeleton(document, skeleton, fit);
    const placed = skeletonOf(document),
      { bones, joints } = bonesOf(placed, roles, height);
    throwIfAborted(context.signal);
    const influences = bindThroughVoxels(body.positions, body.indices, bones, {
      across: ACROSS,
      falloff: settings.falloff,
      most: settings.influences,
      allowed: mayFollow(placed, roles, bones, body, height, joints),
      progress: (share) => context.progress(0.1 + 0.7 * share, 'measuring distances through the body'),
    });
    for (let k = 0; k < influences.joints.length; k++) influences.joints[k] = joints[influences.joints[k]];
    bindSkin(document, skin, placed);
    const rows = ({ first, count }: Body['ranges'][number], take: 'slice' | 'subarray') => ({
      perVertex: influences.perVertex,
      joints: influences.joints[take](first * influences.perVertex, (first + count) * influences.perVertex),
      weights: influences.weights[take](first * influences.perVertex, (first + count) * influences.perVertex),
    });
    for (const range of body.ranges) followWhole(range.part, rows(range, 'subarray'), placed, roles);
    context.progress(0.8, 'evening out where bending tears');
    const eased = easeStretch(body, influences, firstAtPlace(body.positions), rangeOfMotion(placed, roles));
    for (const range of body.ranges) {
      writeInfluences(document, range.part.prim, rows(range, 'slice'));
      free.get(range.part)?.setSkin(skin);
    }
    updateDossier(document, { apart: undefined });
    context.progress(0.85, 'bending to judge');
    const stretched = stretchedShare(document);
    if (fit?.arms)
      findings.push({
        code: 'weights.arms-fitted',
        severity: 'info',
        message: `The skeleton's arms were turned ${Math.abs(fit.arms)}° ${fit.arms > 0 ? 'up' : 'down'} to lie in the mesh.`,
        measured: Math.abs(fit.arms),
      });
    if (fit && fit.inside < 0.6)
      findings.push({
        code: 'weights.poor-fit',
        severity: 'warning',
        message: `Only ${Math.round(fit.inside * 100)} % of the arms' length lies inside the mesh: look at the elbows and hands when they bend.`,
        measured: Math.round(fit.inside * 100),
        limit: 60,
      });
    return {
      measures: [
        measure('parts-bound', 0, parts.length),
        ...(fit ? [measure('skeleton-scale', 1, fit.scale), measure('arms-raised', 0, fit.arms)] : []),
        measure('vertices-evened-out', 0, eased),
        measure('edges-stretched', 0, stretched),
      ],
      findings,
    };
  },
});

/** Joints of a skeleton that came without a mesh; none where the mesh has one of its own. */
const looseJoints = (document: Document): Node[] =>
  document
    .getRoot()
    .listNodes()
    .some((node) => node.getMesh() && node.getSkin())
    ? []
    : jointsApart(document);

function bindSkin(document: Document, skin: Skin, skeleton: Skeleton): void {
  for (const joint of skin.listJoints()) skin.removeJoint(joint);
  for (const joint of skeleton.joints) skin.addJoint(joint);
  bindWhereJointsStand(document, skin, skeleton);
}
