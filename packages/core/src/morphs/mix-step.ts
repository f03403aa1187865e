import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { listMorphNames } from '../character/index.ts';
import { measure } from '../measures.ts';
import { throwIfAborted } from '../problem.ts';
import { worded } from '../settings.ts';
import { defineStep, otherCharacter, type StepContext } from '../step.ts';
import { REGIONS } from './body-regions.ts';
import { type MixDone, type MixedIn, mixInto } from './mix/mix.ts';
import { type MapsMixed, mixMaps } from './mix/mix-maps.ts';
import { refuseOthers } from './mix/refuse.ts';
import { toldOfMaps, toldOfParts } from './mix/told.ts';

const weight = v.pipe(v.number(), v.finite(), v.minValue(0), v.maxValue(1));
/** As many figures beside the own one: what is smoothed over cloth takes three numbers a vertex. */
const MOST = 2;

const MixSettings = v.object({
  /** Figures of the same topology, with the weight of each by region; `all` for regions that are not named. */
  with: v.optional(
    v.pipe(
      v.array(
        v.object({
          /** As the application or the command line names it. */
          character: v.pipe(v.string(), v.minLength(1), v.maxLength(500)),
          weights: v.record(v.picklist([...REGIONS, 'all']), weight),
        }),
      ),
      v.maxLength(MOST),
    ),
    [],
  ),
  /** How far a region reaches over its border: 1 for 8 mm on the face and 4 cm on the body. */
  softness: worded(v.optional(v.pipe(v.number(), v.minValue(0.2), v.maxValue(4)), 1), {
    title: 'Softness of borders',
    step: 0.2,
  }),
  /** Colours of the skin stay, mix by the mean of all weights, or as the shape does. */
  maps: worded(v.optional(v.picklist(['stay', 'whole', 'regions']), 'stay'), {
    title: 'Colours of the skin',
    words: { stay: 'Stay', whole: 'Mix as a whole', regions: 'Mix region by region' },
  }),
  joints: worded(v.optional(v.boolean(), true), { title: 'Joints follow the new shape' }),
});
type MixSettings = v.InferOutput<typeof MixSettings>;

/** Figures that have any weight. */
const asked = (settings: MixSettings) =>
  settings.with.filter(({ weights }) => Object.values(weights).some((value) => value > 0));

export const mixStep = defineStep({
  id: 'morphs.mix',
  station: 'morphs',
  title: 'Mix people',
  says: 'Two or three figures of one topology become one, region by region; joints, morphs, eyes, teeth, hair and clothes go along.',
  needs: ['M4'],
  settings: MixSettings,
  reads: () => null,
  applies: (_document, _target, settings) => settings !== undefined && asked(settings).length > 0,
  reference: {
    needed: (_document, settings) => asked(settings).length > 0,
    undergo: async (document, settings, _target, context) => void (await carryOut(document, settings, context)),
  },
  async run(document, settings, _target, context) {
    const before = listMorphNames(document).length,
      { done, maps } = await carryOut(document, settings, context),
      { prepared, mix, joints } = done,
      farthest = farthestOf(mix.moved);
    return {
      measures: [
        measure('people-mixed', 1, prepared.others.length + 1),
        measure('largest-movement', 0, farthest * 1000),
        ...(mix.border < Infinity
          ? [measure('narrowest-border', 0, mix.border * 100), measure('strain-at-borders', 0, mix.strain * 100)]
          : []),
        measure('morph-targets', before, listMorphNames(document).length),
        ...(joints.length
          ? [
              measure('joints-refitted', 0, joints.length),
              measure('largest-joint-shift', 0, joints[0].mm, joints[0].joint),
            ]
          : []),
        ...(maps ? [measure('colour-maps-mixed', 0, maps.textures.length)] : []),
      ],
      findings: [...toldOfParts(done), ...toldOfMaps(maps)],
    };
  },
});

async function carryOut(
  document: Document,
  settings: MixSettings,
  context: StepContext,
): Promise<{ done: MixDone; maps: MapsMixed | null }> {
  const others: MixedIn[] = [];
  for (const { character, weights } of asked(settings)) {
    context.progress(0.05 * others.length, 'opening the others');
    others.push({ ...(await opened(character, context)), weights });
  }
  const stop = () => throwIfAborted(context.signal);
  context.progress(0.1, 'mixing');
  const done = mixInto(document, others, {
    softness: settings.softness,
    joints: settings.joints,
    stop,
    // Before anything is changed.
    ready: refuseOthers,
  });
  context.progress(0.8, 'colours of the skin');
  const maps =
    settings.maps === 'stay'
      ? null
      : await mixMaps(done.prepared, done.mix.shares, context.images, settings.maps === 'regions', stop);
  return { done, maps };
}

/** @throws ProblemError morphs.no-other */
const opened = (character: string, context: StepContext) =>
  otherCharacter(context, character, {
    code: 'morphs.no-other',
    wanted: 'Another character should be mixed in',
    who: 'The character to mix in',
  });

const farthestOf = (moved: Float32Array): number => {
  let most = 0;
  for (let i = 0; i < moved.length; i += 3) most = Math.max(most, Math.hypot(moved[i], moved[i + 1], moved[i + 2]));
  return most;
};
