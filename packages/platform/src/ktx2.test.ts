import { readCharacter, writeGlb } from '@dimetra/core';
import { Document } from '@gltf-transform/core';
import { KHRTextureBasisu } from '@gltf-transform/extensions';
import { describe, expect, it } from 'vitest';
import { sharpCodec, unpackImage, unpackKtx2 } from './index.ts';

// Four squares of 4 x 4: red, green, blue, and white that can't be seen; packed by an independent encoder.
const UASTC = Uint8Array.from(
  Buffer.from(
    'q0tUWCAyMLsNChoKAAAAAAEAAAAIAAAACAAAAAAAAAAAAAAAAQAAAAEAAAACAAAAaAAAACwAAACUAAAAJAAAAAAAAAAAAAAAAAAAAAAAAAC4AAAAAAAAADQAAAAAAAAAQAAAAAAAAAAsAAAAAAAAAAIAKACmAQIAAwMAABAAAAAAAAAAAAB/AwAAAAAAAAAA/////x8AAABLVFh3cml0ZXIAQmFzaXMgVW5pdmVyc2FsIDIuNTAAACi1L/0gQF0BAPgX2YPi/9KFAJeCFuU/GrbXg0f6vwbEAldfXx9Aeu8BBACAcED4zGIIwAU=',
    'base64',
  ),
);
const ETC1S = Uint8Array.from(
  Buffer.from(
    'q0tUWCAyMLsNChoKAAAAAAEAAAAIAAAACAAAAAAAAAAAAAAAAQAAAAEAAAABAAAAaAAAADwAAACkAAAAJAAAAMgAAAAAAAAAngAAAAAAAABmAQAAAAAAAAQAAAAAAAAAAAAAAAAAAAA8AAAAAAAAAAIAOACjAQIAAwMAAAgIAAAAAAAAAAA/AAAAAAAAAAAA/////0AAPw8AAAAAAAAAAP////8fAAAAS1RYd3JpdGVyAEJhc2lzIFVuaXZlcnNhbCAyLjUwAAAGAAMAOAAAAA0AAAAxAAAAAAAAAAAAAAAAAAAAAgAAAAIAAAACAAAAIMDUgAEAAEAY9gEKuaQRwEQAAAAAAACygAOIGjAAAAAIohicfgACMAVgAAAAEITdGQAwQGq2/wFUVVVVBQAAAKiqqqoCAMFEAAAAAAAA8t8niAEwBUAAAAAAgGQgAiIEDAAAAMGGCCI8ygOACQAAAAAAAAQQAG/zaAA=',
    'base64',
  ),
);
const at = (data: Uint8Array, x: number, y: number): number[] => [...data.slice((y * 8 + x) * 4, (y * 8 + x) * 4 + 4)];
const near = (a: readonly number[], b: readonly number[], by: number): boolean =>
  a.every((value, i) => Math.abs(value - b[i]) <= by);

describe('KTX2', () => {
  it.each([
    ['UASTC with Zstandard', UASTC, 4],
    ['ETC1S', ETC1S, 12],
  ] as const)('opens %s', async (_name, bytes, by) => {
    const { width, height, data } = await unpackKtx2(bytes);
    expect([width, height, data.length]).toEqual([8, 8, 256]);
    expect(near(at(data, 1, 1), [200, 30, 20, 255], by)).toBe(true);
    expect(near(at(data, 6, 1), [20, 180, 40, 255], by)).toBe(true);
    expect(near(at(data, 1, 6), [30, 60, 210, 255], by)).toBe(true);
    expect(at(data, 6, 6)[3]).toBeLessThanOrEqual(by);
  });
  it('refuses broken ones with a sentence, and opens the next', async () => {
    await expect(unpackKtx2(new Uint8Array(0))).rejects.toThrow(/can't be read/);
    await expect(unpackKtx2(UASTC.slice(0, 90))).rejects.toThrow(/can't be read/);
    for (let i = 12; i < UASTC.length; i += 3) {
      const copy = UASTC.slice();
      copy[i] ^= 0x5a;
      try {
        await unpackKtx2(copy);
      } catch (error) {
        expect((error as { code?: string }).code).toBe('image.unreadable');
      }
    }
    expect((await unpackKtx2(UASTC)).width).toBe(8);
  });
  it('comes in as PNG with the character, told as such', async () => {
    const document = new Document();
    document.createBuffer();
    document.createExtension(KHRTextureBasisu).setRequired(true);
    const texture = document
      .createTexture('coat')
      .setImage(UASTC as Uint8Array<ArrayBuffer>)
      .setMimeType('image/ktx2');
    const prim = document
      .createPrimitive()
      .setAttribute(
        'POSITION',
        document
          .createAccessor()
          .setType('VEC3')
          .setArray(new Float32Array([0, 0, 0, 1, 0, 0, 0, 1, 0])),
      )
      .setMaterial(document.createMaterial('Coat').setBaseColorTexture(texture));
    document
      .createScene()
      .addChild(document.createNode('sheet').setMesh(document.createMesh('sheet').addPrimitive(prim)));
    const read = await readCharacter([{ path: 'a.glb', bytes: await writeGlb(document) }], undefined, { unpackImage });
    const [image] = read.document.getRoot().listTextures();
    expect(image.getMimeType()).toBe('image/png');
    expect(near(at((await sharpCodec.decode(image.getImage() as Uint8Array)).data, 1, 1), [200, 30, 20, 255], 4)).toBe(
      true,
    );
    expect(read.findings.map((finding) => finding.code)).toContain('intake.unpacked');
    expect(
      read.document
        .getRoot()
        .listExtensionsUsed()
        .map((extension) => extension.extensionName),
    ).not.toContain('KHR_texture_basisu');
  });
});
