import { Document, type Texture } from '@gltf-transform/core';
import { KHRTextureTransform } from '@gltf-transform/extensions';
import type { MaterialKind, Part } from '@dimetra/core';
import * as THREE from 'three';
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest';
import { coreOf, drawingOf, ownMaterial } from './own-material.ts';
import { FigureTextures } from './textures.ts';

const document = new Document();
const part = (kind: MaterialKind, mode: 'OPAQUE' | 'MASK' | 'BLEND' = 'BLEND', opacity = 1): Part =>
  ({
    kind,
    material: document.createMaterial(kind).setAlphaMode(mode).setBaseColorFactor([1, 1, 1, opacity]),
  }) as unknown as Part;
const orderOf = (kind: MaterialKind) => drawingOf(part(kind), 'as meant').order;

describe('layers as they are meant', () => {
  it('lie over each other from the skin outwards, whatever is nearer', () => {
    const orders = (['cloth', 'scalp', 'cornea', 'lash', 'hair', 'glass'] as const).map(orderOf);
    expect(orders).toEqual([...new Set(orders)].sort((a, b) => a - b));
    expect(orders[0]).toBeGreaterThan(drawingOf(part('skin', 'OPAQUE'), 'as meant').order);
  });
  it('take a body for solid that is blended by accident, and nothing that is half clear', () => {
    for (const kind of ['skin', 'eye', 'teeth'] as const)
      expect(drawingOf(part(kind, 'BLEND', 0.9985), 'as meant')).toMatchObject({ blended: false, order: 0 });
    expect(drawingOf(part('skin', 'BLEND', 0.4), 'as meant').blended).toBe(true);
    expect(drawingOf(part('cornea', 'BLEND', 1), 'as meant')).toMatchObject({ blended: true, hides: false });
    expect(drawingOf(part('cloth', 'BLEND', 1), 'as meant')).toMatchObject({ blended: true, hides: true });
  });
  it('draw the solid part of hair first, with what it wears', () => {
    expect(
      ['hair', 'beard', 'lash', 'scalp'].map((kind) => drawingOf(part(kind as MaterialKind), 'as meant').core),
    ).toEqual([true, true, false, false]);
    expect(drawingOf(part('hair', 'MASK'), 'as meant').core).toBe(false);
    const own = new THREE.MeshPhysicalMaterial({ transparent: true, depthWrite: false, map: new THREE.Texture() });
    own.onBeforeCompile = () => {};
    const core = coreOf(own);
    expect([core.transparent, core.depthWrite, core.map === own.map]).toEqual([false, true, true]);
    expect(core.alphaTest).toBeGreaterThan(0.5);
    expect(core.onBeforeCompile).toBe(own.onBeforeCompile);
  });
});

it('is drawn as an engine does where a result is looked at: all that is blended by where its middle lies', () => {
  const drawn = (['cloth', 'scalp', 'cornea', 'hair', 'skin'] as const).map((kind) =>
    drawingOf(part(kind), 'as an engine'),
  );
  expect(new Set(drawn.map(({ order }) => order)).size).toBe(1);
  expect(drawn.map(({ blended, core }) => [blended, core])).toEqual(drawn.map(() => [true, false]));
});

describe('a map', () => {
  beforeAll(() => void vi.stubGlobal('Image', class {}));
  afterAll(() => void vi.unstubAllGlobals());
  it('lies on the surface as the file says: beyond its edges, by its UVs, moved', () => {
    const texture: Texture = document.createTexture('hair').setImage(new Uint8Array([1])),
      worn = part('hair'),
      transform = document.createExtension(KHRTextureTransform).createTransform();
    transform
      .setOffset([0.25, 0.5])
      .setScale([2, 3])
      .setRotation(Math.PI / 2);
    const material = worn.material as NonNullable<Part['material']>;
    material.setBaseColorTexture(texture).setEmissiveTexture(texture);
    material.getBaseColorTextureInfo()?.setWrapS(33071).setWrapT(33648).setTexCoord(1);
    material.getEmissiveTextureInfo()?.setExtension('KHR_texture_transform', transform);
    const textures = new FigureTextures({ document, imageOf: new Map([[texture, 'hash']]) } as never, () => {}),
      { map, emissiveMap } = ownMaterial(worn, drawingOf(worn, 'as meant'), textures);
    expect([map?.wrapS, map?.wrapT, map?.channel]).toEqual([
      THREE.ClampToEdgeWrapping,
      THREE.MirroredRepeatWrapping,
      1,
    ]);
    expect([emissiveMap?.wrapS, emissiveMap?.channel]).toEqual([THREE.RepeatWrapping, 0]);
    // Offset × rotation × scale (KHR_texture_transform): (u, v) = (1, 0) is scaled to (2, 0), turned, and moved.
    const moved = new THREE.Vector3(1, 0, 1).applyMatrix3(emissiveMap?.matrix as THREE.Matrix3);
    expect(moved.x).toBeCloseTo(0.25);
    expect(moved.y).toBeCloseTo(0.5 - 2);
    textures.dispose();
  });
});
