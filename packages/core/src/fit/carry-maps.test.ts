import { Document, type Primitive } from '@gltf-transform/core';
import sharp from 'sharp';
import { describe, expect, it } from 'vitest';
import type { ImageCodec, Pixels } from '../pixels/index.ts';
import { testContext } from '../testing/context.ts';
import { carryMaps } from './carry-maps.ts';
import { carryReplacedMorphs } from './carry-morphs.ts';
import { createDeformer, floatsOf } from '../character/index.ts';
import { dropReplaced, FROM_SHARES, FROM_TRIANGLE, keepReplaced, type Replaced, replacedIn } from './replaced.ts';

const images: ImageCodec = {
  decode: async (bytes) => {
    const { data, info } = await sharp(bytes).ensureAlpha().raw().toBuffer({ resolveWithObject: true });
    return { width: info.width, height: info.height, data: new Uint8Array(data) };
  },
  encode: async ({ width, height, data }) =>
    new Uint8Array(
      await sharp(data, { raw: { width, height, channels: 4 } })
        .png()
        .toBuffer(),
    ),
} as ImageCodec;
const context = { ...testContext(), images };

const png = (size: number, of: (x: number, y: number) => readonly number[]) =>
  images.encode?.(
    {
      width: size,
      height: size,
      data: Uint8Array.from(
        Array.from({ length: size * size }, (_, i) => [...of(i % size, Math.floor(i / size)), 255]).flat(),
      ),
    },
    {},
  ) as Promise<Uint8Array<ArrayBuffer>>;

/** Texture places of a unit square's corners (0,0) (1,0) (1,1) (0,1), by u and v of each. */
type Layout = readonly number[];
const STRAIGHT: Layout = [0, 1, 1, 1, 1, 0, 0, 0];
/** The map lies on its side: what was to the right is up. */
const TURNED: Layout = [0, 0, 0, 1, 1, 1, 1, 0];
const HALF: Layout = [0, 0.5, 0.5, 0.5, 0.5, 0, 0, 0];

function square(document: Document, uv: Layout): Primitive {
  const put = (type: 'VEC2' | 'VEC3', values: readonly number[]) =>
    document.createAccessor().setType(type).setArray(Float32Array.from(values));
  return document
    .createPrimitive()
    .setAttribute('POSITION', put('VEC3', [0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0]))
    .setAttribute('NORMAL', put('VEC3', [0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1]))
    .setAttribute('TEXCOORD_0', put('VEC2', uv))
    .setIndices(
      document
        .createAccessor()
        .setType('SCALAR')
        .setArray(Uint16Array.of(0, 1, 2, 0, 2, 3)),
    );
}

/** A square of skin with maps, and another in its place, laid out otherwise, whose vertices know where they lie. */
async function exchanged(layout: Layout, maps: { color?: Uint8Array; normal?: Uint8Array }, scale = 1) {
  const document = new Document(),
    scene = document.createScene(),
    material = document.createMaterial('Skin'),
    texture = (name: string, image: Uint8Array | undefined) =>
      image
        ? document
            .createTexture(name)
            .setImage(image as Uint8Array<ArrayBuffer>)
            .setMimeType('image/png')
        : null;
  document.createBuffer();
  material
    .setBaseColorTexture(texture('color', maps.color))
    .setNormalTexture(texture('normal', maps.normal))
    .setNormalScale(scale)
    .setBaseColorFactor([0.5, 1, 1, 1]);
  const old = square(document, STRAIGHT).setMaterial(material),
    lift = document.createPrimitiveTarget('lift').setAttribute(
      'POSITION',
      document
        .createAccessor()
        .setType('VEC3')
        .setArray(Float32Array.of(0, 0, 0, 0, 0, 1, 0, 0, 1, 0, 0, 0)),
    ),
    node = document.createNode('Skin').setMesh(
      document
        .createMesh('Skin')
        .addPrimitive(old.addTarget(lift))
        .setExtras({ targetNames: ['lift'] }),
    );
  scene.addChild(node);
  const deformer = createDeformer(document);
  keepReplaced(document, deformer, deformer.evaluate(new Float32Array(12)));
  node.dispose();
  const fresh = square(document, layout).setMaterial(material.clone().setName('New')),
    // Corner 1 of both triangles is vertex 0; the others follow.
    put = (type: 'SCALAR' | 'VEC2', values: number[]) =>
      document.createAccessor().setType(type).setArray(Float32Array.from(values));
  fresh
    .setAttribute(FROM_TRIANGLE, put('SCALAR', [0, 0, 1, 1]))
    .setAttribute(FROM_SHARES, put('VEC2', [0, 0, 1, 0, 1, 0, 0, 1]))
    .addTarget(
      document
        .createPrimitiveTarget('lift')
        .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(new Float32Array(12))),
    );
  scene.addChild(
    document.createNode('New').setMesh(
      document
        .createMesh('New')
        .addPrimitive(fresh)
        .setExtras({ targetNames: ['lift'] }),
    ),
  );
  return { document, fresh, replaced: replacedIn(document) as Replaced };
}
type Exchanged = Awaited<ReturnType<typeof exchanged>>;

const carried = async ({ document, replaced }: Exchanged, most: number | null = null) =>
  carryMaps(document, replaced, most, context, () => {});
