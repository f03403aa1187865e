import type { Parity, ParityRow } from '../../parity/index.ts';
import type { ParityLimit } from '../../targets/index.ts';
import { atMost, judged, noneOf, type Rule } from '../judgement.ts';

/** A limit of parity stops delivery unless the target says that it is only noted. */
const parityLimit =
  (limit: ParityLimit, rule: Rule): Rule =>
  (subject) => {
    const found = rule(subject);
    return found && { ...found, blocking: !subject.target.parity.noteOnly.includes(limit) };
  };

/** The largest over all poses; undefined where nothing was posed. */
const overPoses = (parity: Parity | undefined, of: (row: ParityRow) => number): number | undefined =>
  parity?.shape.poses.length ? Math.max(...parity.shape.poses.map(of)) : undefined;

/** How near the result is to its source. */
export const PARITY: readonly Rule[] = [
  parityLimit(
    'rest',
    atMost(
      { rule: 'parity.rest', title: 'Shape at rest, RMS', station: 'reduce', unit: 'mm' },
      ({ parity }) => parity?.shape.rest.rmsMm,
      ({ target }) => target.parity.restRmsMm,
    ),
  ),
  parityLimit('part', ({ parity, target }) => {
    const limit = target.parity.partRmsMm,
      [first, ...others] = parity?.shape.parts ?? [],
      worst = others.reduce(
        (most, row) => (most && row.rmsMm > most.rmsMm ? row : most),
        first as ParityRow | undefined,
      );
    if (limit === undefined || !worst) return null;
    return judged(
      { rule: 'parity.part', title: `Worst part at rest, RMS (${worst.name})`, station: 'reduce', unit: 'mm' },
      worst.rmsMm,
      limit,
      worst.rmsMm <= limit,
    );
  }),
  parityLimit('skin', ({ parity, target }) => {
    const limit = target.parity.skinCm2,
      rows = parity?.shape.skin?.map(({ pose, sourceCm2, resultCm2 }) => ({
        pose,
        more: Math.round((resultCm2 - sourceCm2) * 10) / 10,
      }));
    if (limit === undefined || !rows?.length) return null;
    const worst = rows.reduce((most, row) => (row.more > most.more ? row : most));
    return judged(
      {
        rule: 'parity.skin',
        title: `Skin through clothes, more than in the source (${worst.pose})`,
        station: 'reduce',
        unit: 'cm²',
      },
      Math.max(0, worst.more),
      limit,
      worst.more <= limit,
    );
  }),
  parityLimit(
    'pose',
    atMost(
      { rule: 'parity.pose', title: 'Shape in the worst pose, RMS', station: 'reduce', unit: 'mm' },
      ({ parity }) => overPoses(parity, (row) => row.rmsMm),
      ({ target }) => target.parity.poseRmsMm,
    ),
  ),
  parityLimit(
    'pose-max',
    atMost(
      { rule: 'parity.pose-max', title: 'Largest distance in any pose', station: 'weights', unit: 'mm' },
      ({ parity }) => overPoses(parity, (row) => row.maxMm),
      ({ target }) => target.parity.poseMaxMm,
    ),
  ),
  parityLimit('inventory', ({ parity }) =>
    parity
      ? noneOf(
          { rule: 'parity.inventory', title: 'Parts and morphs lost', station: 'morphs' },
          parity.inventory.lost.filter((entry) => entry.startsWith('morph:') || entry.startsWith('part:')),
          (lost) => `Gone: ${lost.slice(0, 5).join(', ')}.`,
        )
      : null,
  ),
];
