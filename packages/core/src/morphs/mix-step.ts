import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { listMorphNames } from '../character/index.ts';
import { measure } from '../measures.ts';
import { type Finding, ProblemError, throwIfAborted } from '../problem.ts';
import { worded } from '../settings.ts';
import { defineStep, type StepContext } from '../step.ts';
import { REGIONS } from './body-regions.ts';
import { type MixDone, type MixedIn, mixInto } from './mix/mix.ts';
import { type MapsMixed, mixMaps } from './mix/mix-maps.ts';
import { refuseOthers } from './mix/refuse.ts';

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
      { bench, mix, joints } = done,
      farthest = farthestOf(mix.moved);
    return {
      measures: [
        measure('people-mixed', 1, bench.others.length + 1),
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
      : await mixMaps(done.bench, done.mix.shares, context.images, settings.maps === 'regions', stop);
  return { done, maps };
}

/** @throws ProblemError morphs.no-other */
async function opened(character: string, context: StepContext): Promise<{ document: Document; name: string }> {
  if (!context.character)
    throw new ProblemError(
      'morphs.no-other',
      "Another character should be mixed in, and others can't be reached from here.",
      character,
    );
  return context.character(character).catch((error: Error) => {
    throw new ProblemError(
      'morphs.no-other',
      `The character to mix in can't be opened: ${error.message.replace(/[.\s]+$/, '')}. Choose another.`,
      character,
    );
  });
}

const farthestOf = (moved: Float32Array): number => {
  let most = 0;
  for (let i = 0; i < moved.length; i += 3) most = Math.max(most, Math.hypot(moved[i], moved[i + 1], moved[i + 2]));
  return most;
};

/** How the others were recognised, and what of the skin was not. */
function toldOfParts({ bench, came }: MixDone): Finding[] {
  const { own, others, skin } = bench,
    findings: Finding[] = [];
  for (const { person, matches } of others) {
    const missing = own.sheets.filter(({ first }, i) => skin.pointOf[first] >= 0 && !matches[i]),
      by = (how: string) => matches.filter((match) => match?.by === how).length,
      ways = [
        [by('order'), 'by the order of vertices'],
        [by('places'), 'by texture places'],
        [by('surface'), 'by how triangles hang together'],
      ].flatMap(([count, way]) => (count ? [`${count} ${way}`] : []));
    findings.push({
      code: 'morphs.recognised',
      severity: 'info',
      message: `${matches.filter(Boolean).length} of ${matches.length} parts were found on “${person.name}”: ${ways.join(', ')}. The others go along with the skin.${person.turnedDegrees ? ` It stood otherwise, and was turned into this one's pose by up to ${Math.round(person.turnedDegrees)}°.` : ''}`,
      where: person.name,
      measured: matches.filter(Boolean).length,
    });
    for (const { part } of missing)
      findings.push({
        code: 'morphs.skin-not-mixed',
        severity: 'warning',
        message: `“${part.name}” is another mesh on “${person.name}”, so it keeps its shape and only goes along.`,
        where: part.name,
        repair: 'morphs.mix',
      });
  }
  if (came.length)
    findings.push({
      code: 'morphs.came-along',
      severity: 'info',
      message: `${came.length === 1 ? 'A morph' : `${came.length} morphs`} that only the others had came along: ${came
        .slice(0, 8)
        .map((name) => `“${name}”`)
        .join(', ')}${came.length > 8 ? ' …' : ''}.`,
      measured: came.length,
    });
  return findings;
}

const WHY: Readonly<Record<MapsMixed['left'][number]['why'], string>> = {
  layout: 'the other has another texture layout',
  unreadable: 'one of the images can’t be opened',
  none: 'the other has no such map',
};
const toldOfMaps = (maps: MapsMixed | null): Finding[] =>
  (maps?.left ?? []).map(({ texture, why }) => ({
    code: 'morphs.colour-not-mixed',
    severity: 'warning',
    message: `The colours of “${texture}” were not mixed: ${WHY[why]}. They stay as they are.`,
    where: texture,
    repair: 'morphs.mix',
  }));
