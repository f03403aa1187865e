import { EXTMeshGPUInstancing } from '@gltf-transform/extensions';
import { describe, expect, it } from 'vitest';
import { copyDocument, floatsOf } from '../../character/index.ts';
import { testContext } from '../../testing/context.ts';
import { stickFigure } from '../../testing/stick-figure.ts';
import { packDocument, unpackDocument } from './pieces.ts';
import { createGltfIO } from './read.ts';
import { writeGlb } from './write.ts';

/** A figure that two of its arrays came to last. */
function grown(): ReturnType<typeof stickFigure> {
  const document = stickFigure(),
    [primitive] = document.getRoot().listMeshes()[0].listPrimitives();
  for (const name of ['POSITION', 'TEXCOORD_0']) {
    const accessor = primitive.getAttribute(name);
    if (!accessor) continue;
    primitive.setAttribute(
      name,
      document
        .createAccessor()
        .setType(accessor.getType())
        .setArray(floatsOf(accessor) as Float32Array<ArrayBuffer>),
    );
    accessor.dispose();
  }
  return document;
}

describe('the order of arrays', () => {
  it('is that of their use: a document is written alike, just made, copied or taken from a store', async () => {
    const io = await createGltfIO(),
      { hash } = testContext(),
      document = grown(),
      written = hash(await writeGlb(document));
    const packed = await packDocument(io, document, hash),
      stored = await unpackDocument(io, packed.manifest, (name) => packed.pieces.get(name));
    expect(hash(await writeGlb(copyDocument(document)))).toBe(written);
    expect(hash(await writeGlb(stored))).toBe(written);
    expect((await packDocument(io, stored, hash)).manifest).toEqual(packed.manifest);
    const { accessors = [], meshes } = packed.manifest;
    const [{ indices, attributes }] = meshes?.[0].primitives ?? [];
    expect([indices, attributes.JOINTS_0]).toEqual([0, 1]);
    expect(accessors.every((accessor) => accessor.count > 0)).toBe(true);
  });
  it('is kept for instances; arrays that nothing uses come last, and into no store', async () => {
    const io = await createGltfIO(),
      document = grown(),
      places = Float32Array.of(1, 2, 3, 4, 5, 6);
    document.createAccessor('unused').setType('SCALAR').setArray(Float32Array.of(9));
    const instances = document
      .createExtension(EXTMeshGPUInstancing)
      .createInstancedMesh()
      .setAttribute('TRANSLATION', document.createAccessor('places').setType('VEC3').setArray(places));
    document.getRoot().listNodes()[0].setExtension('EXT_mesh_gpu_instancing', instances);
    const back = await io.readBinary(await writeGlb(document)),
      [read] = back
        .getRoot()
        .listNodes()
        .flatMap((node) => node.getExtension<typeof instances>('EXT_mesh_gpu_instancing') ?? []);
    expect([...(read.getAttribute('TRANSLATION')?.getArray() ?? [])]).toEqual([...places]);
    const last = back.getRoot().listAccessors().at(-1);
    expect([last?.getName(), ...(last?.getArray() ?? [])]).toEqual(['unused', 9]);
    const { manifest, pieces } = await packDocument(io, document, testContext().hash),
      names = manifest.accessors?.map((accessor) => accessor.name);
    expect(names).toContain('places');
    expect(names).not.toContain('unused');
    expect(manifest.accessors).toHaveLength(back.getRoot().listAccessors().length - 1);
    expect(pieces.size).toBe(manifest.buffers?.length);
  });
});
