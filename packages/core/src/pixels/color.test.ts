import { describe, expect, it } from 'vitest';
import { deltaE2000, encodedByte, LINEAR, toLab, toSrgb } from './color.ts';

describe('toLab', () => {
  it.each([
    // IEC 61966-2-1 primaries under D65, as the CIE's own formulas give them.
    [
      [255, 255, 255],
      [100, 0, 0],
    ],
    [
      [0, 0, 0],
      [0, 0, 0],
    ],
    [
      [255, 0, 0],
      [53.24, 80.09, 67.2],
    ],
    [
      [0, 255, 0],
      [87.73, -86.18, 83.18],
    ],
    [
      [0, 0, 255],
      [32.3, 79.19, -107.86],
    ],
    [
      [119, 119, 119],
      [50.03, 0, 0],
    ],
  ] as [[number, number, number], [number, number, number]][])('of %j', (rgb, lab) => {
    toLab(rgb).forEach((value, k) => expect(Math.abs(value - lab[k])).toBeLessThan(0.02));
  });
});

it('deltaE2000 is the same both ways, with greys too', () => {
  const colors = [
    [50, 0, 0],
    [50, -1, 2],
    [60, 30, -20],
    [35, -40, 25],
    [50, 2.49, -0.001],
    [50, -2.49, 0.0009],
  ];
  for (const a of colors)
    for (const b of colors) {
      expect(deltaE2000(a, b)).toBeCloseTo(deltaE2000(b, a), 6);
      expect(deltaE2000(a, b) < 1e-9).toBe(a === b);
    }
  // Sharma, Wu & Dalal 2005, table 1, pair 4: hue that isn't there counts nothing.
  expect(deltaE2000([50, -1, 2], [50, 0, 0])).toBeCloseTo(2.3669, 4);
});

/** Sharma, Wu & Dalal 2005, table 1: all 34 pairs. */
const PAIRS = `50 2.6772 -79.7751 50 0 -82.7485 2.0425
50 3.1571 -77.2803 50 0 -82.7485 2.8615
50 2.8361 -74.02 50 0 -82.7485 3.4412
50 -1.3802 -84.2814 50 0 -82.7485 1
50 -1.1848 -84.8006 50 0 -82.7485 1
50 -0.9009 -85.5211 50 0 -82.7485 1
50 0 0 50 -1 2 2.3669
50 -1 2 50 0 0 2.3669
50 2.49 -0.001 50 -2.49 0.0009 7.1792
50 2.49 -0.001 50 -2.49 0.001 7.1792
50 2.49 -0.001 50 -2.49 0.0011 7.2195
50 2.49 -0.001 50 -2.49 0.0012 7.2195
50 -0.001 2.49 50 0.0009 -2.49 4.8045
50 -0.001 2.49 50 0.001 -2.49 4.8045
50 -0.001 2.49 50 0.0011 -2.49 4.7461
50 2.5 0 50 0 -2.5 4.3065
50 2.5 0 73 25 -18 27.1492
50 2.5 0 61 -5 29 22.8977
50 2.5 0 56 -27 -3 31.903
50 2.5 0 58 24 15 19.4535
50 2.5 0 50 3.1736 0.5854 1
50 2.5 0 50 3.2972 0 1
50 2.5 0 50 1.8634 0.5757 1
50 2.5 0 50 3.2592 0.335 1
60.2574 -34.0099 36.2677 60.4626 -34.1751 39.4387 1.2644
63.0109 -31.0961 -5.8663 62.8187 -29.7946 -4.0864 1.263
61.2901 3.7196 -5.3901 61.4292 2.248 -4.962 1.8731
35.0831 -44.1164 3.7933 35.0232 -40.0716 1.5901 1.8645
22.7233 20.0904 -46.694 23.0331 14.973 -42.5619 2.0373
36.4612 47.858 18.3852 36.2715 50.5065 21.2231 1.4146
90.8027 -2.0831 1.441 91.1528 -1.6435 0.0447 1.4441
90.9257 -0.5406 -0.9208 88.6381 -0.8985 -0.7239 1.5381
6.7747 -0.2908 -2.4247 5.8714 -0.0985 -2.2286 0.6377
2.0776 0.0795 -1.135 0.9033 -0.0636 -0.5514 0.9082`
  .split('\n')
  .map((line) => line.split(' ').map(Number));

it('deltaE2000 agrees with all published pairs, from any place of an array', () => {
  for (const row of PAIRS) {
    expect(Math.abs(deltaE2000(row.slice(0, 3), row.slice(3, 6)) - row[6])).toBeLessThan(6e-5);
    expect(deltaE2000(row, row, 0, 3)).toBe(deltaE2000(row.slice(0, 3), row.slice(3, 6)));
  }
});
it('sRGB and linear light lead to each other, byte for byte', () => {
  for (let byte = 0; byte < 256; byte++) {
    expect(toSrgb(LINEAR[byte])).toBeCloseTo(byte, 3);
    // The table's steps are wider than the darkest bytes.
    expect(Math.abs(encodedByte(LINEAR[byte]) - byte)).toBeLessThanOrEqual(1);
    if (byte > 20) expect(encodedByte(LINEAR[byte])).toBe(byte);
  }
  expect([encodedByte(-1), encodedByte(2)]).toEqual([0, 255]);
});
