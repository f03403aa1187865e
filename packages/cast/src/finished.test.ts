import { beforeAll, describe, expect, it } from 'vitest';
import { cross, sub } from '@dimetra/core';
import { buildPerson, SMALL, type Figure, type FigurePart } from './figure.ts';
import type { Picture } from './paint/bake.ts';
import { tesselJoints } from './body/joints.ts';
import { GARMENTS } from './body/wardrobe.ts';
import { bodyPart, garmentPart } from './parts/body-parts.ts';
import { PEOPLE } from './people.ts';
import { materialsOf, paintPerson } from './textures.ts';

type Vec = [number, number, number];
const figures = new Map<string, Figure>(),
  pictures = new Map<string, Map<string, Picture>>();
beforeAll(async () => {
  for (const person of PEOPLE) {
    const figure = buildPerson(person, { coarse: SMALL, progress() {} }),
      drawn: Picture[] = [];
    figures.set(person.name, figure);
    const files = await paintPerson(
      figure,
      person,
      512,
      async (picture) => {
        drawn.push(picture);
        return new Uint8Array(0);
      },
      () => {},
    );
    pictures.set(person.name, new Map([...files.keys()].map((file, i) => [file, drawn[i]])));
  }
});
const people = PEOPLE.map((person) => [person.name, person] as const);
/** Strips and cards are open and lie double; what encloses a volume must be in better order. */
const solid = (name: string): FigurePart[] =>
  (figures.get(name) as Figure).parts.filter(
    (part) => !/Tear|Lashes|Brows|Scalp|Hair|Nails|Gums|Teeth|Cornea/.test(part.name),
  );
const corner = ({ surface: { positions: p, indices } }: FigurePart, t: number): [Vec, Vec, Vec] =>
  [0, 1, 2].map((k) => Array.from(p.subarray(indices[t + k] * 3, indices[t + k] * 3 + 3)) as Vec) as [Vec, Vec, Vec];
const lengthOf = (v: readonly number[]) => Math.hypot(...v);

/** Shares of faces that look against their corners' normals, and of slivers (longest side over 25 times the height on it); mean place across, weighted by area. */
function faults(part: FigurePart): { flipped: number; slivers: number; lean: number } {
  const { normals, indices } = part.surface,
    count = indices.length / 3;
  let flipped = 0,
    slivers = 0,
    area = 0,
    lean = 0;
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = corner(part, t),
      n = cross(sub(b, a), sub(c, a)),
      size = lengthOf(n);
    const mean = [0, 1, 2].map((k) => [0, 1, 2].reduce((sum, v) => sum + normals[indices[t + v] * 3 + k], 0));
    if (n[0] * mean[0] + n[1] * mean[1] + n[2] * mean[2] < 0) flipped++;
    if (Math.max(lengthOf(sub(b, a)), lengthOf(sub(c, b)), lengthOf(sub(a, c))) ** 2 > 25 * size) slivers++;
    area += size;
    lean += (size * (a[0] + b[0] + c[0])) / 3;
  }
  return { flipped: flipped / count, slivers: slivers / count, lean: lean / area };
}

