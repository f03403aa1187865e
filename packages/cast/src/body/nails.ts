import { cross, sub, unit } from '@dimetra/core';
import type { Cards } from '../hair.ts';
import { step } from '../head/curves.ts';
import { handDistance } from './garments.ts';
import { FINGERS, fingerPoint, HAND } from './joints.ts';

/** A nail's place: the tip of a finger, along it, across it and out of its back; left hand, metres. */
export const NAILS = Object.keys(FINGERS).map((finger) => {
  const last = FINGERS[finger].length - 1,
    tip = fingerPoint(finger, last),
    before = fingerPoint(finger, last - 1);
  const along = unit(sub(tip, before)),
    out =
      finger === 'thumb'
        ? unit(HAND.palm.map((q, k) => -0.75 * q + 0.66 * HAND.thumbward[k]))
        : HAND.palm.map((q) => -q);
  const across = unit(cross(along, out));
  return {
    finger,
    tip,
    along,
    across,
    back: unit(cross(across, along)),
    half: finger === 'thumb' ? 0.0063 : finger === 'little' ? 0.004 : 0.005,
  };
});
type NailPlace = (typeof NAILS)[number];

/** How far forward of the tip's joint a nail reaches at `c` across it (−1 … 1), and how long it is. */
export const nailEnd = (c: number): number => 0.003 - 0.0012 * c * c;
export const nailLength = (nail: NailPlace): number => nail.half * 2.5;

/** The plates of both hands with the joint that each vertex follows; texture places run across and along the nail. */
export function nailPlates(): { cards: Cards; joints: string[] } {
  const cards: Cards = { positions: [], triangles: [], uv: [] },
    joints: string[] = [];
  const across = 6,
    along = 6;
  for (const nail of NAILS)
    for (const side of [1, -1]) {
      const first = cards.positions.length / 3,
        joint = `${nail.finger}_${side > 0 ? 'l' : 'r'}_3`;
      for (let j = 0; j <= along; j++)
        for (let i = 0; i <= across; i++) {
          const c = (i / across) * 1.64 - 0.82,
            a = j / along,
            width = j === 0 ? 0.62 : 1;
          const [x, y, z] = onto(
            nail,
            nailEnd(c * width) - nailLength(nail) * (1 - a),
            c * width,
            0.00045 + 0.0004 * step(0.7, 1, a),
          );
          cards.positions.push(x * side, y, z);
          cards.uv.push(i / across, 1 - a);
          joints.push(joint);
        }
      for (let j = 0; j < along; j++)
        for (let i = 0; i < across; i++) {
          const a = first + j * (across + 1) + i,
            b = a + 1,
            c = b + across + 1,
            d = a + across + 1;
          cards.triangles.push(...(side > 0 ? [a, b, c, a, c, d] : [a, c, b, a, d, c]));
        }
    }
  return { cards, joints };
}

/** A place on the nail, `lift` over the finger's skin: marched down from above the finger's back. */
function onto(nail: NailPlace, a: number, c: number, lift: number): [number, number, number] {
  const at = (up: number) =>
    [0, 1, 2].map((k) => nail.tip[k] + nail.along[k] * a + nail.across[k] * c * nail.half + nail.back[k] * up);
  let up = 0.016;
  for (let round = 0; round < 80; round++) {
    const p = at(up),
      d = handDistance(p[0], p[1], p[2]) - lift;
    if (Math.abs(d) < 1e-6 || up < -0.004) break;
    up -= d * 0.6;
  }
  return at(Math.max(up, -0.004)) as [number, number, number];
}
