import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { listMorphNames } from '../character/index.ts';
import { measure } from '../measures.ts';
import { type Finding, throwIfAborted } from '../problem.ts';
import { worded } from '../settings.ts';
import { defineStep, meant } from '../step.ts';
import { REGIONS } from './body-regions.ts';
import { regionShare } from './mix/region-share.ts';
import { BASE } from './fold.ts';
import { asymmetryOf } from './asymmetry.ts';
import { flipMorphs, mirrorMorphs, movedBy } from './mirror.ts';
import { mirrorBase } from './mirror-base.ts';
import { mirrorPairs, type MirrorPairs } from './mirror-pairs.ts';
import { type JointMoved, withJointsFollowing } from './refit-joints.ts';
import { flippedName, type Side } from './sides.ts';

const MirrorSettings = v.object({
  /** Morphs, or `base` for the shape at rest, of which one side is copied onto the other. */
  names: v.optional(v.union([v.literal(BASE), v.array(v.string())]), []),
  /** The side that is copied. */
  from: worded(v.optional(v.picklist(['left', 'right']), 'left'), {
    title: 'Copy',
    words: { left: 'Left onto right', right: 'Right onto left' },
  }),
  /** Morphs that also get a mirror image under the name of the other side. */
  flip: worded(v.optional(v.array(v.string()), []), { title: 'Mirrored', names: 'morph' }),
  /** Regions that it is kept to; all where none is named. */
  regions: v.optional(v.array(v.picklist(REGIONS)), []),
  /** Joints go along where the shape at rest changes. */
  joints: v.optional(v.boolean(), true),
});
type MirrorSettings = v.InferOutput<typeof MirrorSettings>;

const asked = ({ names, flip }: MirrorSettings): boolean => names.length > 0 || flip.length > 0;
/** Below this share of partners the two sides are not the same mesh, and most is guessed from the surface. */
const ENOUGH = 0.8;

export const mirrorStep = defineStep({
  id: 'morphs.mirror',
  station: 'morphs',
  title: 'Mirror',
  says: 'One side of morphs, or of the shape at rest, becomes the mirror image of the other; a morph of one side gets its counterpart.',
  needs: ['M3'],
  settings: MirrorSettings,
  reads: () => null,
  ...meant(asked, (document, settings) => carryOut(document, settings)),
  async run(document, settings, _target, context) {
    context.progress(0, 'pairing both sides');
    const before = listMorphNames(document).length,
      was = mirrorPairs(document);
    throwIfAborted(context.signal);
    context.progress(0.5, 'mirroring');
    const moved = settings.names === BASE ? undefined : movedBy(was, [...settings.names, ...settings.flip]),
      { joints, findings } = carryOut(document, settings, was),
      now = settings.names === BASE ? mirrorPairs(document) : was;
    const { rmsMm } = asymmetryOf(was),
      { paired } = asymmetryOf(was, moved);
    if (paired < ENOUGH)
      findings.push({
        code: 'morphs.few-partners',
        severity: 'warning',
        message: `Only ${Math.round(paired * 100)} % of the vertices ${settings.names === BASE ? '' : 'that move '}have a partner on the other side: the two sides are built differently there, and the rest is taken from the surface at the mirrored place. Look at both sides.`,
        measured: Math.round(paired * 100),
        limit: ENOUGH * 100,
        repair: 'morphs.mirror',
      });
    return {
      measures: [
        measure('vertices-paired', paired * 100, paired * 100),
        measure('asymmetry', rmsMm, asymmetryOf(now).rmsMm),
        measure('morph-targets', before, listMorphNames(document).length),
        ...(joints.length ? [measure('joints-refitted', 0, joints.length)] : []),
      ],
      findings,
    };
  },
});

function carryOut(
  document: Document,
  { names, from, flip, regions, joints: follow }: MirrorSettings,
  pairs: MirrorPairs = mirrorPairs(document),
): { joints: JointMoved[]; findings: Finding[] } {
  const have = new Set(listMorphNames(document)),
    findings: Finding[] = [],
    share = regions.length && names.length ? regionShare(document, regions) : null;
  let joints: JointMoved[] = [];
  if (names === BASE) {
    const mirror = () => mirrorBase(document, pairs, from as Side, share);
    if (follow) joints = withJointsFollowing(document, mirror);
    else mirror();
  } else {
    mirrorMorphs(
      document,
      pairs,
      names.filter((name) => have.has(name)),
      from,
      share,
    );
    for (const name of names.filter((each) => !have.has(each))) findings.push(missing(name));
  }
  const sided = flip.filter((name) => have.has(name) && flippedName(name) !== name);
  flipMorphs(document, pairs, sided);
  for (const name of flip.filter((each) => have.has(each) && flippedName(each) === each))
    findings.push({
      code: 'morphs.no-side',
      severity: 'warning',
      message: `Nothing in the name “${name}” says left or right, so its mirror image has no name. Copy one side onto the other instead, or rename it.`,
      where: name,
      repair: 'morphs.mirror',
    });
  return { joints, findings };
}

const missing = (name: string): Finding => ({
  code: 'recipe.unknown-name',
  severity: 'warning',
  message: `“Mirror” names the morph “${name}”, which the character doesn't have. That setting did nothing.`,
  where: name,
  repair: 'morphs.mirror',
});