describe.each(people)('a finished %s', (name, person) => {
  it('has no face that looks against its normals, and hardly a sliver', () => {
    // Shells of cloth and fingers are thinner than the small cast's cells: those are looked at in full size below.
    for (const part of solid(name).filter((entry) => /^(Head|Boots|Body|Eyes|Tongue)$/.test(entry.name))) {
      const { flipped, slivers } = faults(part);
      expect(flipped, `${part.name} flipped`).toBeLessThan(part.name === 'Body' ? 0.03 : 0.012);
      expect(slivers, `${part.name} slivers`).toBeLessThan({ Head: 0.06, Eyes: 0.06, Tongue: 0.15 }[part.name] ?? 0.02);
    }
  });
  it('has normals of length one that point away from what they stand on', () => {
    for (const {
      name: part,
      surface: { normals },
    } of (figures.get(name) as Figure).parts) {
      let off = 0;
      for (let v = 0; v < normals.length; v += 3)
        off = Math.max(off, Math.abs(Math.hypot(normals[v], normals[v + 1], normals[v + 2]) - 1) || 0);
      expect(normals.some(Number.isNaN), part).toBe(false);
      expect(off, part).toBeLessThan(1e-3);
    }
  });
  it('follows its joints smoothly: weights change along an edge by a part, never from all to nothing', () => {
    for (const part of solid(name)) {
      const {
          bound,
          surface: { indices },
        } = part,
        joints = (figures.get(name) as Figure).joints.length,
        of = (v: number) => {
          const row = new Float32Array(joints);
          for (let k = v * bound.perVertex; k < (v + 1) * bound.perVertex; k++)
            row[bound.joints[k]] += bound.weights[k];
          return row;
        };
      let edges = 0,
        steep = 0;
      for (let t = 0; t < indices.length; t += 3)
        for (let k = 0; k < 3; k++) {
          const a = indices[t + k],
            b = indices[t + ((k + 1) % 3)];
          if (a > b) continue;
          const x = of(a),
            y = of(b);
          let change = 0;
          for (let j = 0; j < joints; j++) change += Math.abs(x[j] - y[j]) / 2;
          edges++;
          if (change > 0.75) steep++;
        }
      expect(steep / Math.max(1, edges), part.name).toBeLessThan(0.02);
    }
  });
  it('has weights of one sum, none below zero, no more than its format says', () => {
    for (const { name: part, bound } of (figures.get(name) as Figure).parts) {
      expect(bound.perVertex, part).toBeLessThanOrEqual(8);
      let wrong = 0;
      for (let v = 0; v < bound.weights.length; v += bound.perVertex) {
        const row = bound.weights.subarray(v, v + bound.perVertex);
        if (!(Math.abs(row.reduce((sum, w) => sum + w, 0) - 1) < 1e-5 && Math.min(...row) >= 0)) wrong++;
      }
      expect(wrong, part).toBe(0);
    }
  });
  it('stands even on both feet: boots, hands and nails are mirrored to the last digit, the body leans to neither side', () => {
    const { parts } = figures.get(name) as Figure;
    for (const part of parts.filter((entry) => /^(Boots|Hands|Nails)$/.test(entry.name))) {
      const sides = [1, -1].map((sign) => {
        const out = new Set<string>();
        for (let v = 0; v < part.surface.positions.length; v += 3) {
          const [x, y, z] = part.surface.positions.subarray(v, v + 3);
          if (x * sign > 0) out.add([Math.abs(x), y, z].map((n) => n.toFixed(5)).join(' '));
        }
        return out;
      });
      expect(sides[0], part.name).toEqual(sides[1]);
    }
    const body = parts.find((part) => part.name === 'Body') as FigurePart;
    expect(Math.abs(faults(body).lean)).toBeLessThan(0.005);
    expect(
      Math.min(
        ...parts.flatMap((part) =>
          part.name === 'Boots' ? Array.from(part.surface.positions).filter((_, i) => i % 3 === 1) : [],
        ),
      ),
    ).toBeLessThan(0.03);
  });
  it('wears textures that go on over every seam', () => {
    const drawn = pictures.get(name) as Map<string, Picture>,
      wears = materialsOf(person);
    for (const part of solid(name)) {
      const file = wears.get(part.material)?.color,
        picture = file ? drawn.get(file) : undefined;
      if (!picture || part.name === 'Eyes') continue;
      const { uv, origin } = part.surface,
        first = new Map<number, number>(),
        at = (v: number) => {
          const x = Math.min(picture.width - 1, Math.floor(uv[v * 2] * picture.width)),
            y = Math.min(picture.height - 1, Math.floor(uv[v * 2 + 1] * picture.height));
          return [0, 1, 2].map((c) => picture.data[(y * picture.width + x) * picture.channels + c] / 255);
        };
      let seams = 0,
        apart = 0;
      origin.forEach((point, v) => {
        const other = first.get(point);
        if (other === undefined) {
          first.set(point, v);
          return;
        }
        const a = at(v),
          b = at(other);
        seams++;
        apart += (Math.abs(a[0] - b[0]) + Math.abs(a[1] - b[1]) + Math.abs(a[2] - b[2])) / 3;
      });
      if (!seams) {
        expect(part.name).toBe('Tongue');
        continue;
      }
      // A texel of a small map is wide, and trims end sharply: a twentieth of the range on average.
      expect(apart / seams, `${part.name} of the ${name}`).toBeLessThan(0.055);
    }
  });
  it('has every map its materials name, of the sizes they are drawn in', () => {
    const drawn = pictures.get(name) as Map<string, Picture>;
    for (const [material, spec] of materialsOf(person))
      for (const file of [spec.color, spec.normal, spec.surface]) {
        if (!file) continue;
        const worn = (figures.get(name) as Figure).parts.some((part) => part.material === material);
        if (!worn) continue;
        const picture = drawn.get(file);
        expect(picture, `${file} of ${material}`).toBeDefined();
        expect(Math.log2(picture?.width ?? 0) % 1).toBe(0);
        // No map is one flat colour.
        const data = picture?.data ?? new Uint8Array(1);
        expect(
          data.some((value) => Math.abs(value - data[0]) > 6),
          file,
        ).toBe(true);
      }
  });
});

