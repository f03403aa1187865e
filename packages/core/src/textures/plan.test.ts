import { Document, type Texture } from '@gltf-transform/core';
import fc from 'fast-check';
import sharp from 'sharp';
import { beforeAll, describe, expect, it } from 'vitest';
import { createGltfIO } from '../formats/index.ts';
import { seededRandom } from '../geometry/index.ts';
import type { Pixels } from '../pixels/codec.ts';
import {
  addOperation,
  clearOperations,
  inverted,
  normalsFromHeight,
  packSurface,
  operationsOf,
  textureMemory,
  textureState,
  withAlpha,
} from '../pixels/index.ts';
import { applyTexturePlan, type MapKnowledge, planTextures, type TextureRule } from './index.ts';

const images = new Map<string, Uint8Array<ArrayBuffer>>();
const sizes = [
  [256, 256],
  [512, 256],
  [64, 1024],
  [300, 200],
] as const;
beforeAll(async () => {
  await createGltfIO();
  for (const [width, height] of sizes)
    images.set(
      `${width}x${height}`,
      new Uint8Array(
        await sharp({ create: { width, height, channels: 3, background: '#888' } })
          .png()
          .toBuffer(),
      ),
    );
  images.set(
    'webp',
    new Uint8Array(
      await sharp({ create: { width: 256, height: 256, channels: 4, background: '#8888' } })
        .webp()
        .toBuffer(),
    ),
  );
});
type Use = 'color' | 'normal' | 'data' | 'emissive';
/** A document whose materials wear one image each. */
function wearing(...uses: [Use, string, string?][]): { document: Document; textures: Texture[] } {
  const document = new Document();
  const textures = uses.map(([use, size, mime = 'image/png']) => {
    const texture = document
        .createTexture()
        .setMimeType(mime)
        .setImage(images.get(size) as Uint8Array<ArrayBuffer>),
      material = document.createMaterial();
    if (use === 'color') material.setBaseColorTexture(texture);
    else if (use === 'normal') material.setNormalTexture(texture);
    else if (use === 'emissive') material.setEmissiveTexture(texture);
    else material.setMetallicRoughnessTexture(texture);
    return texture;
  });
  return { document, textures };
}
const rule = (change: Partial<TextureRule> = {}): TextureRule => ({
  maxSize: 4096,
  sizes: {},
  formats: ['image/png', 'image/jpeg'],
  ...change,
});
const to = (document: Document, change: Partial<TextureRule> = {}) =>
  planTextures(document, rule(change)).map((plan) => [plan.to.width, plan.to.height]);

describe('planned sizes', () => {
  it('come down to the limit in proportion, and never up', () => {
    expect(
      to(wearing(['color', '512x256'], ['color', '64x1024'], ['color', '300x200']).document, { maxSize: 128 }),
    ).toEqual([
      [128, 64],
      [8, 128],
      [128, 85],
    ]);
    expect(to(wearing(['color', '256x256']).document)).toEqual([[256, 256]]);
  });
  it('go by the channel where it has a limit of its own, and by the widest of two uses', () => {
    const {
      document,
      textures: [shared],
    } = wearing(['color', '512x256'], ['normal', '512x256']);
    expect(to(document, { sizes: { normal: 64 } })).toEqual([
      [512, 256],
      [64, 32],
    ]);
    document.createMaterial().setNormalTexture(shared);
    expect(to(document, { sizes: { normal: 64 } })[0]).toEqual([512, 256]);
  });
  it('keep a pixel of what is much longer than wide', () => {
    expect(to(wearing(['color', '64x1024']).document, { maxSize: 16 })).toEqual([[1, 16]]);
  });
  it('give up data before normals before colour until the memory fits', () => {
    const { document } = wearing(['color', '256x256'], ['normal', '256x256'], ['data', '256x256']),
      one = textureMemory({ width: 256, height: 256 });
    expect(to(document, { maxMemory: one * 3 + 3 })).toEqual([
      [256, 256],
      [256, 256],
      [256, 256],
    ]);
    expect(to(document, { maxMemory: one * 2.3 })).toEqual([
      [256, 256],
      [256, 256],
      [128, 128],
    ]);
    expect(to(document, { maxMemory: one * 1.6 })).toEqual([
      [256, 256],
      [128, 128],
      [128, 128],
    ]);
  });
  it('take no room for what nothing wears, which is not delivered', () => {
    const { document } = wearing(['color', '256x256']),
      one = textureMemory({ width: 256, height: 256 });
    document
      .createTexture('left over')
      .setMimeType('image/png')
      .setImage(images.get('512x256') as Uint8Array<ArrayBuffer>);
    expect(to(document, { maxMemory: one + 1 })).toEqual([[256, 256]]);
  });
  it('stop at 64 pixels whatever the memory: below that nothing is worth keeping', () => {
    expect(to(wearing(['color', '256x256'], ['data', '256x256']).document, { maxMemory: 1 })).toEqual([
      [64, 64],
      [64, 64],
    ]);
  });
  it('fit the memory or are all small, for any mixture', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.tuple(
            fc.constantFrom<Use>('color', 'normal', 'data', 'emissive'),
            fc.constantFrom(...sizes.map((size) => size.join('x'))),
          ),
          { minLength: 1, maxLength: 8 },
        ),
        fc.integer({ min: 1, max: 3_000_000 }),
        (uses, maxMemory) => {
          const plans = planTextures(wearing(...(uses as [Use, string][])).document, rule({ maxMemory })),
            memory = plans.reduce((sum, plan) => sum + textureMemory(plan.to), 0);
          expect(
            memory <= maxMemory + plans.length || plans.every((plan) => Math.max(plan.to.width, plan.to.height) <= 64),
          ).toBe(true);
          for (const plan of plans) {
            expect(plan.to.width).toBeLessThanOrEqual(plan.from.width);
            expect(Math.abs(plan.to.width / plan.to.height / (plan.from.width / plan.from.height) - 1)).toBeLessThan(
              0.35,
            );
          }
        },
      ),
      { seed: 11, numRuns: 60 },
    );
  });
  it("leave out images that can't be measured, and say no size of them", () => {
    const { document } = wearing(['color', '256x256']);
    for (const bytes of [
      Uint8Array.of(1, 2),
      new Uint8Array(0),
      (images.get('512x256') as Uint8Array<ArrayBuffer>).slice(0, 12),
    ])
      document.createMaterial().setBaseColorTexture(document.createTexture().setImage(bytes).setMimeType('image/png'));
    expect(planTextures(document, rule())).toHaveLength(1);
    for (const texture of document.getRoot().listTextures().slice(1))
      expect(textureState(texture)).toMatchObject({ width: 0, height: 0 });
  });
});

