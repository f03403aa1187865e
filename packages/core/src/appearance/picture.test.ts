import { createHash } from 'node:crypto';
import { describe, expect, it } from 'vitest';
import { createDeformer } from '../character/index.ts';
import { LINEAR } from '../pixels/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { testContext } from '../testing/context.ts';
import { type Camera, lookAt } from './camera.ts';
import { cropOf } from './crop.ts';
import { Painter } from './draw.ts';
import { createScene } from './from-document.ts';
import { CHANNELS, LIGHTS, SETUPS } from './light.ts';
import { Maps } from './maps.ts';
import { coverageMips, levelFor, mipsOf } from './mips.ts';
import type { Picture } from './picture.ts';
import type { Scene, SceneMaterial } from './scene.ts';
import { type Sheet, sheets, slot } from '../testing/sheets.ts';

const SIZE = 64,
  MIDDLE = 32 * SIZE + 32,
  front = lookAt([0, 0, 0], 0.5, 0, 0);
const pictures = (scene: Scene, camera: Camera) => {
  const painter = new Painter(SIZE),
    meant = painter.picture(scene),
    drawn = painter.picture(scene);
  painter.draw(scene, camera, { meant, drawn });
  return { meant, drawn };
};
const paint = (list: readonly Sheet[], camera = front) => {
  return pictures(sheets(list), camera);
};
const colorAt = (picture: Picture, light: (typeof LIGHTS)[number], at = MIDDLE) => {
  const from = at * CHANNELS + LIGHTS.indexOf(light) * 3;
  return [...picture.color.subarray(from, from + 3)];
};
const red: Partial<SceneMaterial> = { factor: [0.8, 0.1, 0.05, 1], roughness: 0.6 },
  blue = { ...red, factor: [0.05, 0.1, 0.8, 1] as const };

/** Appendix B of glTF 2.0, written out as it stands there, for a surface that looks at the viewer. */
function appendixB(base: number, metallic: number, roughness: number, light: readonly number[]): number {
  const [, , nl] = light,
    half = [light[0], light[1], light[2] + 1],
    length = Math.hypot(...half),
    nh = half[2] / length,
    vh = nh,
    alpha = roughness ** 2;
  const D = alpha ** 2 / (Math.PI * (nh ** 2 * (alpha ** 2 - 1) + 1) ** 2),
    V = 0.5 / (nl * Math.sqrt(alpha ** 2 + 1 - alpha ** 2) + Math.sqrt(nl ** 2 * (1 - alpha ** 2) + alpha ** 2)),
    fresnel = (f0: number) => f0 + (1 - f0) * (1 - vh) ** 5;
  // A dielectric mixes both by Fresnel, a metal only reflects.
  const dielectric = ((1 - fresnel(0.04)) * base) / Math.PI + fresnel(0.04) * D * V,
    metal = fresnel(base) * D * V;
  return (dielectric + (metal - dielectric) * metallic) * nl;
}

