import { Document, WebIO } from '@gltf-transform/core';
import { ALL_EXTENSIONS } from '@gltf-transform/extensions';
import { validateBytes } from 'gltf-validator';
import { describe, expect, it } from 'vitest';
import { seededRandom } from '../../geometry/index.ts';
import { stickFigure } from '../../testing/stick-figure.ts';
import { parseGlb } from './glb.ts';
import { writeGlb, writeGltfFiles } from './write.ts';

type Type = 'SCALAR' | 'VEC2' | 'VEC3' | 'VEC4' | 'MAT4';
const bare = () => new WebIO().registerExtensions(ALL_EXTENSIONS);
/** Every accessor of a document as its numbers, in an order of their own: files list them by use. */
const numbersOf = (document: Document) =>
  document
    .getRoot()
    .listAccessors()
    .map((accessor) =>
      [
        accessor.getType(),
        accessor.getNormalized(),
        accessor.getArray()?.constructor.name,
        ...(accessor.getArray() ?? []),
      ].join(' '),
    )
    .sort();
const png = Uint8Array.from(
  atob('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=='),
  (c) => c.charCodeAt(0),
);

/** All that the validator finds, but hints and what a figure was made with. */
const told = (report: Awaited<ReturnType<typeof validateBytes>>) =>
  report.issues.messages.filter(
    (message) => message.severity < 2 && message.code !== 'ACCESSOR_JOINTS_USED_ZERO_WEIGHT',
  );

/** A triangle with every kind of array that has its own way of lying in a file. */
function odd(): Document {
  const document = new Document(),
    put = (type: Type, array: Float32Array | Uint8Array | Uint16Array | Int8Array, normalized = false) =>
      document
        .createAccessor()
        .setType(type)
        .setArray(array as Float32Array<ArrayBuffer>)
        .setNormalized(normalized);
  const sparse = new Float32Array(9);
  sparse.set([0, 0.5, 0], 3);
  const texture = document.createTexture('coat').setImage(png).setMimeType('image/png').setURI('coat.png');
  const prim = document
    .createPrimitive()
    .setIndices(put('SCALAR', Uint16Array.of(0, 1, 2)))
    .setMaterial(document.createMaterial('Coat').setBaseColorTexture(texture))
    .setAttribute('POSITION', put('VEC3', Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, -2)))
    .setAttribute('NORMAL', put('VEC3', Float32Array.of(0, 0, 1, 0, 0, 1, 0, 0, 1)))
    // Three and six bytes an element: neither ends on a boundary of four.
    .setAttribute('COLOR_0', put('VEC3', Uint8Array.of(1, 2, 3, 4, 5, 6, 7, 8, 9), true))
    .setAttribute('TEXCOORD_0', put('VEC2', Uint16Array.of(0, 65535, 7, 8, 9, 10), true))
    .addTarget(document.createPrimitiveTarget('up').setAttribute('POSITION', put('VEC3', sparse).setSparse(true)))
    .addTarget(
      document
        .createPrimitiveTarget('still')
        .setAttribute('POSITION', put('VEC3', new Float32Array(9)).setSparse(true)),
    );
  document.createScene().addChild(document.createNode('Odd').setMesh(document.createMesh('Odd').addPrimitive(prim)));
  return document;
}

