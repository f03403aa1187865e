import { sharpCodec } from '@dimetra/platform';
import { Document } from '@gltf-transform/core';
import sharp from 'sharp';
import { describe, expect, it } from 'vitest';
import { keepOwn } from '../character/index.ts';
import type { Pixels } from '../pixels/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { sheetOf } from '../testing/sheet.ts';
import { channelsStep } from './channels-step.ts';

const SIDE = 384,
  RANGE_MM = 40,
  WAVES = 3;
/** 0 … 1 over the sheet. */
const heightAt = (x: number, y: number) =>
  0.5 + 0.25 * Math.sin((2 * Math.PI * WAVES * x) / SIDE) + 0.25 * Math.cos((2 * Math.PI * y) / SIDE);
const image = (bits: 8 | 16): Promise<Buffer> => {
  const full = 2 ** bits - 1,
    values = Array.from({ length: SIDE * SIDE }, (_, i) =>
      Math.round(heightAt((i % SIDE) + 0.5, Math.floor(i / SIDE) + 0.5) * full),
    ),
    raw = { width: SIDE, height: SIDE, channels: 1 as const };
  return bits === 16
    ? sharp(Uint16Array.from(values), { raw }).toColourspace('grey16').png().toBuffer()
    : sharp(Uint8Array.from(values), { raw }).png().toBuffer();
};

/** A square metre of cloth with a displacement map beside its material. */
async function cloth(bits: 8 | 16, normals?: Pixels): Promise<Document> {
  const document = new Document(),
    material = document.createMaterial('cloth'),
    put = (name: string, bytes: Uint8Array) =>
      document.createTexture(name).setMimeType('image/png').setImage(bytes).setURI(`${name}.png`);
  put('cloth_height', new Uint8Array(await image(bits)));
  keepOwn(material, 'maps', { height: 'cloth_height' });
  if (normals) material.setNormalTexture(put('cloth_normal', (await sharpCodec.encode?.(normals)) as Uint8Array));
  document
    .createScene()
    .addChild(
      document
        .createNode('cloth')
        .setMesh(
          document
            .createMesh('cloth')
            .addPrimitive(sheetOf(document, [0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0]).setMaterial(material)),
        ),
    );
  return document;
}
const run = async (document: Document, displacementMm: number) => {
  const { findings } = await channelsStep.run(
    document,
    { green: 'found', gloss: 'found', decided: {}, bumpMm: 1, displacementMm },
    SHIPPED_TARGETS[0],
    { ...testContext(), images: sharpCodec },
  );
  const map = document.getRoot().listMaterials()[0].getNormalTexture()?.getImage();
  return { findings, map: map && (await sharpCodec.decode(map)) };
};
const slopes = (map: Pixels, x: number, y: number) => {
  const [nx, ny, nz] = [0, 1, 2].map((c) => map.data[(y * map.width + x) * 4 + c] / 127.5 - 1);
  return [-nx / nz, -ny / nz];
};
/** Mean distance of a map's slopes from those of the displaced sheet: rises over metres, green up. */
function off(map: Pixels): number {
  let sum = 0;
  for (let y = 4; y < SIDE - 4; y++)
    for (let x = 4; x < SIDE - 4; x++) {
      const [p, q] = slopes(map, x, y),
        tall = (RANGE_MM / 1000) * 0.25 * 2 * Math.PI,
        px = tall * WAVES * Math.cos((2 * Math.PI * WAVES * (x + 0.5)) / SIDE),
        // Up the sheet is up the picture.
        qy = tall * Math.sin((2 * Math.PI * (y + 0.5)) / SIDE);
      sum += Math.hypot(p - px, q - qy);
    }
  return sum / (SIDE - 8) ** 2;
}

describe('displacement maps', () => {
  it('become the normals of the displaced surface, in 16 bits without steps', async () => {
    const { map, findings } = await run(await cloth(16), RANGE_MM);
    expect(map?.width).toBe(SIDE);
    expect(off(map as Pixels)).toBeLessThan(0.008);
    expect(findings.map(({ code }) => code)).toContain('materials.channel');
    // What 256 heights would have made of it.
    const coarse = await run(await cloth(8), RANGE_MM);
    expect(off(coarse.map as Pixels)).toBeGreaterThan(1.6 * off(map as Pixels));
  });
  it('lie under a normal map that is there, and are left with a word where nobody says how high they are', async () => {
    const tilt: Pixels = { width: SIDE, height: SIDE, data: new Uint8Array(SIDE * SIDE * 4).fill(255) };
    // Grain, so that nobody takes it for a map of one value.
    for (let i = 0; i < tilt.data.length; i += 4) tilt.data.set([(i / 4) % 2 ? 128 : 154, 128, 252], i);
    const left = await run(await cloth(16, tilt), 0);
    expect(left.findings.map(({ code }) => code)).toContain('materials.displacement-left');
    expect(slopes(left.map as Pixels, 10, 10)[0]).toBeCloseTo(slopes(tilt, 10, 10)[0], 5);
    const { map } = await run(await cloth(16, tilt), RANGE_MM),
      // Two neighbours tilt alike but for the grain.
      [a, b] = [slopes(map as Pixels, 20, 20)[0], slopes(map as Pixels, 21, 20)[0]];
    expect(Math.abs(Math.abs(a - b) - Math.abs(slopes(tilt, 20, 20)[0] - slopes(tilt, 21, 20)[0]))).toBeLessThan(0.03);
    expect(off(map as Pixels)).toBeLessThan(0.2);
  });
});
