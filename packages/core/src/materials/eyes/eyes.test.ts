import { Document } from '@gltf-transform/core';
import { sharpCodec } from '@dimetra/platform';
import * as v from 'valibot';
import { describe, expect, it } from 'vitest';
import { floatsOf, listParts, morphNamesOf } from '../../character/index.ts';
import { parseTarget, SHIPPED_TARGETS } from '../../targets/index.ts';
import { addPart, vec3 } from '../../testing/add-part.ts';
import { testContext } from '../../testing/context.ts';
import { eyesStep } from './eyes-step.ts';

const R = 0.012,
  EYES = [0.032, -0.032],
  /** Half width and half height of the openings in the skin, metres. */
  WIDE = 0.01,
  HIGH = 0.0055,
  /** How far the skin lies above the balls. */
  THICK = 0.001;
const context = { ...testContext(), images: sharpCodec };
const target = parseTarget({ ...SHIPPED_TARGETS[0], materials: { ...SHIPPED_TARGETS[0].materials, eyeLayers: [] } });
const asking = parseTarget({
  ...target,
  materials: { ...target.materials, eyeLayers: ['tear', 'shade'] },
});
const settings = (given: v.InferInput<typeof eyesStep.settings> = {}) => v.parse(eyesStep.settings, given);

/** Two eyeballs, and over each a shell of skin with an opening that `blink` closes by so much. */
function face({ open = 1, shut = 0.9 } = {}): Document {
  const document = new Document();
  document.createBuffer();
  const ball: number[] = [],
    ballFaces: number[] = [],
    skin: number[] = [],
    closing: number[] = [],
    skinFaces: number[] = [];
  const onShell = (x: number, y: number) => Math.sqrt(Math.max(0.2e-4, (R + THICK) ** 2 - x * x - y * y));
  for (const middle of EYES) {
    const first = ball.length / 3;
    for (let i = 0; i <= 24; i++)
      for (let j = 0; j <= 36; j++) {
        const [a, b] = [(Math.PI * i) / 24, (2 * Math.PI * (j % 36)) / 36];
        ball.push(middle + R * Math.sin(a) * Math.sin(b), R * Math.cos(a), R * Math.sin(a) * Math.cos(b));
        const at = first + i * 37 + j;
        if (i < 24 && j < 36) ballFaces.push(at, at + 37, at + 1, at + 1, at + 37, at + 38);
      }
    const start = skin.length / 3,
      around = 96,
      rings = 6;
    for (let r = 0; r <= rings; r++)
      for (let i = 0; i < around; i++) {
        const a = (2 * Math.PI * i) / around,
          out = 1 + (r / rings) * 0.8,
          x = Math.cos(a) * Math.min(WIDE * out, 0.0155),
          y = Math.sin(a) * HIGH * (open + (out - 1) * 3),
          // The lids come to meet each other, and what is farther out less.
          y1 = y * (1 - shut * (1 - r / rings));
        skin.push(middle + x, y, onShell(x, y));
        closing.push(0, y1 - y, onShell(x, y1) - onShell(x, y));
        const at = start + r * around + i,
          next = start + r * around + ((i + 1) % around);
        if (r < rings) skinFaces.push(at, at + around, next + around, at, next + around, next);
      }
  }
  addPart(document, 'Eyes', 'Eye', { positions: ball, indices: ballFaces });
  const prim = addPart(document, 'Head', 'Skin', { positions: skin, indices: skinFaces });
  prim.addTarget(document.createPrimitiveTarget('blink').setAttribute('POSITION', vec3(document, closing)));
  for (const parent of prim.listParents())
    if (parent.propertyType === 'Mesh') parent.setExtras({ targetNames: ['blink'] });
  return document;
}

const partOf = (document: Document, kind: string) => {
  const found = listParts(document).find((part) => part.kind === kind);
  if (!found) throw new Error(`no ${kind}`);
  return found;
};
/** Points of a part with `blink` at a weight. */
function pointsOf(document: Document, kind: string, blink = 0): number[][] {
  const { prim } = partOf(document, kind),
    rest = floatsOf(prim.getAttribute('POSITION') as never),
    delta = floatsOf(prim.listTargets()[0].getAttribute('POSITION') as never);
  return Array.from({ length: rest.length / 3 }, (_, i) =>
    [0, 1, 2].map((k) => rest[i * 3 + k] + blink * delta[i * 3 + k]),
  );
}
/** Of a point: which eye's, from its middle, and how far off the rim of the opening it lies along the face. */
function placed(point: readonly number[], high: number) {
  const middle = point[0] > 0 ? EYES[0] : EYES[1],
    [x, y, z] = [point[0] - middle, point[1], point[2]],
    reach = Math.hypot(x / WIDE, y / high);
  return { far: Math.hypot(x, y, z), off: reach < 1e-6 ? WIDE : (reach - 1) * (Math.hypot(x, y) / reach) };
}

