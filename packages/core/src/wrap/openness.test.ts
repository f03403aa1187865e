import { describe, expect, it } from 'vitest';
import { isHidden, opennessOf, trustOf } from './openness.ts';

/** Two triangles over a square, facing +z or −z. */
function square(size: number, z: number, up = true) {
  return {
    places: Float32Array.of(-size, -size, z, size, -size, z, size, size, z, -size, size, z),
    corners: up ? Uint32Array.of(0, 1, 2, 0, 2, 3) : Uint32Array.of(0, 2, 1, 0, 3, 2),
  };
}
const at = Float32Array.of(0, 0, 0),
  up = Float32Array.of(0, 0, 1);

describe('openness', () => {
  it('is all of it over a plane that lies alone', () => {
    expect([...opennessOf(at, up, [square(1, 0)])]).toEqual([1]);
  });
  it('is none of it under a lid, whichever way that faces, and all of it where the lid is too far off', () => {
    for (const facing of [true, false]) expect([...opennessOf(at, up, [square(1, 0.001, facing)])]).toEqual([0]);
    expect([...opennessOf(at, up, [square(1, 0.08)])]).toEqual([1]);
  });
  it('is what a lid leaves free: of one seen under 60° from the normal a half, by solid angle', () => {
    // tan 60° = √3: corners of the square lie beyond, so a little more is hidden.
    const [open] = opennessOf(at, up, [square(0.01 * Math.sqrt(3), 0.01)]);
    expect(open).toBeGreaterThan(0.3);
    expect(open).toBeLessThan(0.5);
  });
  it('is the same whichever way the surface is turned', () => {
    const s = Math.SQRT1_2,
      turned = (p: Float32Array) => {
        const out = new Float32Array(p.length);
        // About x by 45°, then the axes exchanged.
        for (let i = 0; i < p.length; i += 3) {
          const [x, y, z] = p.subarray(i, i + 3);
          out.set([s * y + s * z, x, s * y - s * z], i);
        }
        return out;
      },
      lid = square(0.02, 0.01),
      [straight] = opennessOf(at, up, [lid]),
      [other] = opennessOf(at, turned(up), [{ ...lid, places: turned(lid.places) }]);
    expect(Math.abs(straight - other)).toBeLessThan(0.1);
  });
  it('is trusted by degrees', () => {
    expect([trustOf(0), trustOf(0.25), trustOf(0.35), trustOf(0.45), trustOf(1)].map((x) => +x.toFixed(3))).toEqual([
      0, 0, 0.5, 1, 1,
    ]);
    expect([isHidden(0.2), isHidden(0.3)]).toEqual([true, false]);
  });
});
