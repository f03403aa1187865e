import * as v from 'valibot';
import { measure } from '../measures.ts';
import { type Finding, throwIfAborted } from '../problem.ts';
import { worded } from '../settings.ts';
import { defineStep, meant } from '../step.ts';
import type { Target } from '../targets/index.ts';
import { type BodyReached, type BodyWanted, reachBody } from './body/reach-body.ts';

const BodySettings = v.object({
  /** What the target asks for where left out. */
  heightCm: worded(v.optional(v.pipe(v.number(), v.minValue(50), v.maxValue(300))), { title: 'Height, cm', step: 1 }),
  /** −1 slight … 1 heavy. */
  build: worded(v.optional(v.pipe(v.number(), v.minValue(-1), v.maxValue(1))), {
    title: 'Build, −1 slight to 1 heavy',
    step: 0.1,
  }),
});
type BodySettings = v.InferOutput<typeof BodySettings>;

const wantedOf = (settings: BodySettings, target: Target): BodyWanted => ({
  heightCm: settings.heightCm ?? target.body?.heightCm,
  build: settings.build ?? target.body?.build,
});
const asked = ({ heightCm, build }: BodyWanted): boolean => heightCm !== undefined || Boolean(build);

/** Beyond these shares of its length a limb is nobody's any more. */
const PLAUSIBLE = [0.8, 1.25] as const;
/** As near to the height as it has to come, centimetres. */
const NEAR_CM = 0.2;

export const bodyStep = defineStep({
  id: 'morphs.body',
  station: 'morphs',
  title: 'Height and build',
  says: 'A height and a build are reached by the character’s own morphs of build, else along its bones; hands, feet and head keep their size, joints and clothes go along.',
  needs: ['D1', 'M7'],
  settings: BodySettings,
  reads: (target) => target.body ?? null,
  ...meant(
    (settings: BodySettings, target) => asked(wantedOf(settings, target)),
    (document, settings, target) => reachBody(document, wantedOf(settings, target)),
    (target) => asked(target.body ?? {}),
  ),
  async run(document, settings, target, context) {
    const wanted = wantedOf(settings, target);
    context.progress(0.1, 'height and build');
    const done = reachBody(document, wanted, () => throwIfAborted(context.signal));
    return {
      measures: [
        measure('height', done.height[0], done.height[1]),
        ...(done.scale ? [measure('bones-drawn-out', 1, done.scale.along)] : []),
        ...(done.joints.length
          ? [
              measure('joints-refitted', 0, done.joints.length),
              measure('largest-joint-shift', 0, done.joints[0].mm, done.joints[0].joint),
            ]
          : []),
      ],
      findings: told(done, wanted),
    };
  },
});

function told({ height, morphs, scale }: BodyReached, { heightCm }: BodyWanted): Finding[] {
  const ways = [
      ...Object.entries(morphs).map(([name, weight]) => `“${name}” at ${weight.toFixed(2).replace('-', '−')}`),
      ...(scale && scale.along !== 1 ? [`bones ${scale.along.toFixed(3)} times as long`] : []),
      ...(scale && scale.flesh !== 1 ? ['flesh around the bones, since no morph makes that build'] : []),
    ],
    findings: Finding[] = [
      {
        code: 'morphs.body-reached',
        severity: 'info',
        message: `${height[0].toFixed(1)} → ${height[1].toFixed(1)} cm${ways.length ? `: ${ways.join(', ')}` : ': it stood so already'}.`,
        measured: height[1],
      },
    ];
  if (heightCm !== undefined && Math.abs(height[1] - heightCm) > NEAR_CM)
    findings.push({
      code: 'morphs.height-missed',
      severity: 'warning',
      message: `${heightCm} cm were asked for, and ${height[1].toFixed(1)} are as near as its proportions go. Ask for a height nearer to its own.`,
      measured: height[1],
      limit: heightCm,
      repair: 'morphs.body',
    });
  else if (scale && (scale.along < PLAUSIBLE[0] || scale.along > PLAUSIBLE[1]))
    findings.push({
      code: 'morphs.body-implausible',
      severity: 'warning',
      message: `Legs and trunk became ${scale.along.toFixed(2)} times as long while head and hands kept their size: that is hardly the same person any more. Look at it from all sides.`,
      measured: scale.along,
      limit: scale.along < 1 ? PLAUSIBLE[0] : PLAUSIBLE[1],
      repair: 'morphs.body',
    });
  return findings;
}
