import { MeshoptDecoder, MeshoptEncoder } from 'meshoptimizer';
import { KHRDracoMeshCompression, EXTMeshoptCompression } from '@gltf-transform/extensions';
import draco from 'draco3dgltf';
import { describe, expect, it } from 'vitest';
import { createDeformer, floatsOf, listMorphNames, listParts } from '../../character/index.ts';
import { testContext } from '../../testing/context.ts';
import { stickFigure } from '../../testing/stick-figure.ts';
import { readCharacter } from '../index.ts';
import { accessorPiece } from './accessor-piece.ts';
import { copyDocument } from '../../character/copy-document.ts';
import { packDocument, unpackDocument } from './pieces.ts';
import { createGltfIO } from './read.ts';

const restOf = (document: ReturnType<typeof stickFigure>) => {
  const deformer = createDeformer(document);
  return deformer.evaluate(new Float32Array(deformer.vertices * 3));
};

describe('accessorPiece', () => {
  const accessor = () => stickFigure().createAccessor();
  it('keeps dense numbers as they lie, with their extremes', () => {
    const piece = accessorPiece(
      accessor()
        .setType('VEC3')
        .setArray(Float32Array.of(1, -2, 3, 0.5, 4, -1)),
    );
    expect(piece).toMatchObject({ count: 2, componentType: 5126, sparse: null });
    expect(piece.extremes()).toEqual({ min: [0.5, -2, -1], max: [1, 4, 3] });
    expect([...new Float32Array(piece.bytes.buffer)]).toEqual([1, -2, 3, 0.5, 4, -1]);
  });
  it('keeps only what differs from zero of a sparse one, indices first', () => {
    const values = new Float32Array(300);
    values.set([7, 8, 9], 30);
    const piece = accessorPiece(accessor().setType('VEC3').setSparse(true).setArray(values));
    expect(piece.sparse).toEqual({ count: 1, indexType: 5123, valuesAt: 4 });
    expect(piece.bytes.length).toBe(16);
    expect(new Uint16Array(piece.bytes.buffer, 0, 1)[0]).toBe(10);
    expect([...new Float32Array(piece.bytes.buffer, 4, 3)]).toEqual([7, 8, 9]);
  });
  it("stays dense where nothing differs from zero, which sparse glTF can't say", () => {
    expect(accessorPiece(accessor().setType('VEC3').setSparse(true).setArray(new Float32Array(9))).sparse).toBeNull();
  });
  it('stays dense where so much differs from zero that indices would only add to it', () => {
    const values = Float32Array.from({ length: 300 }, (_, i) => (i < 30 ? 0 : i));
    const piece = accessorPiece(accessor().setType('VEC3').setSparse(true).setArray(values));
    expect(piece.sparse).toBeNull();
    expect(piece.bytes.length).toBe(1200);
  });
  it('counts the zeros that it leaves out among the extremes', () => {
    const values = new Float32Array(300);
    values.set([7, -8, 9], 30);
    expect(accessorPiece(accessor().setType('VEC3').setSparse(true).setArray(values)).extremes()).toEqual({
      min: [0, -8, 0],
      max: [7, 0, 9],
    });
  });
  it('gives extremes of normalised integers as they are stored, as glTF wants them', () => {
    expect(
      accessorPiece(accessor().setType('SCALAR').setNormalized(true).setArray(Uint8Array.of(0, 255))).extremes().max,
    ).toEqual([255]);
  });
});