describe('in full size', () => {
  const joints = tesselJoints();
  it.each(people)(
    'the body of the %s has no face that looks against its normals, and leans to neither side',
    (_, person) => {
      const part = bodyPart(
          person,
          joints,
          person.figure === 'Corvane' ? Math.sqrt(1.18) : 1,
          person.figure === 'Corvane' ? 0.41 : 0,
        ),
        found = faults(part);
      expect(found.flipped).toBeLessThan(0.003);
      expect(found.slivers).toBeLessThan(0.02);
      expect(Math.abs(found.lean)).toBeLessThan(0.002);
    },
  );
  it.each(GARMENTS.filter((name) => name !== 'body'))(
    '%s has hardly a face that looks against its normals, or a sliver',
    (name) => {
      const found = faults(garmentPart(name, joints, 1, 0, 0));
      expect(found.flipped).toBeLessThan(0.01);
      expect(found.slivers).toBeLessThan(0.03);
    },
  );
});

describe('five people', () => {
  it('differ in height, build and face', () => {
    const head = (name: string) => (figures.get(name) as Figure).parts[0].surface.positions;
    for (const [i, [a]] of people.entries())
      for (const [b] of people.slice(i + 1)) {
        const p = head(a),
          q = head(b);
        // Heads of the two figure formats have other polygons.
        if (p.length !== q.length) continue;
        let apart = 0;
        for (let v = 0; v < p.length; v += 3)
          apart += Math.hypot(p[v] - q[v], p[v + 1] - q[v + 1], p[v + 2] - q[v + 2]);
        expect(apart / (p.length / 3), `${a}, ${b}`).toBeGreaterThan(0.003);
      }
    expect(new Set(PEOPLE.map((person) => person.height)).size).toBe(PEOPLE.length);
  });
  it('wear clothes that stand off their skin by a thickness', () => {
    for (const [name] of people)
      for (const part of solid(name))
        if (part.morphs.has('build_heavy') && part.name !== 'Body') {
          const heavy = part.morphs.get('build_heavy') as Float32Array,
            slim = part.morphs.get('build_slim') as Float32Array;
          // Stouter and slimmer are opposite ways, and both move something.
          let along = 0;
          for (let i = 0; i < heavy.length; i++) along += heavy[i] * slim[i];
          expect(along, part.name).toBeLessThan(0);
        }
  });
});