describe('shading', () => {
  it('is that of Appendix B, under each light that comes from somewhere', () => {
    for (const roughness of [0.3, 0.6, 1])
      for (const metallic of [0, 1]) {
        const lit = paint([{ z: 0, material: { ...red, roughness, metallic } }]).meant;
        for (const light of ['front', 'side'] as const) {
          const { from, power, ambient } = SETUPS[light],
            got = colorAt(lit, light),
            // The sky's part is the same for both: what is left over red's and green's difference is the lamp's.
            wanted = (k: number) =>
              appendixB([0.8, 0.1, 0.05][k], metallic, roughness, from as readonly number[]) * power,
            sky = (k: number) => got[k] - wanted(k);
          // A sky all around gives no more than it has.
          for (const k of [0, 1, 2]) {
            expect(sky(k)).toBeGreaterThan(-0.012);
            expect(sky(k)).toBeLessThan(ambient * 1.1);
          }
        }
      }
  });
  it('shows the colour itself where light is flat, and adds what glows', () => {
    const { meant } = paint([{ z: 0, material: { ...red, emissive: [0.1, 0, 0.2] } }]);
    const [r, g, b] = colorAt(meant, 'flat');
    expect([r, g, b].map((x) => Math.round(x * 1000))).toEqual([900, 100, 250]);
    const unlit = paint([{ z: 0, material: { ...red, unlit: true } }]).meant;
    expect(colorAt(unlit, 'behind')).toEqual(colorAt(unlit, 'flat'));
  });
  it('takes green of a normal map for up, on a face seen from behind too', () => {
    const up = slot(4, 4, () => [128, 230, 200, 255], 'data'),
      bright = (material: Partial<SceneMaterial>, away = false) =>
        colorAt(paint([{ z: 0, away, material: { ...red, doubleSided: true, ...material } }]).meant, 'front')[1];
    const down = slot(4, 4, () => [128, 26, 200, 255], 'data');
    // The light comes from a little above: what leans up is brighter than what leans down.
    expect(bright({ normal: up })).toBeGreaterThan(bright({ normal: down }) * 1.05);
    expect(bright({ normal: up }, true)).toBeGreaterThan(bright({ normal: down }, true) * 1.05);
  });
  it('reads maps in their channels: roughness green, metalness blue, occlusion red', () => {
    const plain = paint([{ z: 0, material: { ...red, metallic: 1, roughness: 1 } }]).meant,
      mapped = (data: number[]) =>
        paint([{ z: 0, material: { ...red, metallic: 1, roughness: 1, metalRough: slot(2, 2, () => data, 'data') } }])
          .meant;
    expect(colorAt(mapped([0, 255, 255, 255]), 'side')).toEqual(colorAt(plain, 'side'));
    expect(colorAt(mapped([0, 80, 255, 255]), 'side')).not.toEqual(colorAt(plain, 'side'));
    expect(colorAt(mapped([0, 255, 0, 255]), 'side')[2]).not.toBe(colorAt(plain, 'side')[2]);
    const shut = paint([{ z: 0, material: { ...red, occlusion: slot(2, 2, () => [51, 0, 0, 255], 'data') } }]).meant;
    expect(colorAt(shut, 'flat')[0]).toBeCloseTo(0.8 * 0.2, 5);
  });
  it('chooses the level of a map by its footprint, colour averaged in linear light', () => {
    const checker = slot(64, 64, (x, y) => ((x + y) & 1 ? [255, 255, 255, 255] : [0, 0, 0, 255]));
    const far = paint(
      [{ z: 0, half: 0.5, material: { factor: [1, 1, 1, 1], base: checker } }],
      lookAt([0, 0, 0], 8, 0, 0),
    );
    expect(colorAt(far.meant, 'flat')[0]).toBeCloseTo(0.5, 2);
    expect(levelFor(checker.mips, 0.3)).toBe(0);
    expect(levelFor(checker.mips, 4)).toBe(2);
    expect(levelFor(checker.mips, 1e9)).toBe(6);
  });
});

