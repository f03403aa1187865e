import {
  addOperation,
  COMMON_LAYOUTS,
  IMAGES_AT_ONCE,
  mapsBeside,
  type Pixels,
  type StepContext,
  writeMaps,
} from '@dimetra/core';
import { createRunCodec, sha256 } from '@dimetra/platform';
import { Document, type Material, type Texture } from '@gltf-transform/core';
import pMap from 'p-map';
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

/** A square that wears a material over most of its map, in as many triangles as a head has. */
function worn(document: Document, material: Material): void {
  const buffer = document.getRoot().listBuffers()[0] ?? document.createBuffer(),
    places = Float32Array.from({ length: CELLS * CELLS * 2 }, (_, i) => {
      const at = i >> 1;
      return 0.04 + (0.92 * (i & 1 ? Math.floor(at / CELLS) : at % CELLS)) / (CELLS - 1);
    }),
    corners: number[] = [];
  for (let y = 0; y + 1 < CELLS; y++)
    for (let x = 0; x + 1 < CELLS; x++) {
      const a = y * CELLS + x;
      corners.push(a, a + 1, a + CELLS, a + 1, a + CELLS + 1, a + CELLS);
    }
  const accessor = (type: 'VEC3' | 'VEC2' | 'SCALAR', array: Float32Array | Uint32Array) =>
    document
      .createAccessor()
      .setBuffer(buffer)
      .setType(type)
      .setArray(array as Float32Array<ArrayBuffer>);
  const prim = document
    .createPrimitive()
    .setMaterial(material)
    .setAttribute('POSITION', accessor('VEC3', new Float32Array(CELLS * CELLS * 3)))
    .setAttribute('TEXCOORD_0', accessor('VEC2', places))
    .setIndices(accessor('SCALAR', Uint32Array.from(corners)));
  const node = document.createNode().setMesh(document.createMesh().addPrimitive(prim));
  (document.getRoot().listScenes()[0] ?? document.createScene()).addChild(node);
}
const CELLS = 100;

/**
 * Thirty maps from 2,048 to 1,024 texels, written, and packed for an engine beside the model, as a delivery does it;
 * against the library's own resizes and encodes of as many images. The bare way resizes in stored values, pads no island,
 * widens no roughness and has both cores to itself as ours has.
 */
export async function benchMaps(say: (name: string, value: string, wanted: string) => void): Promise<void> {
  const document = new Document(),
    { encode } = createRunCodec();
  if (!encode) return;
  const sources = new Map<string, Uint8Array<ArrayBuffer>>();
  for (let m = 0; m < MATERIALS; m++) {
    const texture = async (kind: string, seed: number) => {
      const image = (await encode(picture(seed), { opaque: true })) as Uint8Array<ArrayBuffer>;
      sources.set(`${kind}${m}`, image);
      return document.createTexture(`${kind}${m}`).setMimeType('image/png').setURI(`${kind}${m}.png`).setImage(image);
    };
    const material = document
      .createMaterial(`M${m}`)
      .setBaseColorTexture(await texture('color', m * 3))
      .setNormalTexture(await texture('normal', m * 3 + 1))
      .setMetallicRoughnessTexture(await texture('surface', m * 3 + 2));
    worn(document, material);
  }
  const content = (texture: Texture) => {
    const name = texture.getName();
    return name.startsWith('normal') ? 'normal' : name.startsWith('color') ? 'color' : 'data';
  };
  const [, { layouts }] = COMMON_LAYOUTS;
  let files = 0;
  const ours = async () => {
    const images = createRunCodec(),
      context: StepContext = { images, hash: sha256, progress: () => {}, log: () => {} };
    for (const texture of document.getRoot().listTextures()) {
      texture.setImage(sources.get(texture.getName()) as Uint8Array<ArrayBuffer>);
      addOperation(texture, { op: 'resize', width: TO, height: TO, content: content(texture) });
    }
    await writeMaps(document, context);
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
    const resize = async (source: Uint8Array) => {
      small.push(await sharp(source).resize(TO, TO, { kernel: 'mitchell' }).png({ compressionLevel: 6 }).toBuffer());
    };
    await pMap(sources.values(), resize, { concurrency: IMAGES_AT_ONCE });
    // As many files more as packing writes.
    const again = async (i: number) =>
      void (await sharp(small[i % small.length])
        .png({ compressionLevel: 6 })
        .toBuffer());
    await pMap(
      Array.from({ length: files }, (_, i) => i),
      again,
      { concurrency: IMAGES_AT_ONCE },
    );
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
