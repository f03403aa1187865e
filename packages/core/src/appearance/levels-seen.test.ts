import { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { createDeformer } from '../character/index.ts';
import { writePng } from '../formats/index.ts';
import { sheetOf } from '../testing/sheet.ts';
import { levelsSeen, type Posing } from './levels-seen.ts';

const STILL: Posing = { joint: () => null, posed: () => null };
const TALL = 1.75;

/** Upright sheets one behind the other, each wearing all of a map of its own across its height. */
function standing(...list: { side: number; z?: number; half?: number; blend?: boolean }[]): Document {
  const document = new Document();
  list.forEach(({ side, z = 0, half = 0.5, blend }, i) => {
    const material = document
      .createMaterial(`M${i}`)
      .setAlphaMode(blend ? 'BLEND' : 'OPAQUE')
      .setBaseColorTexture(
        document
          .createTexture(`map${i}`)
          .setImage(writePng({ width: side, height: side, data: new Uint8Array(side * side * 4) }))
          .setMimeType('image/png'),
      );
    const prim = sheetOf(
      document,
      [-half, 0, z, half, 0, z, half, TALL, z, -half, TALL, z],
      [0, 1, (half * 2) / TALL, 1, (half * 2) / TALL, 0, 0, 0],
    ).setMaterial(material);
    document.createNode(`n${i}`).setMesh(document.createMesh().addPrimitive(prim));
  });
  return document;
}
const seen = (document: Document, nearestM: number) => [
  ...levelsSeen(
    createDeformer(document, () => true, false),
    STILL,
    nearestM,
  ).values(),
];
const sum = (counts: ArrayLike<number>) => Array.from(counts).reduce((total, n) => total + n, 0);

describe('how finely a map is seen', () => {
  it('goes by the texels that a pixel spans: a camera straight ahead, counted by hand', () => {
    // From 20 m only the whole figure is looked at; a pixel is 20 × 0.33 ÷ 384 m of it, 0.0172: of 1024 texels over 1.75 m 10.1, of 64 0.63.
    const metres = (20 * 0.33) / 384;
    for (const [side, level] of [
      [1024, 3],
      [64, 0],
    ] as const) {
      const [counts] = seen(standing({ side }), 20);
      expect(counts.indexOf(Math.max(...counts))).toBe(level);
      // A sheet has no back: it shows from the front whole and from one side at a slant, from the others not.
      const front = (1 / metres) * (TALL / metres);
      expect(sum(counts)).toBeGreaterThan(front);
      expect(sum(counts)).toBeLessThan(front * 2.6);
    }
  });
  it('asks for a finer level from nearer, and never for more than there is', () => {
    const finest = (nearestM: number) => seen(standing({ side: 2048 }), nearestM)[0].findIndex((count) => count > 0);
    expect([finest(0.2), finest(3), finest(20)]).toEqual(
      [...[finest(0.2), finest(3), finest(20)]].sort((a, b) => a - b),
    );
    expect(finest(0.2)).toBeLessThan(finest(20));
    expect(
      seen(standing({ side: 16 }), 0.2)[0]
        .slice(1)
        .every((count) => count === 0),
    ).toBe(true);
  });
  it('shows nothing of what is hidden but a word for it, and half of what lies under a clear layer', () => {
    const [front, hidden] = seen(standing({ side: 256, z: 0.01 }, { side: 256, half: 0.3 }), 20);
    expect(sum(front)).toBeGreaterThan(5000);
    // From the side a sliver shows past the front one's rim.
    expect(sum(hidden) - 300).toBeLessThan(20);
    expect(hidden[2]).toBeGreaterThanOrEqual(300);
    const [over, under] = seen(standing({ side: 256, z: 0.01, blend: true }, { side: 256 }), 20);
    expect(Math.abs(sum(over) / sum(under) - 1)).toBeLessThan(0.02);
  });
  it('is empty for a document without a figure', () => {
    expect(seen(new Document(), 1)).toEqual([]);
  });
});