describe('sizes by what is known of maps', () => {
  const one = textureMemory({ width: 256, height: 256 });
  const planned = (change: Partial<TextureRule>, known: (textures: Texture[]) => MapKnowledge) => {
    const { document, textures } = wearing(['color', '256x256'], ['normal', '256x256'], ['color', '256x256']);
    return planTextures(document, rule(change), known(textures)).map(({ to, reason, loss }) => [
      to.width,
      reason,
      loss,
    ]);
  };
  const losses =
    (...rows: number[][]) =>
    (textures: Texture[]): MapKnowledge => ({
      loss: new Map(rows.map((row, i) => [textures[i], Float64Array.from(row)])),
    });
  it('give up what is missed least for the memory it gives, whatever it holds', () => {
    const known = losses([0, 10, 100, 1000], [0, 50, 60, 70], [0, 5000, 6000, 7000]);
    expect(planned({ maxMemory: one * 2.3 }, known)).toEqual([
      [128, 'memory', 10],
      [256, 'as it came', 0],
      [256, 'as it came', 0],
    ]);
    // The next step of the first would cost 90 for a quarter of the memory that 50 buy.
    expect(planned({ maxMemory: one * 1.6 }, known)).toEqual([
      [128, 'memory', 10],
      [128, 'memory', 50],
      [256, 'as it came', 0],
    ]);
  });
  it('spend no more loss than any other choice of halvings that fits as well', () => {
    const random = seededRandom(5),
      rows = [0, 1, 2].map(() => {
        // Convex, as detail usually lies: each halving costs more than the one before.
        const steps = [random() * 10, 10 + random() * 100, 110 + random() * 1000].map((x) => x);
        return [0, steps[0], steps[0] + steps[1], steps[0] + steps[1] + steps[2]];
      });
    const sizes = [256, 128, 64],
      memory = (choice: readonly number[]) =>
        choice.reduce((sum, k) => sum + textureMemory({ width: sizes[k], height: sizes[k] }), 0),
      cost = (choice: readonly number[]) => choice.reduce((sum, k, i) => sum + rows[i][k], 0);
    const choices = sizes.flatMap((_, a) => sizes.flatMap((__, b) => sizes.map((___, c) => [a, b, c])));
    for (const maxMemory of [2.3, 2.1, 1.6, 1.4, 0.8, 0.4].map((share) => share * one)) {
      const plan = planned({ maxMemory }, losses(...rows)),
        own = plan.map(([width]) => sizes.indexOf(width as number));
      expect(memory(own)).toBeLessThanOrEqual(maxMemory + 3);
      // Of those that need no less memory than it has left to give, none is cheaper.
      const as = choices.filter((choice) => memory(choice) <= memory(own));
      expect(cost(own)).toBeLessThanOrEqual(Math.min(...as.map(cost)) + 1e-9);
    }
  });
  it('give back what the last halving gave beyond what was needed', () => {
    // Second and third go first and don't suffice; with the first, twice as large, more is free than either took.
    const known = losses([0, 40, 80, 120], [0, 10, 1000, 2000], [0, 11, 1000, 2000]),
      { document, textures } = wearing(['color', '512x256'], ['color', '256x256'], ['color', '256x256']),
      plan = planTextures(document, rule({ maxMemory: one * 2.4 }), known(textures));
    expect(plan.map(({ to, reason }) => [to.width, reason])).toEqual([
      [256, 'memory'],
      [128, 'memory'],
      [256, 'as it came'],
    ]);
  });
  it('keep what nothing is known of while something else can be given', () => {
    expect(planned({ maxMemory: one * 1.2 }, losses([0, 1e9, 2e9], [0, 1e9, 2e9])).map(([width]) => width)).toEqual([
      64, 64, 256,
    ]);
  });
  it('lie no denser than is asked, by halves', () => {
    const known = ([first, second]: Texture[]): MapKnowledge => ({
      perCm: new Map([
        [first, 40],
        [second, 10],
      ]),
    });
    expect(planned({ texelsPerCm: 12 }, known)).toEqual([
      [64, 'density', undefined],
      [256, 'as it came', undefined],
      [256, 'as it came', undefined],
    ]);
    expect(planned({ texelsPerCm: 40 }, known)[0][0]).toBe(256);
  });
  it('lie in whole blocks of four where maps are packed, and take the room that packed ones take', () => {
    const { document } = wearing(['color', '300x200'], ['normal', '64x1024'], ['data', '256x256']),
      plan = (change: Partial<TextureRule>) => planTextures(document, rule({ packed: 'uastc', ...change }));
    expect(plan({ maxSize: 90 }).map(({ to }) => [to.width, to.height])).toEqual([
      [88, 60],
      [4, 88],
      [88, 88],
    ]);
    const whole = plan({}),
      memory = whole.reduce((sum, { to }) => sum + textureMemory(to), 0);
    expect(memory).toBeCloseTo(((300 * 200 + 64 * 1024 + 256 * 256) * 4) / 3, -1);
    // What fits packed is not made smaller, whatever it would take unpacked.
    expect(plan({ maxMemory: memory + 4 }).map(({ reason }) => reason)).toEqual(whole.map(() => 'as it came'));
    applyTexturePlan(whole);
    expect(
      document
        .getRoot()
        .listTextures()
        .map((texture) => operationsOf(texture)),
    ).toEqual(['color', 'normal', 'data'].map((content) => [{ op: 'pack', packing: 'uastc', content, maxError: 1 }]));
  });
  it('are no finer than is seen where that is asked, and as fine otherwise', () => {
    const known = losses([0, 0, 1, 1000], [0, 500, 900, 1000], [0, 0, 0, 0]);
    expect(planned({ asSeen: true }, known)).toEqual([
      [64, 'as seen', 1],
      [256, 'as it came', 0],
      [64, 'as seen', 0],
    ]);
    expect(planned({}, known).map(([width]) => width)).toEqual([256, 256, 256]);
  });
});