describe('writeGlb', () => {
  it.each([
    ['a figure with joints and morphs', stickFigure],
    ['arrays of every kind', odd],
  ])('writes %s as glTF-Transform reads it, with nothing for the validator to say', async (_, make) => {
    const document = make(),
      bytes = await writeGlb(document),
      back = await bare().readBinary(bytes),
      report = await validateBytes(bytes);
    expect(told(report)).toEqual([]);
    expect(numbersOf(back)).toEqual(numbersOf(document));
    for (const list of ['listNodes', 'listMeshes', 'listMaterials', 'listSkins', 'listTextures'] as const)
      expect(
        back
          .getRoot()
          [list]()
          .map((entry) => entry.getName()),
      ).toEqual(
        document
          .getRoot()
          [list]()
          .map((entry) => entry.getName()),
      );
    expect(
      back
        .getRoot()
        .listTextures()
        .map((texture) => [...(texture.getImage() ?? [])]),
    ).toEqual(
      document
        .getRoot()
        .listTextures()
        .map((texture) => [...(texture.getImage() ?? [])]),
    );
  });
  it('lays each array on a boundary of four, one view for all of one stride, and few entries as such', async () => {
    const { json } = parseGlb({ path: 'a.glb', bytes: await writeGlb(odd()) });
    const attributes = (json.bufferViews ?? []).filter((view) => view.target === 34_962);
    expect(attributes.map((view) => view.byteStride)).toEqual([4, 12]);
    for (const accessor of json.accessors ?? []) expect((accessor.byteOffset ?? 0) % 4).toBe(0);
    expect(json.accessors?.filter((accessor) => accessor.sparse).map((accessor) => accessor.sparse?.count)).toEqual([
      1,
    ]);
    const position = json.meshes?.[0].primitives[0].attributes.POSITION ?? -1;
    expect(json.accessors?.[position]).toMatchObject({ min: [0, 0, -2], max: [1, 1, 0] });
  });
  it('leaves the document as it was, and gives the same bytes again', async () => {
    const document = odd(),
      before = numbersOf(document),
      sparse = document
        .getRoot()
        .listAccessors()
        .map((accessor) => accessor.getSparse()),
      first = await writeGlb(document);
    expect(numbersOf(document)).toEqual(before);
    expect(
      document
        .getRoot()
        .listAccessors()
        .map((accessor) => accessor.getSparse()),
    ).toEqual(sparse);
    expect(document.getRoot().listTextures()[0].getURI()).toBe('coat.png');
    expect(Buffer.compare(await writeGlb(document), first)).toBe(0);
  });
  it('brings back any mixture of widths, types, sparse and normalised arrays, with nothing for the validator to say', async () => {
    const random = seededRandom(31),
      below = (n: number) => Math.floor(random() * n),
      one = <T>(list: readonly T[]): T => list[below(list.length)];
    for (let round = 0; round < 40; round++) {
      // Some beyond what two bytes can count.
      const document = new Document(),
        count = round % 20 === 7 ? 66_000 : 3 + below(40),
        mesh = document.createMesh('Any');
      const put = (type: Type, array: Float32Array | Uint8Array | Uint16Array | Uint32Array, normalized = false) =>
        document
          .createAccessor()
          .setType(type)
          .setArray(array as Float32Array<ArrayBuffer>)
          .setNormalized(normalized);
      const bytes = (size: number, most: number) => Uint8Array.from({ length: count * size }, () => below(most)),
        words = (size: number) => Uint16Array.from({ length: count * size }, () => below(65_536)),
        floats = (size: number) => Float32Array.from({ length: count * size }, () => random() * 4 - 2);
      for (let n = 0; n <= below(3); n++) {
        const prim = document.createPrimitive().setAttribute('POSITION', put('VEC3', floats(3)));
        prim.setIndices(
          put(
            'SCALAR',
            count > 65_535
              ? Uint32Array.of(0, 1, count - 1)
              : count < 256 && below(2)
                ? Uint8Array.of(0, 1, count - 1)
                : Uint16Array.of(0, 1, count - 1),
          ),
        );
        if (below(2))
          prim.setAttribute(
            'COLOR_0',
            one([
              () => put('VEC3', bytes(3, 256), true),
              () => put('VEC3', words(3), true),
              () => put('VEC4', bytes(4, 256), true),
            ])(),
          );
        if (below(2))
          prim.setAttribute(
            'TEXCOORD_0',
            one([
              () => put('VEC2', floats(2)),
              () => put('VEC2', bytes(2, 256), true),
              () => put('VEC2', words(2), true),
            ])(),
          );
        if (below(2))
          prim.setAttribute('_MASK', one([() => put('SCALAR', bytes(1, 9)), () => put('SCALAR', words(1))])());
        for (let t = 0; t < below(4); t++) {
          const share = random(),
            deltas = Float32Array.from({ length: count * 3 }, () => (random() < share ? random() - 0.5 : 0));
          prim.addTarget(
            document
              .createPrimitiveTarget(`m${t}`)
              .setAttribute('POSITION', put('VEC3', deltas).setSparse(below(2) === 0)),
          );
        }
        // All primitives of a mesh have as many targets.
        if (!n || prim.listTargets().length === mesh.listPrimitives()[0].listTargets().length) mesh.addPrimitive(prim);
        else prim.dispose();
      }
      const node = document.createNode('Any').setMesh(mesh),
        times = Float32Array.of(0, 0.5, 1 + random());
      document.createScene().addChild(node);
      const turn = put('VEC4', Float32Array.of(0, 0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0)),
        sampler = document.createAnimationSampler().setInput(put('SCALAR', times)).setOutput(turn);
      document
        .createAnimation('turn')
        .addSampler(sampler)
        .addChannel(
          document.createAnimationChannel().setTargetNode(node).setTargetPath('rotation').setSampler(sampler),
        );
      for (const accessor of document.getRoot().listAccessors())
        if (accessor.listParents().length === 1) accessor.dispose();
      const written = await writeGlb(document),
        report = await validateBytes(written);
      expect(told(report), `round ${round}`).toEqual([]);
      expect(numbersOf(await bare().readBinary(written)), `round ${round}`).toEqual(numbersOf(document));
    }
  });
  it('writes a document that holds nothing', async () => {
    expect((await bare().readBinary(await writeGlb(new Document()))).getRoot().listMeshes()).toEqual([]);
  });
});

