import { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { listParts } from '../character/index.ts';
import { vertexNormals } from '../geometry/index.ts';
import { firstAtPlace } from './bind-voxels.ts';
import { type Face, findMouth, jawShares } from './mouth.ts';

const EYES = 1.62,
  STEP = 0.001,
  HALF = 0.025;

/**
 * The front of a face, a sheet of millimetres with a slit along `line` between two corners; the slit's rims go in by
 * five millimetres and roll over one another: the lower one rises above its line, the upper one hangs below it.
 */
function face(line: number, teethAt?: number): Face & { lower: boolean[] } {
  const positions: number[] = [],
    indices: number[] = [],
    lower: boolean[] = [],
    at = new Map<string, number>();
  const vertex = (key: string, x: number, y: number, z: number, isLower: boolean) => {
    const known = at.get(key);
    if (known !== undefined) return known;
    at.set(key, lower.length);
    positions.push(x, y, z);
    lower.push(isLower);
    return lower.length - 1;
  };
  const column = (i: number, side: 1 | -1): number[] => {
    const x = i * STEP,
      open = Math.abs(x) < HALF,
      out: number[] = [],
      shape = Math.cos((Math.min(Math.abs(x), HALF) / HALF) * Math.PI * 0.5);
    for (let j = 30; j > 0; j--) out.push(vertex(`${i} ${side * j}`, x, line + side * j * STEP, 0.1, side < 0));
    // The lip rolls: at its rim the lower one is 0.8 mm above the line and faces up.
    for (let r = 0; r <= 5; r++)
      out.push(
        vertex(
          open ? `${i} ${side} rim ${r}` : `${i} rim ${r}`,
          x,
          line + shape * (side < 0 ? 0.0008 : 0.001),
          0.1 - r * STEP,
          side < 0,
        ),
      );
    return out;
  };
  for (const side of [1, -1] as const)
    for (let i = -40; i < 40; i++) {
      const a = column(i, side),
        b = column(i + 1, side);
      for (let r = 0; r + 1 < a.length; r++) {
        const quad = side > 0 ? [a[r], a[r + 1], b[r + 1], b[r]] : [a[r], b[r], b[r + 1], a[r + 1]];
        indices.push(quad[0], quad[1], quad[2], quad[0], quad[2], quad[3]);
      }
    }
  const document = new Document(),
    scene = document.createScene(),
    accessor = (values: number[]) => document.createAccessor().setType('VEC3').setArray(Float32Array.from(values));
  const part = (name: string, material: string, points: number[]) =>
    scene.addChild(
      document
        .createNode(name)
        .setMesh(
          document
            .createMesh(name)
            .addPrimitive(
              document
                .createPrimitive()
                .setMaterial(document.createMaterial(material))
                .setAttribute('POSITION', accessor(points)),
            ),
        ),
    );
  part('Head', 'Skin', positions);
  if (teethAt !== undefined) {
    part('TeethUpper', 'Teeth', [0, teethAt + 0.008, 0.09, 0, teethAt + 0.0005, 0.09, 0, teethAt + 0.004, 0.09]);
    part('TeethLower', 'Teeth', [0, teethAt - 0.008, 0.09, 0, teethAt - 0.0005, 0.09, 0, teethAt - 0.004, 0.09]);
  }
  const p = Float32Array.from(positions),
    i = Uint32Array.from(indices);
  return {
    positions: p,
    indices: i,
    normals: vertexNormals(p, i),
    first: firstAtPlace(p),
    ranges: listParts(document).map((entry, n) => ({
      part: entry,
      first: n ? p.length / 3 : 0,
      count: n ? 0 : p.length / 3,
    })),
    lower,
  };
}

describe('the mouth', () => {
  it('lies between the teeth where there are both rows, else where the lips meet, else where proportion puts it', () => {
    expect(findMouth(face(1.552, 1.5505), EYES, 1).height).toBeCloseTo(1.5505, 5);
    expect(findMouth(face(1.557), EYES, 1).height).toBeCloseTo(1.558, 3);
    expect(findMouth(face(1.557), EYES, 1).corner).toBeGreaterThan(0.018);
    expect(findMouth(face(1.7), EYES, 1)).toEqual({ height: EYES - 0.069, corner: 0.025 });
    // A jaw of something else, far from the face, is no measure.
    expect(findMouth(face(1.552, 1.2), EYES, 1).height).toBeCloseTo(1.553, 3);
  });
  it('opens between the lips and nowhere else: rims that roll over the line stay with their lip, corners meet half-way, cheeks go along evenly', () => {
    const body = face(1.552),
      shares = jawShares(body, { height: 1.552, corner: HALF }, 1),
      { positions } = body;
    expect(shares).toHaveLength(positions.length / 3);
    let middle = 0,
      corner = 0;
    for (let v = 0; v < shares.length; v++) {
      const x = Math.abs(positions[v * 3]),
        dy = positions[v * 3 + 1] - 1.552;
      if (x < 0.012) {
        middle++;
        expect(shares[v], `${x} ${dy}`).toBe(body.lower[v] ? 1 : 0);
      }
      if (Math.abs(x - HALF) < 1e-6 && Math.abs(dy) < 1e-6) {
        corner++;
        expect(shares[v]).toBeCloseTo(0.5, 1);
      }
      if (x > 0.03) expect(shares[v]).toBeCloseTo(Math.max(0, Math.min(1, 0.5 - dy / 0.024)), 4);
    }
    expect([middle > 500, corner > 0]).toEqual([true, true]);
    // Along the surface nothing jumps: joined vertices differ by what a millimetre may.
    for (let t = 0; t < body.indices.length; t += 3)
      expect(Math.abs(shares[body.indices[t]] - shares[body.indices[t + 1]])).toBeLessThan(0.3);
  });
});
