import {
  convert,
  defaultRecipe,
  inspectFindings,
  inspectMaps,
  listParts,
  readCharacter,
  SHIPPED_TARGETS,
  summarise,
  type Target,
} from '@dimetra/core';
import { look } from '@dimetra/eyes';
import type { Document } from '@gltf-transform/core';
import { cloneDocument } from '@gltf-transform/functions';
import sharp from 'sharp';
import { describe, expect, it } from 'vitest';
import { context, useSmallCast } from './testing/small-cast.ts';

const of = useSmallCast();
const target = SHIPPED_TARGETS.find((entry) => entry.id === 'headset-deck') as Target;
const raw = (width: number, height: number, channels: 1 | 3 | 4 = 3) =>
  sharp(Buffer.from(Uint8Array.from({ length: width * height * channels }, (_, i) => (i * 37 + (i >> 7) * 11) % 251)), {
    raw: { width, height, channels },
  });
const bytes = async (image: { toBuffer(): Promise<Buffer> }) => new Uint8Array(await image.toBuffer());

/** Images that come along in practice, and whether they can be read at all. */
const IMAGES: [string, boolean, () => Promise<Uint8Array>][] = [
  ['one texel', true, () => bytes(raw(1, 1).png())],
  ['not square', true, () => bytes(raw(300, 7).png())],
  ['16 bits a channel', true, () => bytes(raw(64, 64).toColourspace('rgb16').png())],
  ['one grey channel', true, () => bytes(raw(64, 64, 1).toColourspace('b-w').png())],
  ['a palette', true, () => bytes(raw(64, 64).png({ palette: true, colours: 16 }))],
  ['interlaced', true, () => bytes(raw(64, 64).png({ progressive: true }))],
  ['a progressive JPEG', true, () => bytes(raw(64, 64).jpeg({ progressive: true }))],
  ['a JPEG in four inks', true, () => bytes(raw(64, 64).toColourspace('cmyk').jpeg())],
  ['cut off', false, async () => (await bytes(raw(64, 64).png())).subarray(0, 300)],
  ['no image at all', false, async () => new TextEncoder().encode('<html>not found</html>')],
  ['nothing', false, async () => new Uint8Array(0)],
  ['claims of 60,000 to a side', false, hugeClaims],
];

/** A PNG whose head says 60,000 × 60,000, with nothing behind it. */
async function hugeClaims(): Promise<Uint8Array> {
  const png = await bytes(raw(8, 8).png());
  new DataView(png.buffer, png.byteOffset).setUint32(16, 60_000);
  new DataView(png.buffer, png.byteOffset).setUint32(20, 60_000);
  return png;
}

async function run(document: Document) {
  return convert({
    name: 'Pilot',
    source: { document: async () => document },
    target,
    recipe: defaultRecipe(),
    created: '2026-01-01',
    context,
    eyes: look,
    appearance: false,
    samples: 500,
  });
}

describe('maps as they really come', () => {
  it('all at once on one figure: those that can be read are delivered, each other is told by its name', async () => {
    const document = cloneDocument(of('harbour-pilot').read.document),
      materials = document.getRoot().listMaterials();
    for (const [i, [name, , make]] of IMAGES.entries()) {
      const image = await make(),
        texture = document
          .createTexture(name)
          .setURI(`${name}.png`)
          .setImage(image as Uint8Array<ArrayBuffer>)
          .setMimeType(image[0] === 0xff ? 'image/jpeg' : 'image/png');
      materials[i].setBaseColorTexture(texture).setNormalTexture(texture).setMetallicRoughnessTexture(texture);
    }
    const { report } = await run(document),
      told = report.steps
        .flatMap((step) => step.findings)
        .filter(({ code }) => code === 'textures.unreadable' || code === 'textures.not-written')
        .map((finding) => finding.message)
        .join('\n');
    for (const [name, readable] of IMAGES) expect([name, told.includes(`“${name}.png”`)]).toEqual([name, !readable]);
    // What is delivered all the same is judged by other eyes, and stops the delivery.
    const opened = report.checks.find((check) => check.rule === 'delivered.images');
    expect(opened?.ok).toBe(false);
    for (const [name, readable] of IMAGES) if (readable) expect(opened?.message).not.toContain(name);
    expect(report.checks.find((check) => check.rule === 'delivered.opens')?.ok).toBe(true);
  });
  it('materials of one name, one that nothing wears, one without its map, places missing, outside and mirrored', async () => {
    const document = cloneDocument(of('harbour-pilot').read.document),
      materials = document.getRoot().listMaterials(),
      parts = listParts(document);
    materials[3].setName('Material');
    materials[4].setName('Material');
    document.createMaterial('Nobody_Wears_This').setBaseColorTexture(document.createTexture('gone').setURI('gone.png'));
    const places = (name: string) => parts.find((part) => part.name === name)?.prim.getAttribute('TEXCOORD_0');
    parts.find((part) => part.name === 'Boots')?.prim.setAttribute('TEXCOORD_0', null);
    const beanie = places('Beanie'),
      vest = places('Life_Vest');
    beanie?.setArray(Float32Array.from(beanie.getArray() as Float32Array, (value) => value * 7 - 3));
    vest?.setArray(Float32Array.from(vest.getArray() as Float32Array, (value, i) => (i % 2 ? value : 1 - value)));
    const summary = summarise(document, 'Pilot', { seen: false });
    expect(() => inspectFindings(document, summary)).not.toThrow();
    await inspectMaps(document, context.images);
    const { report, made } = await run(document);
    expect(report.checks.find((check) => check.rule === 'delivered.opens')?.ok).toBe(true);
    const model = made?.find((file) => file.path.endsWith('.glb')) as { path: string; bytes: Uint8Array<ArrayBuffer> },
      names = (await readCharacter([model])).document
        .getRoot()
        .listMaterials()
        .map((material) => material.getName());
    expect(names.filter((name) => name.startsWith('Material'))).toHaveLength(2);
    expect(names).not.toContain('Nobody_Wears_This');
  });
  it('a file that claims to be an image of 16,384 to a side and is one is read', async () => {
    const wide = await bytes(
      sharp({ create: { width: 16_384, height: 16, channels: 3, background: '#808080' } }).png(),
    );
    expect(await context.images.decode(wide, 64)).toMatchObject({ width: 64, height: 1 });
  });
});