describe('writeGltfFiles', () => {
  it('writes numbers and images beside the text, as glTF-Transform reads them', async () => {
    const document = odd(),
      files = await writeGltfFiles(document, 'odd', 'crew/');
    expect(files.map((file) => file.path)).toEqual(['crew/odd.gltf', 'crew/odd.bin', 'crew/coat.png']);
    const json = JSON.parse(new TextDecoder().decode(files[0].bytes)),
      resources = Object.fromEntries(
        files.slice(1).map((file) => [file.path.slice(5), file.bytes as Uint8Array<ArrayBuffer>]),
      );
    expect(numbersOf(await bare().readJSON({ json, resources }))).toEqual(numbersOf(document));
    const report = await validateBytes(files[0].bytes, {
      externalResourceFunction: async (uri: string) => resources[uri],
    });
    expect(told(report)).toEqual([]);
  });
  it('stores morphs that move nothing as nothing, and any reader finds zeros there', async () => {
    const size = async (morphs: number) => {
      const document = stickFigure({ rings: 20, sides: 16 }),
        [prim] = document.getRoot().listMeshes()[0].listPrimitives(),
        count = prim.getAttribute('POSITION')?.getCount() ?? 0;
      for (let i = 0; i < morphs; i++)
        prim.addTarget(
          document.createPrimitiveTarget(`still ${i}`).setAttribute(
            'POSITION',
            document
              .createAccessor()
              .setType('VEC3')
              .setArray(new Float32Array(count * 3)),
          ),
        );
      document
        .getRoot()
        .listMeshes()[0]
        .setExtras({ targetNames: ['lift', ...Array.from({ length: morphs }, (_, i) => `still ${i}`)] })
        .setWeights(new Array(morphs + 1).fill(0));
      return { bytes: await writeGlb(document), count };
    };
    const [none, many] = [await size(0), await size(30)];
    expect(many.bytes.length - none.bytes.length).toBeLessThan(30 * 400);
    expect(30 * many.count * 12).toBeGreaterThan(1e6);
    expect((await validateBytes(many.bytes)).issues.numErrors).toBe(0);
    const back = await new WebIO().readBinary(many.bytes),
      [prim] = back.getRoot().listMeshes()[0].listPrimitives();
    expect(prim.listTargets()).toHaveLength(31);
    for (const target of prim.listTargets().slice(1)) {
      const array = target.getAttribute('POSITION')?.getArray();
      expect([array?.length, array?.every((x: number) => x === 0)]).toEqual([many.count * 3, true]);
    }
  });
});