describe('packDocument', () => {
  it('hashes an array once, however often the document is packed', async () => {
    let calls = 0;
    const inner = testContext().hash;
    const hash = (bytes: Uint8Array) => {
      calls++;
      return inner(bytes);
    };
    const document = stickFigure(),
      io = await createGltfIO();
    const first = await packDocument(io, document, hash);
    const spent = calls;
    const second = await packDocument(io, copyDocument(document), hash);
    expect(calls).toBe(spent);
    expect(second.manifest).toEqual(first.manifest);
    const [part] = listParts(document);
    part.prim
      .getAttribute('POSITION')
      ?.setArray(Float32Array.from(floatsOf(part.prim.getAttribute('POSITION') as never), (x) => x + 1));
    const third = await packDocument(io, document, hash);
    expect(calls).toBe(spent + 1);
    expect([...third.pieces.keys()].filter((name) => !first.pieces.has(name))).toHaveLength(1);
  });
  it('leaves names, sparse marks and arrays of the document as they were, and brings sparse morphs back', async () => {
    const document = stickFigure(),
      io = await createGltfIO();
    const delta = listParts(document)[0].prim.listTargets()[0].getAttribute('POSITION') as NonNullable<
      ReturnType<ReturnType<typeof listParts>[0]['prim']['getAttribute']>
    >;
    const array = delta.getArray();
    delta.setSparse(true).setName('lift delta');
    const packed = await packDocument(io, document, testContext().hash);
    expect([delta.getName(), delta.getSparse(), delta.getArray() === array]).toEqual(['lift delta', true, true]);
    const again = await unpackDocument(io, packed.manifest, (name) => packed.pieces.get(name));
    const back = listParts(again)[0].prim.listTargets()[0].getAttribute('POSITION');
    // −0 counts as nothing, so signs of zeros may go
    expect([...floatsOf(back as never)].map((x) => x + 0)).toEqual([...floatsOf(delta)].map((x) => x + 0));
    expect([back?.getSparse(), back?.getName()]).toEqual([true, 'lift delta']);
  });
});

describe('copyDocument', () => {
  it('shares arrays, and nothing done to the copy reaches the source', () => {
    const document = stickFigure(),
      before = [...restOf(document)];
    const copy = copyDocument(document);
    expect(listParts(copy)[0].prim.getAttribute('POSITION')?.getArray()).toBe(
      listParts(document)[0].prim.getAttribute('POSITION')?.getArray(),
    );
    expect(
      copy
        .getRoot()
        .listNodes()
        .map((node) => node.getName()),
    ).toEqual(
      document
        .getRoot()
        .listNodes()
        .map((node) => node.getName()),
    );
    listParts(copy)[0].prim.getAttribute('POSITION')?.setArray(new Float32Array(before.length));
    copy.getRoot().listNodes()[0].setTranslation([9, 9, 9]).setName('other');
    copy.getRoot().listSkins()[0].dispose();
    expect([...restOf(document)]).toEqual(before);
  });
});

describe('compressed glTF', () => {
  const compressed = async (
    extension: new (document: never) => KHRDracoMeshCompression | EXTMeshoptCompression,
    more: Record<string, unknown> = {},
  ) => {
    const document = stickFigure();
    document.createExtension(extension as never as typeof EXTMeshoptCompression).setRequired(true);
    return (await createGltfIO(more)).writeBinary(document);
  };
  it.each([
    [
      'meshopt',
      async () => {
        await MeshoptEncoder.ready;
        return compressed(EXTMeshoptCompression, {
          'meshopt.encoder': MeshoptEncoder,
          'meshopt.decoder': MeshoptDecoder,
        });
      },
    ],
    [
      'Draco',
      async () =>
        compressed(KHRDracoMeshCompression, {
          'draco3d.encoder': await draco.createEncoderModule(),
          'draco3d.decoder': await draco.createDecoderModule(),
        }),
    ],
  ])('comes in from %s with its morphs and joints, and is not packed that way again', async (_name, make) => {
    const { document } = await readCharacter([{ path: 'packed.glb', bytes: await make() }]);
    expect(
      document
        .getRoot()
        .listExtensionsUsed()
        .map((extension) => extension.extensionName),
    ).not.toContain('KHR_draco_mesh_compression');
    expect(
      document
        .getRoot()
        .listExtensionsUsed()
        .map((extension) => extension.extensionName),
    ).not.toContain('EXT_meshopt_compression');
    expect(listMorphNames(document)).toEqual(listMorphNames(stickFigure()));
    const [found] = listParts(document),
      [wanted] = listParts(stickFigure());
    expect(found.triangles).toBe(wanted.triangles);
    const box = (part: typeof found) => {
      const p = floatsOf(part.prim.getAttribute('POSITION') as never);
      return [0, 1, 2].map((k) => Math.max(...p.filter((_, i) => i % 3 === k)));
    };
    box(found).forEach((x, k) => expect(x).toBeCloseTo(box(wanted)[k], 2));
  });
});