describe('planned formats', () => {
  const format = (use: Use, mime: string, formats: TextureRule['formats'], alpha: 'OPAQUE' | 'BLEND' = 'OPAQUE') => {
    const { document } = wearing([use, mime === 'image/webp' ? 'webp' : '256x256', mime]);
    document.getRoot().listMaterials()[0].setAlphaMode(alpha);
    return planTextures(document, rule({ formats }))[0].to.mimeType;
  };
  it('stay where the target takes them', () => {
    expect(format('color', 'image/png', ['image/jpeg', 'image/png'])).toBe('image/png');
  });
  it("become the target's best where not", () => {
    expect(format('color', 'image/webp', ['image/jpeg', 'image/png'])).toBe('image/jpeg');
  });
  it('keep an alpha that is needed', () => {
    expect(format('color', 'image/webp', ['image/jpeg', 'image/png'], 'BLEND')).toBe('image/png');
  });
});

describe('what was decided for an image', () => {
  it('is written down once and read as the state it will have', () => {
    const {
      document,
      textures: [texture],
    } = wearing(['color', '512x256']);
    applyTexturePlan(planTextures(document, rule({ maxSize: 128, formats: ['image/jpeg'] })));
    expect(operationsOf(texture).map((entry) => entry.op)).toEqual(['resize', 'encode']);
    expect(textureState(texture)).toMatchObject({ width: 128, height: 64, mimeType: 'image/jpeg' });
    addOperation(texture, { op: 'resize', width: 32, height: 16, content: 'color' });
    expect(operationsOf(texture)).toHaveLength(2);
    expect(textureState(texture)).toMatchObject({ width: 32, height: 16 });
    clearOperations(texture);
    expect(textureState(texture)).toMatchObject({ width: 512, height: 256, mimeType: 'image/png' });
  });
  it('is nothing where the extras hold nonsense', () => {
    const {
      textures: [texture],
    } = wearing(['color', '256x256']);
    texture.setExtras({ dimetra: { operations: [{ op: 'melt' }] }, own: 1 });
    expect(operationsOf(texture)).toEqual([]);
    clearOperations(texture);
    expect(texture.getExtras()).toEqual({ own: 1 });
  });
  it('costs four bytes a texel and a third more for the smaller copies', () => {
    expect(textureMemory({ width: 1024, height: 1024 })).toBe(Math.round((1024 * 1024 * 16) / 3));
  });
});