describe('water and shade of the eyes', () => {
  it('begin at the lids and lie on the eyeballs, at rest and in a blink', async () => {
    const document = face();
    expect(eyesStep.applies(document, asking)).toBe(true);
    const { findings, measures } = await eyesStep.run(document, settings(), asking, context);
    expect(findings.map(({ code }) => code)).toEqual(['materials.eye-layer', 'materials.eye-layer']);
    expect(measures[0].result).toBe(2);
    for (const kind of ['tear', 'shade'])
      for (const [blink, high] of [
        [0, HIGH],
        [1, HIGH * 0.1],
      ]) {
        const points = pointsOf(document, kind, blink),
          rows = kind === 'tear' ? 3 : 4,
          columns = points.length / rows / 2;
        expect(morphNamesOf(partOf(document, kind).mesh)).toEqual(['blink']);
        points.forEach((point, i) => {
          const row = Math.floor(i / columns) % rows,
            { far, off } = placed(point, high);
          // Under the rim of the lids, by the thickness of these at most.
          if (row === 0) {
            expect(Math.abs(off)).toBeLessThan(5e-4);
            expect(far).toBeLessThan(R + THICK + 1e-5);
          }
          // Inside the opening, on the ball, and clear of it.
          if (row === rows - 1) {
            expect(off).toBeLessThan(2e-4);
            expect(far).toBeGreaterThan(R * 0.99);
            expect(far).toBeLessThan(R + 2e-4);
          }
        });
        // All the way around both eyes, and looking out of the face.
        expect(new Set(points.map(([x]) => Math.sign(x))).size).toBe(2);
        const { prim } = partOf(document, kind),
          normals = floatsOf(prim.getAttribute('NORMAL') as never);
        let outwards = 0;
        for (let i = 2; i < normals.length; i += 3) if (normals[i] > 0) outwards++;
        expect(outwards).toBeGreaterThan((normals.length / 3) * 0.95);
      }
  });

  it('are what they are: water that one sees through, a shade that fades and reflects nothing', async () => {
    const document = face();
    await eyesStep.run(document, settings(), asking, context);
    const [tear, shade] = ['tear', 'shade'].map((kind) => partOf(document, kind).material);
    expect(tear?.getAlphaMode()).toBe('BLEND');
    expect(tear?.getBaseColorFactor()[3]).toBeLessThan(0.3);
    expect(tear?.getRoughnessFactor()).toBeLessThan(0.1);
    const image = shade?.getBaseColorTexture()?.getImage(),
      pixels = await sharpCodec.decode(image as Uint8Array),
      alpha = (row: number) => pixels.data[row * pixels.width * 4 + 3];
    expect(shade?.getExtension('KHR_materials_specular')).toMatchObject({});
    expect(alpha(2)).toBeGreaterThan(120);
    expect(alpha(pixels.height - 1)).toBeLessThan(5);
    for (let row = 1; row < pixels.height; row++) expect(alpha(row)).toBeLessThanOrEqual(alpha(row - 1));
  });

  it('are made only where they are asked for and missing', async () => {
    const document = face();
    expect(eyesStep.applies(document, target)).toBe(false);
    expect(eyesStep.applies(document, asking, settings({ tear: 'leave', shade: 'leave' }))).toBe(false);
    expect(eyesStep.applies(document, target, settings({ tear: 'make' }))).toBe(true);
    await eyesStep.run(document, settings({ tear: 'make' }), target, context);
    expect(listParts(document).map(({ kind }) => kind)).toEqual(['eye', 'skin', 'tear']);
    // Another run finds one there.
    expect(eyesStep.applies(document, target, settings({ tear: 'make' }))).toBe(false);
    await eyesStep.run(document, settings({ tear: 'make', shade: 'make' }), target, context);
    expect(listParts(document).map(({ kind }) => kind)).toEqual(['eye', 'skin', 'tear', 'shade']);
  });

  it('are not made without lids, or where the eyes are closed at rest, and that is said', async () => {
    const closed = face({ open: 0.02 }),
      bare = face();
    partOf(bare, 'skin').node.setMesh(null);
    for (const document of [closed, bare]) {
      const before = listParts(document).length,
        { findings } = await eyesStep.run(document, settings(), asking, context);
      expect(findings.map(({ code, severity }) => [code, severity])).toEqual([
        ['materials.no-eye-layer', 'warning'],
        ['materials.no-eye-layer', 'warning'],
      ]);
      expect(findings[0].message).toMatch(/no lids were found/);
      expect(listParts(document)).toHaveLength(before);
    }
  });

  it('go along with the source that a result is held against', async () => {
    const source = face();
    expect(eyesStep.reference?.needed(source, settings(), null as never, asking)).toBe(true);
    await eyesStep.reference?.undergo(source, settings(), asking, context);
    expect(listParts(source).map(({ kind }) => kind)).toContain('shade');
  });
});
