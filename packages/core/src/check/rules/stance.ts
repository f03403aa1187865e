import { judged, type Rule } from '../judgement.ts';

/** How the figure stands. */
export const STANCE: readonly Rule[] = [
  ({ summary: { heightCm }, target: { heightCm: limit } }) =>
    judged(
      { rule: 'stance.height', title: 'Height', station: 'intake', unit: 'cm' },
      heightCm,
      `${limit.min}–${limit.max}`,
      heightCm >= limit.min && heightCm <= limit.max,
    ),
  ({ summary: { upAxis, facing, unitMetres } }) =>
    judged(
      { rule: 'stance.upright', title: 'Upright, facing front, in metres', station: 'intake' },
      `${upAxis.toUpperCase()} up, facing ${facing.toUpperCase()}, ${unitMetres} m`,
      'Y up, facing +Z, 1 m',
      upAxis === 'y' && facing === '+z' && unitMetres === 1,
    ),
  ({ summary: { lowestCm } }) =>
    judged(
      { rule: 'stance.floor', title: 'Lowest point above the floor', station: 'intake', unit: 'cm', blocking: false },
      lowestCm,
      '±1',
      Math.abs(lowestCm) <= 1,
    ),
];
