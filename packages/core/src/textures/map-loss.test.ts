import { Document } from '@gltf-transform/core';
import sharp from 'sharp';
import { describe, expect, it } from 'vitest';
import { Comparison, lookAt, Painter, type SceneMaterial } from '../appearance/index.ts';
import { writePng } from '../formats/index.ts';
import { seededRandom } from '../geometry/index.ts';
import { sheets, slot } from '../testing/sheets.ts';
import { LOOKS_LIKE, mapLoss } from './map-loss.ts';

const SIDE = 128;
type Texel = (x: number, y: number) => number[];
/** A document whose one material wears a map, on no surface: every texel counts. */
function wearing(texel: Texel, side = SIDE) {
  const document = new Document(),
    data = new Uint8Array(side * side * 4);
  for (let y = 0; y < side; y++) for (let x = 0; x < side; x++) data.set(texel(x, y), (y * side + x) * 4);
  const texture = document
    .createTexture('map')
    .setImage(writePng({ width: side, height: side, data }))
    .setMimeType('image/png');
  return { document, texture, material: document.createMaterial().setBaseColorTexture(texture) };
}
const images = {
  decode: async (bytes: Uint8Array) => {
    const { data, info } = await sharp(bytes).ensureAlpha().raw().toBuffer({ resolveWithObject: true });
    return { width: info.width, height: info.height, data: new Uint8Array(data) };
  },
  apply: async (bytes: Uint8Array) => ({ bytes, mimeType: 'image/png' as const }),
};
const lossOf = async (texel: Texel, seen: number[], content: 'color' | 'normal' | 'data' = 'color') => {
  const { document, texture, material } = wearing(texel);
  if (content === 'data') material.setBaseColorTexture(null).setMetallicRoughnessTexture(texture);
  return [...((await mapLoss(document, texture, content, seen, images)) ?? [])];
};
const flat: Texel = () => [120, 90, 70, 255],
  chess =
    (cell: number): Texel =>
    (x, y) =>
      (Math.floor(x / cell) + Math.floor(y / cell)) % 2 ? [150, 110, 90, 255] : [90, 70, 50, 255];

/** Clear differences count more than faint ones of the same sum. */
const felt = (deltaE: number) => deltaE + (deltaE * deltaE) / 8;

describe('what is seen of a smaller map', () => {
  it('is nothing of one colour, or where no pixel asks for what goes', async () => {
    expect((await lossOf(flat, [1000])).every((loss) => loss === 0)).toBe(true);
    // Cells of one texel, seen from where four of them make a pixel.
    const far = await lossOf(chess(1), [0, 0, 1000]);
    expect(far.slice(0, 3)).toEqual([0, 0, 0]);
  });
  it('comes with the halving that takes the detail, in proportion to the pixels that show it', async () => {
    const fine = await lossOf(chess(1), [1000]),
      coarse = await lossOf(chess(8), [1000]);
    // All of it goes at once, half the difference of both colours: nothing is left for later.
    expect(fine[1]).toBeGreaterThan(1000 * 5);
    expect(fine[2] / fine[1]).toBeLessThan(1.05);
    // Of cells of eight texels only the edges blur at first.
    expect(coarse[1]).toBeLessThan(fine[1] * 0.4);
    expect(coarse[2]).toBeGreaterThan(coarse[1] * 1.5);
    expect((await lossOf(chess(1), [3000]))[1]).toBeCloseTo(fine[1] * 3, 6);
    for (const row of [fine, coarse])
      for (let k = 1; k < row.length; k++) expect(row[k]).toBeGreaterThanOrEqual(row[k - 1]);
  });
  it('counts tilt, roughness and opacity each as what it looks like', async () => {
    const random = seededRandom(3),
      tilts: Texel = () => {
        const turn = random() * Math.PI * 2,
          lean = Math.sin((10 * Math.PI) / 180);
        return [
          Math.round(127.5 + 127.5 * lean * Math.cos(turn)),
          Math.round(127.5 + 127.5 * lean * Math.sin(turn)),
          Math.round(127.5 + 127.5 * Math.cos((10 * Math.PI) / 180)),
          255,
        ];
      };
    const [, tilt] = await lossOf(tilts, [1], 'normal');
    expect(tilt).toBeGreaterThan(LOOKS_LIKE.degree * 6);
    expect(tilt).toBeLessThan(LOOKS_LIKE.degree * 12);
    const [, rough] = await lossOf((x, y) => [255, (x + y) % 2 ? 153 : 102, 0, 255], [1], 'data');
    expect(rough).toBeCloseTo(felt(LOOKS_LIKE.roughness * 0.1), 1);
    // Red says nothing where no occlusion is read from it.
    expect((await lossOf((x, y) => [(x + y) % 2 ? 255 : 0, 120, 0, 255], [1], 'data'))[1]).toBe(0);
    const clear = wearing((x, y) => [90, 70, 50, (x + y) % 2 ? 255 : 0]);
    expect((await mapLoss(clear.document, clear.texture, 'color', [1], images))?.[1]).toBe(0);
    clear.material.setAlphaMode('MASK');
    expect((await mapLoss(clear.document, clear.texture, 'color', [1], images))?.[1]).toBeCloseTo(
      felt(LOOKS_LIKE.opacity / 2),
      0,
    );
  });
  it('is unknown of what can’t be read', async () => {
    const { document, texture } = wearing(flat);
    texture.setImage(texture.getImage()?.slice(0, 60) as Uint8Array<ArrayBuffer>);
    expect(await mapLoss(document, texture, 'color', [1], images)).toBeNull();
    texture.setImage(new Uint8Array(0));
    expect(await mapLoss(document, texture, 'color', [1], images)).toBeNull();
  });
});

