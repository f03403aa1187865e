import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { listMorphNames } from '../character/index.ts';
import { measure } from '../measures.ts';
import type { Finding } from '../problem.ts';
import { worded } from '../settings.ts';
import { defineStep, meant } from '../step.ts';
import { BASE, foldMorphs, type Folded } from './fold.ts';
import { dropMorphs } from './drop.ts';
import { type JointMoved, withJointsFollowing } from './refit-joints.ts';

const name = v.pipe(v.string(), v.trim(), v.minLength(1), v.maxLength(200)),
  /** Morph → weight; as far beyond what a dial shows as people ask for. */
  weights = v.record(v.string(), v.pipe(v.number(), v.finite(), v.minValue(-10), v.maxValue(10)));

const FoldSettings = v.object({
  /** Mix that becomes the shape at rest, or one morph: morph → weight. */
  fold: worded(v.optional(weights, {}), { title: 'Mix', names: 'morph' }),
  /** `base`, or the name of the morph that the mix becomes. */
  into: v.optional(name, BASE),
  /** Mixes that become one morph each. */
  mixes: v.optional(v.array(v.object({ name, weights })), []),
  /** What is folded stays as morphs of their own. */
  keep: worded(v.optional(v.boolean(), false), { title: 'Keep what is folded' }),
  /** Joints go along with the flesh around them. */
  joints: worded(v.optional(v.boolean(), true), { title: 'Joints follow the new shape' }),
});
type FoldSettings = v.InferOutput<typeof FoldSettings>;

const asked = ({ fold, mixes }: FoldSettings): boolean => Object.values(fold).some(Boolean) || mixes.length > 0;

export const foldStep = defineStep({
  id: 'morphs.fold',
  station: 'morphs',
  title: 'Fold a mix',
  says: 'The dialled mix becomes the shape at rest, or one morph of its own; what stays reaches the shapes it reached, and joints go along.',
  needs: ['M2', 'M7'],
  settings: FoldSettings,
  reads: () => null,
  ...meant(asked, carryOut),
  async run(document, settings) {
    const before = listMorphNames(document).length,
      { folded, joints, findings } = carryOut(document, settings);
    const clips = [...new Set(folded.flatMap((entry) => entry.clips))];
    if (clips.length)
      findings.push({
        code: 'morphs.clip-folded',
        severity: 'warning',
        message: `${clips.map((clip) => `“${clip}”`).join(', ')} ${clips.length === 1 ? 'plays a morph' : 'play morphs'} that ${clips.length === 1 ? 'is' : 'are'} folded and can't any more. Keep what is folded where clips need it.`,
        measured: clips.length,
        limit: 0,
      });
    return {
      measures: [
        measure('morph-targets', before, listMorphNames(document).length),
        measure('vertices-moved-at-rest', 0, Math.max(0, ...folded.map((entry) => entry.vertices))),
        measure('largest-movement', 0, Math.max(0, ...folded.map((entry) => entry.farthestMm))),
        ...(joints.length
          ? [
              measure('joints-refitted', 0, joints.length),
              measure('largest-joint-shift', 0, joints[0].mm, joints[0].joint),
            ]
          : []),
      ],
      findings,
    };
  },
});

function carryOut(
  document: Document,
  settings: FoldSettings,
): { folded: Folded[]; joints: JointMoved[]; findings: Finding[] } {
  const { fold, into, mixes, keep } = settings,
    findings: Finding[] = [],
    folded: Folded[] = [];
  const free = (to: string, of: Readonly<Record<string, number>>): boolean => {
    if (to === BASE || to in of || !listMorphNames(document).includes(to)) return true;
    findings.push({
      code: 'morphs.name-taken',
      severity: 'warning',
      message: `There is a morph “${to}” already, and the mix doesn't hold it. Give the mix another name; it was not folded.`,
      where: to,
      repair: 'morphs.fold',
    });
    return false;
  };
  // Every mix is made of the morphs as they came, so that one doesn't take away what the next is made of.
  for (const mix of mixes)
    if (free(mix.name, mix.weights))
      folded.push(foldMorphs(document, { weights: mix.weights, into: mix.name, keep: true }));
  const made = new Set(mixes.map((mix) => mix.name));
  const foldOne = () => folded.push(foldMorphs(document, { weights: fold, into, keep }));
  let joints: JointMoved[] = [];
  if (Object.values(fold).some(Boolean) && free(into, fold)) {
    if (into === BASE && settings.joints) joints = withJointsFollowing(document, foldOne);
    else foldOne();
  }
  if (!keep)
    dropMorphs(document, new Set(mixes.flatMap((mix) => Object.keys(mix.weights)).filter((each) => !made.has(each))));
  return { folded, joints, findings };
}