describe('what is seen through', () => {
  const glass = (factor: Partial<SceneMaterial>['factor'], more: Partial<SceneMaterial> = {}) => ({
    ...red,
    ...more,
    mode: 'BLEND' as const,
    factor,
  });
  it('lies in true order as meant, and by the middles of parts as drawn', () => {
    const list = [
      { z: 0.1, material: glass([1, 0, 0, 0.5]) },
      { z: 0.05, material: glass([0, 1, 0, 0.5]) },
      { z: 0, material: { ...blue, factor: [0, 0, 1, 1] as const } },
    ];
    const { meant, drawn } = paint(list);
    expect(colorAt(meant, 'flat').map((x) => Math.round(x * 100))).toEqual([50, 25, 25]);
    expect(colorAt(drawn, 'flat')).toEqual(colorAt(meant, 'flat'));
    expect([...meant.shares.shown()].every((n) => n > 0)).toBe(true);
  });
  it('shows a part drawn last over what lies before it, as a usual engine does', () => {
    // One part of two sheets, before and far behind: its middle lies behind the other part, which is drawn over it.
    const scene = sheets([
        { z: 0.1, material: glass([1, 0, 0, 1]) },
        { z: -2, half: 0.4, material: glass([1, 0, 0, 1]) },
        { z: 0, material: glass([0, 1, 0, 1]) },
      ]),
      [first, , other] = scene.parts,
      parts = [
        { ...first, triangles: 4, vertices: 8 },
        { ...other, material: 1 },
      ],
      joined = {
        ...scene,
        parts,
        partOf: Uint16Array.of(0, 0, 0, 0, 1, 1),
        materials: [scene.materials[0], scene.materials[2]],
      };
    const { meant, drawn } = pictures(joined, front);
    expect(meant.material[MIDDLE]).toBe(0);
    expect(drawn.material[MIDDLE]).toBe(1);
  });
  it('cuts by one bit a pixel as drawn, and by the covered share as meant', () => {
    const stripes = slot(64, 64, (x) => [200, 200, 200, x % 4 === 0 ? 255 : 0]),
      coverage = { ...stripes, mips: coverageMips(stripes.mips[0], 0.5) };
    const { meant, drawn } = paint(
      [{ z: 0, material: { mode: 'MASK', factor: [1, 1, 1, 1], cutoff: 0.5, base: stripes, coverage } }],
      lookAt([0, 0, 0], 4, 0, 0),
    );
    expect(meant.alpha[MIDDLE]).toBeCloseTo(0.25, 1);
    // A quarter of alpha on the small level lies under the cut: drawn, all of it is gone.
    expect(drawn.alpha[MIDDLE]).toBe(0);
  });
});

describe('maps', () => {
  it('are halved to one texel, whatever their shape', () => {
    const levels = mipsOf({ width: 5, height: 3, data: new Uint8Array(60).fill(100) }, 'color');
    expect(levels.map(({ width, height }) => [width, height])).toEqual([
      [5, 3],
      [2, 1],
      [1, 1],
    ]);
    expect([...levels[2].data]).toEqual([100, 100, 100, 100]);
  });
  it('that two figures share are opened once; one that can’t be opened is none', async () => {
    let opened = 0;
    const maps = new Maps({
      ...testContext().images,
      decode: async (bytes) => {
        opened++;
        if (bytes[0] === 9) throw new Error('no image');
        return { width: 1, height: 1, data: Uint8Array.of(1, 2, 3, 128) };
      },
    });
    const bytes = Uint8Array.of(1, 2, 3);
    expect(await maps.mips(bytes, 'color')).toBe(await maps.mips(bytes.slice(), 'color'));
    expect((await maps.level(bytes.slice(), 'color', 512))?.width).toBe(1);
    expect(await maps.leastAlpha(bytes)).toBeCloseTo(128 / 255);
    expect(await maps.mips(Uint8Array.of(9), 'data')).toBeNull();
    expect(opened).toBe(2);
    expect(await maps.level(Uint8Array.of(9), 'color', 512)).toBeNull();
    await maps.mips(Uint8Array.of(1, 2, 4), 'color');
    expect(opened).toBe(3);
  });
});

it('a figure is drawn alike to the last bit on every machine', async () => {
  const document = stickFigure({ rings: 10, sides: 10 });
  document.getRoot().listMaterials()[0]?.setRoughnessFactor(0.4).setMetallicFactor(0.2);
  const scene = await createScene(createDeformer(document), new Maps(testContext().images)),
    painter = new Painter(128),
    picture = painter.picture(scene);
  // What was drawn on it before leaves nothing behind.
  painter.draw(scene, lookAt([0, 0.9, 0], 1, -70, 40), { meant: picture });
  painter.draw(scene, lookAt([0, 0.9, 0], 2, 30, 10), { meant: picture });
  expect(picture.alpha.reduce((sum, x) => sum + x, 0)).toBeGreaterThan(300);
  const crop = cropOf(picture, 'side', 64 * 128 + 64, 128);
  expect(createHash('sha256').update(crop.data).digest('hex').slice(0, 16)).toBe('45152917120aeac1');
  expect(LINEAR[255]).toBe(1);
});
