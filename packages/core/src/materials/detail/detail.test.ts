import { sharpCodec } from '@dimetra/platform';
import type { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { CHANNELS, createScene, LIGHTS, lookAt, Maps, Painter, type Picture } from '../../appearance/index.ts';
import { createDeformer, listParts } from '../../character/index.ts';
import { seededRandom } from '../../geometry/index.ts';
import { normalsLaidOver, type Pixels } from '../../pixels/index.ts';
import { SHIPPED_TARGETS } from '../../targets/index.ts';
import { type Ball, ballDocument, ballNormal } from '../../testing/ball.ts';
import { testContext } from '../../testing/context.ts';
import { bakeNormals } from './bake-normals.ts';
import { findCage } from './cage.ts';
import { detailStep } from './detail-step.ts';
import { fineSurface } from './fine-surface.ts';
import { shareHeld } from './lay-detail.ts';
import { sheetsOf } from './sheets.ts';

const smooth = () => 0.9;
/** Waves, alike on both sides, up to a fifth of a radian steep. */
const waves = (a: number, down: number) => 0.9 + 0.008 * Math.cos(12 * a) * Math.sin(24 * down);
/** The same everywhere but for a wart on one side alone. */
const wart = (a: number, down: number) => 0.9 + 0.03 * Math.exp(-((a - 1.2) ** 2 + (3 * (down - 0.5)) ** 2) / 0.01);
/** Waves that no repeat of a map meets again. */
const uneven = (a: number, down: number) =>
  0.9 + 0.008 * Math.cos(11 * a + 5 * down) * Math.sin(23 * down + Math.sin(a));
const low = (more: Partial<Ball> = {}) => ballDocument({ columns: 48, rows: 32, radius: smooth, ...more });
const fine = (radius: Ball['radius'], more: Partial<Ball> = {}) =>
  ballDocument({ columns: 240, rows: 160, radius, ...more });

/** Fine enough for what is only decided by it. */
const rough = (radius: Ball['radius'], more: Partial<Ball> = {}) => fine(radius, { columns: 120, rows: 80, ...more });

function baked(below: Document, above: Document, size = 256) {
  const { surface, sheets, height } = sheetsOf(below, []),
    over = fineSurface(above, surface),
    cage = findCage(surface, over, 0.02 * height);
  return { ...bakeNormals(surface, sheets[0].stretches, over, cage, size), cage, over };
}

/**
 * What a renderer makes of a map at a place of the coarse ball: the frame of the flat triangle there, from how its corners
 * lie in the map, about the smooth normal. Written for the test alone.
 */
function seen({ width, height, data }: Pixels, document: Document, s: number, down: number): number[] {
  const { prim } = listParts(document)[0],
    [uv, position, normal] = ['TEXCOORD_0', 'POSITION', 'NORMAL'].map(
      (name) => prim.getAttribute(name)?.getArray() as Float32Array,
    ),
    columns = 48,
    rows = 32,
    x = Math.min(columns - 1, Math.floor(s * columns)),
    y = Math.min(rows - 1, Math.floor(down * rows)),
    fx = s * columns - x,
    fy = down * rows - y,
    o = y * (columns + 1) + x,
    below = o + columns + 1,
    corners = fx + fy < 1 ? [o, below, o + 1] : [o + 1, below, below + 1],
    weights = fx + fy < 1 ? [1 - fx - fy, fy, fx] : [1 - fy, 1 - fx, fx + fy - 1],
    mixed = (array: Float32Array, n: number) =>
      Array.from({ length: n }, (_, k) => corners.reduce((sum, v, i) => sum + array[v * n + k] * weights[i], 0)),
    edge = (array: Float32Array, n: number, to: number) =>
      Array.from({ length: n }, (_, k) => array[corners[to] * n + k] - array[corners[0] * n + k]);
  const n = unit(mixed(normal, 3)),
    [u, v] = mixed(uv, 2),
    [e1, e2] = [edge(position, 3, 1), edge(position, 3, 2)],
    [d1, d2] = [edge(uv, 2, 1), edge(uv, 2, 2)],
    det = d1[0] * d2[1] - d2[0] * d1[1],
    // Where u grows, and where v falls: rows run down, green points up.
    t = level(
      e1.map((p, k) => (p * d2[1] - e2[k] * d1[1]) / det),
      n,
    ),
    b = level(
      e1.map((p, k) => -(e2[k] * d1[0] - p * d2[0]) / det),
      n,
    ),
    texel = (Math.min(height - 1, Math.floor(v * height)) * width + Math.min(width - 1, Math.floor(u * width))) * 4,
    [mx, my, mz] = [0, 1, 2].map((c) => data[texel + c] / 127.5 - 1);
  return unit(n.map((z, k) => t[k] * mx + b[k] * my + z * mz));
}
const unit = (a: number[]): number[] => a.map((x) => x / Math.hypot(...a));
const level = (a: number[], n: number[]): number[] => {
  const d = a.reduce((sum, x, k) => sum + x * n[k], 0);
  return unit(a.map((x, k) => x - d * n[k]));
};
const degrees = (a: number[], b: number[]): number =>
  (Math.acos(
    Math.min(
      1,
      a.reduce((sum, x, k) => sum + x * b[k], 0),
    ),
  ) *
    180) /
  Math.PI;

/** Degrees that a map is off a ball's true directions, at 4,000 places: the mean and the 99th of a hundred. */
function off(pixels: Pixels, document: Document, radius: Ball['radius']) {
  const random = seededRandom(3),
    all = Array.from({ length: 4000 }, () => {
      const s = random(),
        down = 0.02 + 0.96 * random();
      return degrees(seen(pixels, document, s, down), ballNormal({ radius }, s, down));
    }).sort((a, b) => a - b);
  return { mean: all.reduce((sum, x) => sum + x, 0) / all.length, p99: all[Math.floor(all.length * 0.99)] };
}
const levelMap: Pixels = { width: 1, height: 1, data: Uint8Array.of(128, 128, 255, 255) };

describe('directions of a finer model as a normal map', () => {
  for (const mirrored of [false, true])
    it(`are its true ones to a degree${mirrored ? ', on a layout whose halves share their places' : ''}`, () => {
      const below = low({ mirrored }),
        { pixels, texels, missing, disputedDegrees, shared, meanDegrees } = baked(below, fine(waves)),
        without = off(levelMap, below, waves),
        after = off(pixels, below, waves);
      expect(without.mean).toBeGreaterThan(4.5);
      expect(after.mean).toBeLessThan(0.8);
      expect(after.p99).toBeLessThan(2.5);
      expect(missing).toBe(0);
      expect(texels).toBeGreaterThan(0.98 * 256 * 256);
      expect(Math.abs(meanDegrees - without.mean)).toBeLessThan(0.5);
      if (mirrored) expect(shared).toBeGreaterThan(0.9 * texels);
      expect(disputedDegrees).toBeLessThan(0.4);
    });
  it('are looked for as far as the finer model lies off, and no farther', () => {
    const { cage } = baked(low(), fine(wart)),
      { positions } = sheetsOf(low(), []).surface;
    // The wart is 3 cm high; the flat of the coarse triangles is half a centimetre.
    expect(cage.most).toBeGreaterThan(0.028);
    expect(cage.most).toBeLessThan(0.04);
    const far = cage.reach.filter((_, v) => positions[v * 3] < 0);
    expect(Math.max(...far)).toBeLessThan(0.008);
  });
  it('are disputed where two places of the body share texels and want different things', () => {
    // A wart on one side alone is all there is to dispute, and all detail there is.
    const one = baked(low({ mirrored: true }), fine(wart));
    expect(one.disputedDegrees).toBeGreaterThan(0.3);
    const { disputedDegrees, meanDegrees, shared, texels } = baked(low({ repeats: 4 }), fine(uneven));
    expect(shared).toBeGreaterThan(10 * texels);
    expect(disputedDegrees).toBeGreaterThan(0.9 * meanDegrees);
    // What is the same in every repeat is served by one map, but for slopes that a ball has flatter at its waist.
    const same = baked(
      low({ repeats: 4 }),
      fine((a, down) => 0.9 + 0.008 * Math.cos(12 * a) * Math.sin(8 * Math.PI * down)),
    );
    expect(same.shared).toBeGreaterThan(10 * same.texels);
    expect(same.disputedDegrees).toBeLessThan(0.5 * same.meanDegrees);
  });
  it('are found whatever unit and up axis the finer model has', () => {
    const below = low(),
      as = (place: Ball['place']) =>
        fineSurface(fine(waves, { columns: 96, rows: 64, place }), sheetsOf(below, []).surface),
      came = as(undefined);
    expect(came.taken).toBeNull();
    const turned = as(([x, y, z]) => [x * 100, -z * 100, y * 100]);
    expect(turned.taken).toMatch(/centimetres, Z up|stood up/);
    let apart = 0;
    for (let i = 0; i < came.positions.length; i++)
      apart = Math.max(
        apart,
        Math.abs(came.positions[i] - turned.positions[i]),
        Math.abs(came.normals[i] - turned.normals[i]),
      );
    expect(apart).toBeLessThan(2e-3);
  });
});

const context = (other: Document) => ({
  ...testContext(),
  images: sharpCodec,
  character: async (name: string) => ({ document: other, name }),
});
const run = (document: Document, other: Document, more: Record<string, unknown> = {}) =>
  detailStep.run(
    document,
    { materials: [], size: '512', own: 'found', from: 'sculpt', ...more } as never,
    SHIPPED_TARGETS[0],
    context(other),
  );
const mapOf = async (document: Document): Promise<Pixels> =>
  sharpCodec.decode(listParts(document)[0].material?.getNormalTexture()?.getImage() as Uint8Array);
async function withMap(document: Document, pixels: Pixels): Promise<Document> {
  const texture = document
    .createTexture('own')
    .setMimeType('image/png')
    .setImage((await sharpCodec.encode?.(pixels)) as Uint8Array);
  listParts(document)[0].material?.setNormalTexture(texture);
  return document;
}
/** Fine grain that has nothing to do with waves. */
const grain = (size: number): Pixels => {
  const random = seededRandom(5),
    data = new Uint8Array(size * size * 4);
  for (let i = 0; i < data.length; i += 4) {
    const x = (random() - 0.5) * 0.3,
      y = (random() - 0.5) * 0.3;
    [x, y, Math.sqrt(1 - x * x - y * y)].forEach((c, k) => {
      data[i + k] = Math.round((c + 1) * 127.5);
    });
    data[i + 3] = 255;
  }
  return { width: size, height: size, data };
};

describe('the step for fine detail', () => {
  it('makes a map of the target’s surface from the finer model, and says how much it holds', async () => {
    const document = low(),
      { measures, findings } = await run(document, fine(waves));
    expect(findings.map(({ code }) => code)).toEqual(['materials.detail-made']);
    expect(off(await mapOf(document), document, waves).mean).toBeLessThan(0.8);
    expect(measures.find(({ code }) => code === 'detail-of-finer')?.result).toBeGreaterThan(4.5);
    expect(measures.find(({ code }) => code === 'detail-maps')?.result).toBe(1);
  });
  it('chooses a map as fine as the model', async () => {
    const document = low();
    await run(document, rough(waves), { size: 'found' });
    // 120 edges around, two texels each.
    expect((await mapOf(document)).width).toBe(256);
  });
  it('lays a map of something else on top, and leaves one that holds the same', async () => {
    const document = await withMap(low(), grain(512));
    expect((await run(document, rough(waves))).findings[0]).toMatchObject({
      code: 'materials.detail-made',
      message: expect.stringContaining('lies on top'),
    });
    const both = await mapOf(document),
      { pixels, known } = baked(low(), rough(waves));
    expect(shareHeld({ pixels, known }, both)).toBeGreaterThan(0.9);
    expect(shareHeld({ pixels: grain(512), known }, both)).toBeGreaterThan(0.85);
    // Again: now it is there.
    const before = listParts(document)[0].material?.getNormalTexture();
    expect((await run(document, rough(waves))).findings.map(({ code }) => code)).toEqual(['materials.detail-kept-own']);
    expect(listParts(document)[0].material?.getNormalTexture()).toBe(before);
  });
  it('says when the finer model holds nothing more, lies elsewhere, is empty or covers nothing that was named', async () => {
    const same = low();
    expect((await run(same, rough(smooth))).findings.map(({ code }) => code)).toEqual(['materials.finer-same']);
    expect(listParts(same)[0].material?.getNormalTexture()).toBeNull();
    await expect(run(low(), rough(waves, { place: ([x, y, z]) => [x + 3, y, z] }))).rejects.toMatchObject({
      code: 'materials.finer-elsewhere',
    });
    await expect(run(low(), rough(waves, { material: 'hair' }))).rejects.toMatchObject({
      code: 'materials.finer-empty',
    });
    expect((await run(low(), rough(waves), { materials: ['boots'] })).findings[0].code).toBe(
      'materials.finer-covers-nothing',
    );
    // A warning where somebody asked for it by name.
    const [told] = (await run(low({ repeats: 4 }), rough(uneven))).findings;
    expect(told).toMatchObject({ code: 'materials.detail-repeated', severity: 'info' });
    expect(told.measured).toBeGreaterThan(told.limit as number);
    expect((await run(low({ repeats: 4 }), rough(uneven), { materials: ['skin'] })).findings[0].severity).toBe(
      'warning',
    );
    await expect(
      detailStep.run(low(), { materials: [], size: '512', own: 'found', from: 'x' } as never, SHIPPED_TARGETS[0], {
        ...testContext(),
        images: sharpCodec,
      }),
    ).rejects.toMatchObject({ code: 'materials.no-finer' });
  });
});

/** The side-lit picture of a ball, from the front. */
async function pictured(document: Document): Promise<Picture> {
  const scene = await createScene(createDeformer(document), new Maps(sharpCodec)),
    painter = new Painter(128),
    picture = painter.picture(scene);
  painter.draw(scene, lookAt([0, 1, 0], 2.2, 20, 5), { meant: picture });
  return picture;
}
const side = LIGHTS.indexOf('side') * 3;
/** Mean difference of light where both are covered. */
function unlike(a: Picture, b: Picture): number {
  let sum = 0,
    count = 0;
  for (let i = 0; i < a.alpha.length; i++) {
    if (a.alpha[i] < 1 || b.alpha[i] < 1) continue;
    count++;
    sum += Math.abs(a.color[i * CHANNELS + side] - b.color[i * CHANNELS + side]);
  }
  expect(count).toBeGreaterThan(2000);
  return sum / count;
}

it('looks like the finer model once it wears the map, drawn by what knows nothing of baking', async () => {
  const document = low(),
    [finer, plain] = await Promise.all([pictured(rough(waves)), pictured(document)]);
  await run(document, rough(waves), { size: '1024' });
  expect(unlike(await pictured(document), finer)).toBeLessThan(0.3 * unlike(plain, finer));
});

describe('fine normals on coarse ones', () => {
  it('are either where the other is level, and the turn of both where both tilt', () => {
    const tilt = (x: number, y: number): Pixels => ({
        width: 1,
        height: 1,
        data: Uint8Array.of(...[x, y, Math.sqrt(1 - x * x - y * y)].map((c) => Math.round((c + 1) * 127.5)), 255),
      }),
      direction = ({ data }: Pixels) => [0, 1, 2].map((c) => data[c] / 127.5 - 1);
    expect(
      degrees(unit(direction(normalsLaidOver(tilt(0.3, 0.1), tilt(0, 0)))), unit([0.3, 0.1, Math.sqrt(0.9)])),
    ).toBeLessThan(0.9);
    expect(
      degrees(unit(direction(normalsLaidOver(tilt(0, 0), tilt(-0.2, 0.4)))), unit([-0.2, 0.4, Math.sqrt(0.8)])),
    ).toBeLessThan(0.9);
    // 20° and 25° about one axis are 45°.
    const both = direction(normalsLaidOver(tilt(Math.sin(0.35), 0), tilt(Math.sin(0.43), 0)));
    expect(degrees(unit(both), [Math.sin(0.78), 0, Math.cos(0.78)])).toBeLessThan(0.9);
  });
});