const opened = (image: Uint8Array | null | undefined): Promise<Pixels> => images.decode(image as Uint8Array);
const at = ({ data, width }: Pixels, x: number, y: number) => [
  ...data.subarray((y * width + x) * 4, (y * width + x) * 4 + 3),
];

describe('maps laid out anew', () => {
  it('are the same to the byte where the new surface is laid out as the old one', async () => {
    const color = await png(64, (x, y) => [x * 4, y * 4, (x * y) % 251]),
      made = await exchanged(STRAIGHT, { color });
    await carried(made);
    const before = await opened(color),
      after = await opened(made.fresh.getMaterial()?.getBaseColorTexture()?.getImage());
    let off = 0;
    for (let i = 0; i < before.data.length; i++) off = Math.max(off, Math.abs(before.data[i] - after.data[i]));
    expect(off).toBeLessThanOrEqual(1);
  });
  it('turn where the layout does, colours in linear light and factors as they were', async () => {
    const color = await png(64, (x) => (x < 32 ? [200, 0, 0] : [0, 0, 200])),
      made = await exchanged(TURNED, { color }),
      { maps } = await carried(made);
    const after = await opened(made.fresh.getMaterial()?.getBaseColorTexture()?.getImage());
    // What was left is at the top now: at u 0 … 1, v 0.
    expect(at(after, 10, 5)).toEqual([200, 0, 0]);
    expect(at(after, 50, 5)).toEqual([200, 0, 0]);
    expect(at(after, 10, 58)).toEqual([0, 0, 200]);
    expect(made.fresh.getMaterial()?.getBaseColorFactor()).toEqual([0.5, 1, 1, 1]);
    expect(maps).toMatchObject([{ material: 'New', channel: 'baseColor', before: 64, size: 64 }]);
  });
  it('turn slopes into the frame of the new layout', async () => {
    // Leaning along +u by 3:4 everywhere.
    const normal = await png(16, () => [204, 128, 230]),
      made = await exchanged(TURNED, { normal });
    await carried(made);
    const [x, y, z] = at(await opened(made.fresh.getMaterial()?.getNormalTexture()?.getImage()), 8, 8).map(
      (byte) => byte / 127.5 - 1,
    );
    // World +x is down the new map, which is −v: green points up it.
    expect(Math.abs(x)).toBeLessThan(0.02);
    expect(y).toBeCloseTo(-0.6, 1);
    expect(z).toBeCloseTo(0.8, 1);
  });
  it('hold what a scale of normals did', async () => {
    const normal = await png(16, () => [204, 128, 230]),
      made = await exchanged(STRAIGHT, { normal }, 2);
    await carried(made);
    const material = made.fresh.getMaterial(),
      [x, , z] = at(await opened(material?.getNormalTexture()?.getImage()), 8, 8).map((byte) => byte / 127.5 - 1);
    expect(material?.getNormalScale()).toBe(1);
    expect(x / z).toBeCloseTo((2 * 0.6) / 0.8, 1);
  });
  it('are made as fine as they were where islands are smaller, as far as somebody allows', async () => {
    const color = await png(64, () => [9, 9, 9]);
    const sizeOf = async (layout: Layout, most: number | null = null) =>
      (await carried(await exchanged(layout, { color }), most)).maps[0].size;
    expect([await sizeOf(STRAIGHT), await sizeOf(HALF), await sizeOf(HALF, 64)]).toEqual([64, 128, 64]);
  });
  it('average what one texel shows, and fill what lies beside islands', async () => {
    // Stripes of three texels: a texel of the new map shows eight of them, whichever lie in its middle.
    const color = await png(64, (x) => (x % 6 < 3 ? [255, 255, 255] : [0, 0, 0])),
      made = await exchanged(HALF, { color });
    await carried(made, 16);
    const after = await opened(made.fresh.getMaterial()?.getBaseColorTexture()?.getImage()),
      means = [1, 2, 3, 4, 5, 6].map((x) => at(after, x, 3)[0]);
    // 50 % of light is 188 in sRGB, three eighths 165, five eighths 206.
    expect(Math.min(...means)).toBeGreaterThan(140);
    expect(Math.max(...means)).toBeLessThan(225);
    expect(after.width).toBe(16);
    expect(at(after, 12, 3)[0]).toBeGreaterThan(100);
  });
  it('say which can’t be opened, and leave the material without', async () => {
    const made = await exchanged(STRAIGHT, { color: Uint8Array.of(1, 2, 3) });
    expect((await carried(made)).unreadable).toEqual(['color']);
  });
});

describe('morphs carried over', () => {
  it('move each vertex as the place moves that it lies on; nothing is left of what was kept', async () => {
    const made = await exchanged(TURNED, {});
    expect(carryReplacedMorphs(made.document, made.replaced)).toEqual([{ name: 'lift', vertices: 2, farthest: 1 }]);
    const delta = made.fresh.listTargets()[0].getAttribute('POSITION');
    expect([...floatsOf(delta as NonNullable<typeof delta>)]).toEqual([0, 0, 0, 0, 0, 1, 0, 0, 1, 0, 0, 0]);
    dropReplaced(made.document);
    expect(replacedIn(made.document)).toBeNull();
    expect(made.fresh.listSemantics()).toEqual(['POSITION', 'NORMAL', 'TEXCOORD_0']);
  });
});
