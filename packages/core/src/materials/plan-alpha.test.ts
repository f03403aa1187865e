import { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { planAlpha } from './index.ts';

const rule = { hair: 'mask' as const, blendAllowed: true };

describe('planAlpha', () => {
  it("opens an image once, however many materials share it, and no image that can't be transparent", async () => {
    const document = new Document(),
      opened: number[] = [];
    const images = {
      decode: async (bytes: Uint8Array) => {
        opened.push(bytes.length);
        return { width: 2, height: 1, data: new Uint8Array([9, 9, 9, 0, 9, 9, 9, 255]) };
      },
      apply: async (bytes: Uint8Array) => ({ bytes, mimeType: 'image/png' }),
    };
    const png = document
        .createTexture('strands')
        .setImage(new Uint8Array([0x89, 0x50, 1, 2, 3]))
        .setMimeType('image/png'),
      jpeg = document
        .createTexture('wool')
        .setImage(new Uint8Array([0xff, 0xd8, 1]))
        .setMimeType('image/jpeg');
    for (const [name, texture] of [
      ['Hair_Front', png],
      ['Hair_Back', png],
      ['Sweater_Wool', jpeg],
      ['Bare', null],
    ] as const)
      document.createMaterial(name).setBaseColorTexture(texture).setAlphaMode('BLEND');
    const { decisions, found } = await planAlpha(document, rule, images as never);
    expect(opened).toEqual([5]);
    expect(decisions.map((decision) => [decision.material.getName(), decision.alphaMode])).toEqual([
      ['Hair_Front', 'MASK'],
      ['Hair_Back', 'MASK'],
      ['Sweater_Wool', 'OPAQUE'],
      ['Bare', 'OPAQUE'],
    ]);
    expect([...found.values()].map((alpha) => alpha?.pattern ?? null)).toEqual([
      'two-valued',
      'two-valued',
      'none',
      null,
    ]);
  });
  it("takes an image that can't be opened for none at all", async () => {
    const document = new Document();
    document
      .createMaterial('Hair')
      .setBaseColorTexture(document.createTexture('broken').setImage(new Uint8Array([1, 2, 3])));
    const { found } = await planAlpha(document, rule, {
      decode: async () => {
        throw new Error('no image');
      },
    } as never);
    expect([...found.values()]).toEqual([null]);
  });
});
