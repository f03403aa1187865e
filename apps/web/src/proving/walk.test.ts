import { describe, expect, it } from 'vitest';
import { BRIDGE, LADDER, POSTS, QUAY } from './plan.ts';
import { around, atStart, step, towards, type Walker, type Wish } from './walk.ts';

const PACE = { walk: 1.4, run: 3.2, climb: 0.35 };
const still: Wish = { x: 0, z: 0, run: false };
const go = (walker: Walker, wish: Wish, seconds: number, tick = 1 / 30): Walker => {
  let at = walker;
  for (let t = 0; t < seconds - 1e-9; t += tick) at = step(at, wish, tick, PACE);
  return at;
};

describe('walking about', () => {
  it('goes as far as the motion strides, and twice as many moments make no difference', () => {
    const fine = go(atStart(), { x: 0, z: 1, run: false }, 2),
      coarse = go(atStart(), { x: 0, z: 1, run: false }, 2, 1 / 10);
    expect(fine.z - atStart().z).toBeCloseTo(2 * PACE.walk, 6);
    expect(coarse.z).toBeCloseTo(fine.z, 6);
    expect(fine).toMatchObject({ doing: 'walk', y: 0, rate: 1 });
    expect(go(atStart(), { x: 0, z: 1, run: true }, 1)).toMatchObject({ doing: 'run' });
    expect(step(fine, still, 0.1, PACE)).toMatchObject({ doing: 'idle', x: fine.x, z: fine.z });
  });
  it('turns on the spot before it goes back, the shorter way', () => {
    const turning = step(atStart(), { x: 0.01, z: -1, run: false }, 0.1, PACE);
    expect(turning).toMatchObject({ doing: 'turn', x: 0, z: atStart().z });
    expect(turning.heading).toBeCloseTo(0.7, 6);
    expect(around(3.5)).toBeCloseTo(3.5 - 2 * Math.PI, 9);
    expect(around(-3.5)).toBeCloseTo(2 * Math.PI - 3.5, 9);
  });
  it('falls off no edge and walks through nothing', () => {
    for (const [x, z] of [
      [1, 0],
      [-1, 0],
      [0, 1],
      [0.5, -1],
    ]) {
      const end = go(atStart(), { x, z, run: true }, 20);
      expect(end.x).toBeGreaterThan(QUAY.west);
      expect(end.x).toBeLessThan(QUAY.east);
      expect(end.z).toBeGreaterThan(QUAY.north);
      expect(end.z).toBeLessThan(QUAY.south);
    }
    const [post] = POSTS,
      at = go({ ...atStart(), x: post.x, z: post.z - 3 }, { x: 0.001, z: 1, run: false }, 6);
    expect(Math.hypot(at.x - post.x, at.z - post.z)).toBeGreaterThanOrEqual(post.radius);
  });
  it('climbs the ladder when it is walked at, holds on, goes down again', () => {
    const north: Wish = { x: 0, z: -1, run: false },
      south: Wish = { x: 0, z: 1, run: false },
      foot = { ...atStart(), z: LADDER.z + 1.2, heading: Math.PI },
      on = go(foot, north, 2);
    expect(on).toMatchObject({ doing: 'climb', x: LADDER.x, rate: 1 });
    expect(on.y).toBeGreaterThan(0.2);
    expect(step(on, still, 0.5, PACE)).toMatchObject({ y: on.y, doing: 'climb', rate: 0 });
    const up = go(on, north, BRIDGE.height / PACE.climb);
    expect(up.y).toBe(BRIDGE.height);
    expect(up.doing).not.toBe('climb');
    expect(up.z).toBeLessThan(BRIDGE.south);
    // On the bridge it stays: only at the ladder is there a way down.
    expect(go({ ...up, x: 2 }, south, 5)).toMatchObject({ y: BRIDGE.height });
    let down: Walker = { ...up, x: LADDER.x };
    for (let i = 0; down.doing !== 'climb' && i < 300; i++) down = step(down, south, 1 / 30, PACE);
    expect(down).toMatchObject({ doing: 'climb', rate: -1 });
    expect(go(down, south, BRIDGE.height / PACE.climb + 0.1)).toMatchObject({ y: 0 });
  });
  it('comes to a place that is pointed at, and stops', () => {
    const goal = { x: 3, z: 5 };
    let at = atStart(),
      wish = towards(at, goal, false);
    for (let i = 0; wish && i < 1000; i++) {
      at = step(at, wish, 1 / 30, PACE);
      wish = towards(at, goal, false);
    }
    expect(Math.hypot(at.x - goal.x, at.z - goal.z)).toBeLessThan(0.15);
  });
});
