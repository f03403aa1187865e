import { beforeEach, expect, it } from 'vitest';
import { Fingers, STICK } from './fingers.ts';

let told: [what: string, ...values: number[]][], fingers: Fingers;
beforeEach(() => {
  told = [];
  fingers = new Fingers({
    turn: (dx, dy) => told.push(['turn', dx, dy]),
    nearer: (by) => told.push(['nearer', by]),
    point: ({ x, y }) => told.push(['point', x, y]),
  });
});
const down = (id: number, x: number, at: number, side: 'stick' | 'turn' | 'mouse') =>
  fingers.down({ id, x, y: 100, at, touch: side !== 'mouse', stickSide: side === 'stick' });

it('a finger on the stick’s side is a stick: half way, at its rim, and beyond it runs; let go, it is none', () => {
  expect(fingers.stick()).toBeNull();
  down(1, 50, 0, 'stick');
  fingers.move(1, { x: 50, y: 100 - STICK / 2 });
  expect(fingers.stick()).toMatchObject({ start: { x: 50, y: 100 }, right: 0, back: -0.5, run: false });
  fingers.move(1, { x: 50 + STICK * 2, y: 100 });
  expect(fingers.stick()).toMatchObject({ right: 2, back: 0, run: true });
  // The other hand looks round meanwhile.
  down(2, 400, 1000, 'turn');
  fingers.move(2, { x: 430, y: 110 });
  expect(fingers.stick()).toMatchObject({ right: 2, run: true });
  fingers.up(1, 2000);
  expect(fingers.stick()).toBeNull();
  expect(told).toEqual([['turn', 30, 10]]);
});

it('a short press points, with either hand; a long one, one that wandered and one taken away do not', () => {
  down(1, 50, 0, 'stick');
  fingers.move(1, { x: 56, y: 104 });
  fingers.up(1, 120);
  down(2, 400, 200, 'turn');
  fingers.up(2, 300);
  expect(told).toEqual([
    ['point', 56, 104],
    ['point', 400, 100],
  ]);
  told = [];
  down(1, 50, 1000, 'stick');
  fingers.up(1, 2000);
  down(1, 400, 3000, 'turn');
  fingers.up(1, null);
  down(3, 400, 4000, 'mouse');
  fingers.move(3, { x: 407, y: 100 });
  fingers.up(3, 4100);
  expect(told).toEqual([['turn', 7, 0]]);
  told = [];
  // A pointer of a mouse may take its time.
  down(3, 400, 5000, 'mouse');
  fingers.up(3, 9000);
  expect(told).toEqual([['point', 400, 100]]);
});

it('two fingers that come down together bring nearer, one on each side too, and none of them points or walks', () => {
  down(1, 100, 0, 'stick');
  down(2, 300, 100, 'turn');
  expect(fingers.stick()).toBeNull();
  fingers.move(2, { x: 500, y: 100 });
  expect(told).toEqual([['nearer', 0.5]]);
  fingers.move(1, { x: 300, y: 100 });
  expect(told[1]).toEqual(['nearer', 2]);
  fingers.up(1, 200);
  fingers.up(2, 210);
  expect(told).toHaveLength(2);
  // One that already walks goes on walking.
  down(1, 100, 1000, 'stick');
  fingers.move(1, { x: 100, y: 60 });
  down(2, 300, 1100, 'turn');
  expect(fingers.stick()?.back).toBeCloseTo(-40 / STICK);
});

it('two fingers in one place bring nobody infinitely near', () => {
  down(1, 300, 0, 'turn');
  down(2, 300, 50, 'turn');
  fingers.move(2, { x: 360, y: 100 });
  fingers.move(2, { x: 300, y: 100 });
  for (const [, by] of told) expect(Number.isFinite(by) && by > 0).toBe(true);
});