describe('pixels', () => {
  const random = seededRandom(3),
    noise = (n: number): Pixels => ({
      width: n,
      height: n,
      data: Uint8Array.from({ length: n * n * 4 }, () => Math.floor(random() * 256)),
    });
  const ramp = (n: number, of: (x: number, y: number) => number): Pixels => ({
    width: n,
    height: n,
    data: Uint8Array.from({ length: n * n * 4 }, (_, i) =>
      i % 4 === 3 ? 255 : of((i >> 2) % n, Math.floor(i / 4 / n)),
    ),
  });
  const at = ({ width, data }: Pixels, x: number, y: number) => [
    ...data.subarray((y * width + x) * 4, (y * width + x) * 4 + 3),
  ];
  it('of a flat height point straight out, of a slope against it, with green upwards', () => {
    expect(
      at(
        normalsFromHeight(
          ramp(8, () => 90),
          4,
        ),
        4,
        4,
      ),
    ).toEqual([128, 128, 255]);
    const [right] = at(
        normalsFromHeight(
          ramp(16, (x) => x * 16),
          4,
        ),
        8,
        8,
      ),
      [, up] = at(
        normalsFromHeight(
          ramp(16, (_, y) => y * 16),
          4,
        ),
        8,
        8,
      );
    expect(right).toBeLessThan(120);
    // Height that grows down the picture leans up.
    expect(up).toBeGreaterThan(136);
  });
  it('of the same bump tilt alike at every size: slope is height times texels per metre', () => {
    // One wave a tenth of a metre long and 1 mm high, drawn on 64 and on 512 texels: the steepest tilt is atan(π · 0.001 / 0.1).
    const steepest = (n: number) => {
      const { data } = normalsFromHeight(
        ramp(n, (x) => Math.round(127.5 + 127.5 * Math.sin((2 * Math.PI * (x + 0.5)) / n))),
        0.001 * (n / 0.1),
        true,
      );
      let most = 0;
      for (let i = 0; i < data.length; i += 4) most = Math.max(most, Math.abs(data[i] / 127.5 - 1));
      return most;
    };
    const wanted = Math.sin(Math.atan((Math.PI * 0.001) / 0.1));
    for (const n of [64, 512]) expect(Math.abs(steepest(n) - wanted)).toBeLessThan(0.012);
  });
  it('meet at the edges only where the picture does', () => {
    const step = ramp(16, (x) => x * 16);
    expect(at(normalsFromHeight(step, 4, true), 15, 8)[0]).toBeGreaterThan(200);
    expect(at(normalsFromHeight(step, 4, false), 15, 8)[0]).toBeLessThan(128);
  });
  it("packs roughness and metalness into green and blue, each full where it isn't", () => {
    const rough = ramp(2, () => 80),
      metal = ramp(1, () => 200);
    expect(at(packSurface(rough, metal), 1, 1)).toEqual([255, 80, 200]);
    expect(at(packSurface(rough, null), 0, 0)).toEqual([255, 80, 255]);
    expect(at(packSurface(null, metal), 0, 0)).toEqual([255, 255, 200]);
  });
  it('of heights are directions of length one', () => {
    const { data } = normalsFromHeight(noise(16), 4);
    for (let i = 0; i < data.length; i += 4)
      expect(Math.hypot(data[i] / 127.5 - 1, data[i + 1] / 127.5 - 1, data[i + 2] / 127.5 - 1)).toBeCloseTo(1, 1);
  });
  it('turned over twice are as they were, and only the channels that were named', () => {
    const before = noise(8),
      once = inverted(before, [1]);
    expect(inverted(once, [1])).toEqual(before);
    once.data.forEach((value, i) => expect(value).toBe(i % 4 === 1 ? 255 - before.data[i] : before.data[i]));
  });
  it('take their alpha from an image of another size, texel by texel', () => {
    const out = withAlpha(
      noise(8),
      ramp(2, (x, y) => x * 100 + y * 50),
    );
    expect([out.data[3], out.data[7 * 4 + 3], out.data[7 * 8 * 4 + 3], out.data[(7 * 8 + 7) * 4 + 3]]).toEqual([
      0, 100, 50, 150,
    ]);
  });
});
