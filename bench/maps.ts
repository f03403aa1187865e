import { COMMON_LAYOUTS, mapsBeside, type Pixels } from '@dimetra/core';
import { createRunCodec } from '@dimetra/platform';
import { Document } from '@gltf-transform/core';
import sharp from 'sharp';
import { median, timed } from './timing.ts';

const MATERIALS = 10,
  FROM = 2048,
  TO = 1024;

/** A picture with strands and grain, as maps have. */
function picture(seed: number): Pixels {
  const data = new Uint8Array(FROM * FROM * 4);
  let state = seed * 2654435761 + 1;
  for (let y = 0, i = 0; y < FROM; y++)
    for (let x = 0; x < FROM; x++, i += 4) {
      state = (state * 1664525 + 1013904223) >>> 0;
      const grain = state >>> 28,
        wave = ((x >> 3) * 5 + (y >> 5) * 3) & 63;
      data[i] = 60 + wave + grain;
      data[i + 1] = 80 + (wave >> 1) + grain;
      data[i + 2] = 120 - (wave >> 2) + grain;
      data[i + 3] = 255;
    }
  return { width: FROM, height: FROM, data };
}

/**
 * Thirty maps from 2,048 to 1,024 texels, written, and packed for an engine beside the model; against the library's own
 * resizes and encodes of as many images. The bare way resizes in stored values and bleeds nothing.
 */
export async function benchMaps(say: (name: string, value: string, wanted: string) => void): Promise<void> {
  const document = new Document(),
    { encode } = createRunCodec();
  if (!encode) return;
  for (let m = 0; m < MATERIALS; m++) {
    const texture = async (kind: string, seed: number) =>
      document
        .createTexture(`${kind}${m}`)
        .setMimeType('image/png')
        .setURI(`${kind}${m}.png`)
        .setImage((await encode(picture(seed), { opaque: true })) as Uint8Array<ArrayBuffer>);
    document
      .createMaterial(`M${m}`)
      .setBaseColorTexture(await texture('color', m * 3))
      .setNormalTexture(await texture('normal', m * 3 + 1))
      .setMetallicRoughnessTexture(await texture('surface', m * 3 + 2));
  }
  const textures = document.getRoot().listTextures(),
    sources = textures.map((texture) => texture.getImage() as Uint8Array<ArrayBuffer>),
    contents = textures.map((texture) =>
      texture.getName().startsWith('normal')
        ? ('normal' as const)
        : texture.getName().startsWith('color')
          ? ('color' as const)
          : ('data' as const),
    ),
    { layouts } = COMMON_LAYOUTS[1];
  let files = 0;
  const ours = async () => {
    const images = createRunCodec();
    for (const [i, texture] of textures.entries()) {
      const { bytes } = await images.apply(sources[i], [{ op: 'resize', width: TO, height: TO, content: contents[i] }]);
      texture.setImage(bytes as Uint8Array<ArrayBuffer>);
    }
    files = (
      await mapsBeside(
        document,
        { folder: '', format: 'image/png', layouts: [...layouts] },
        { character: 'x', target: 'y' },
        images,
      )
    ).files.length;
  };
  const bare = async () => {
    const small: Buffer[] = [];
    for (const source of sources) {
      const image = sharp(source).resize(TO, TO, { kernel: 'mitchell' });
      small.push(await image.png({ compressionLevel: 7 }).toBuffer());
    }
    // As many files more as packing writes.
    for (let i = 0; i < files; i++)
      await sharp(small[i % small.length])
        .png({ compressionLevel: 7 })
        .toBuffer();
  };
  const a: number[] = [],
    b: number[] = [];
  for (let round = 0; round < 3; round++) {
    a.push((await timed(ours))[1]);
    b.push((await timed(bare))[1]);
  }
  say('30 maps of 2K to 1K, packed, ours ÷ bare', (median(a) / median(b)).toFixed(2), '≤ 1.3');
  process.stdout.write(
    `  ours ${(median(a) / 1000).toFixed(1)} s, bare ${(median(b) / 1000).toFixed(1)} s, ${files} files beside\n`,
  );
}