describe('what a change looks like', () => {
  const grey: Partial<SceneMaterial> = { factor: [0.2, 0.2, 0.2, 1], roughness: 0.5, metallic: 0 },
    map = (texel: number[]) => slot(4, 4, () => texel, 'data');
  /** ΔE on the average of two sheets of one material each, under the light that shows it most. */
  const between = (a: Partial<SceneMaterial>, b: Partial<SceneMaterial>): number => {
    const drawn = (material: Partial<SceneMaterial>) => {
      const scene = sheets([{ z: 0, material }]),
        painter = new Painter(64),
        picture = painter.picture(scene);
      painter.draw(scene, lookAt([0, 0, 0], 0.5, 0, 0), { meant: picture });
      return picture;
    };
    return new Comparison(64).compare(drawn(a), drawn(b)).deltaE.mean;
  };
  /** Of what shows on a sheet that faces the light, the share that a figure shows. */
  const within = (said: number, sheet: number, from: number, to: number) => {
    expect(said / sheet).toBeGreaterThan(from);
    expect(said / sheet).toBeLessThan(to);
  };
  it('is a third of what the proof of appearance sees on a sheet, and all of it where something covers', () => {
    const lean = (6 * Math.PI) / 180,
      level = map([128, 128, 255, 255]),
      tilted = map([Math.round(127.5 + 127.5 * Math.sin(lean)), 128, Math.round(127.5 + 127.5 * Math.cos(lean)), 255]);
    within(LOOKS_LIKE.degree, between({ ...grey, normal: level }, { ...grey, normal: tilted }) / 6, 0.25, 0.5);
    within(LOOKS_LIKE.roughness, between(grey, { ...grey, roughness: 0.6 }) / 0.1, 0.25, 0.5);
    within(LOOKS_LIKE.metalness, between(grey, { ...grey, metallic: 0.5 }) / 0.5, 0.25, 0.5);
    within(
      LOOKS_LIKE.occlusion,
      between({ ...grey, occlusion: map([255, 0, 0, 255]) }, { ...grey, occlusion: map([204, 0, 0, 255]) }) / 0.2,
      0.25,
      0.5,
    );
    // Skin where dark hair was.
    const skin = { ...grey, factor: [0.55, 0.3, 0.22, 1] as const },
      hair = { ...grey, factor: [0.06, 0.04, 0.03, 1] as const };
    within(LOOKS_LIKE.opacity, between(skin, hair), 0.8, 1.25);
  });
});
