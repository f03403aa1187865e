import { expect, it } from 'vitest';
import { chosenMotions, movementOf } from './movements.ts';

it('knows what a clip is for by its name', () => {
  expect(
    ['Walk_fast', 'quay.run', 'Running', 'Idle', 'breathing', 'Climb ladder', 'turn-left', 'Wave in', 'brunch'].map(
      movementOf,
    ),
  ).toEqual(['walk', 'run', 'run', 'idle', 'idle', 'climb', 'turn', null, null]);
});

it('takes the package’s own motions before those that ship, and none where there is neither', () => {
  const motions = [
    { name: 'Stride', own: true },
    { name: 'Idle', own: false },
    { name: 'Walk', own: false },
    { name: 'Climb a ladder', own: false },
  ];
  expect(chosenMotions(motions)).toEqual({ idle: 1, walk: 0, turn: 2, climb: 3 });
  expect(chosenMotions([])).toEqual({});
});
