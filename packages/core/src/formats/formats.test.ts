import { VertexLayout } from '@gltf-transform/core';
import { quantize } from '@gltf-transform/functions';
import { zipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import { seededRandom } from '../geometry/index.ts';
import { floatsOf, listParts } from '../character/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { testContext } from '../testing/context.ts';
import {
  createGltfIO,
  openArchive,
  packDocument,
  readCharacter,
  unpackDocument,
  writeArchive,
  writeGlb,
  writeGltfFiles,
  type InputFile,
} from './index.ts';

const text = (value: unknown) => new TextEncoder().encode(typeof value === 'string' ? value : JSON.stringify(value));
const file = (path: string, bytes: Uint8Array): InputFile => ({ path, bytes });
const glb = await writeGlb(stickFigure());
/** The JSON of a valid figure, for spoiling. */
const gltf = await writeGltfFiles(stickFigure(), 'figure');
const json = () => JSON.parse(new TextDecoder().decode(gltf[0].bytes));
const spoiled = (change: (j: ReturnType<typeof json>) => void) => {
  const j = json();
  change(j);
  return [file('figure.gltf', text(j)), ...gltf.slice(1)];
};

async function codeOf(files: InputFile[]): Promise<string> {
  try {
    await readCharacter(files);
    return 'read';
  } catch (error) {
    const problem = error as { code?: string; message: string };
    expect(problem.code, problem.message).toBeTypeOf('string');
    expect(problem.message).toMatch(/[.!?]$/);
    return problem.code as string;
  }
}

describe('readCharacter', () => {
  it('reads a .glb, a .gltf with its files, and an archive of them alike', async () => {
    for (const files of [
      [file('a.glb', glb)],
      gltf,
      [file('a.zip', writeArchive(gltf.map((f) => ({ ...f, path: `deep/${f.path}` }))))],
    ]) {
      const read = await readCharacter(files);
      expect(read.document.getRoot().listSkins()[0].listJoints().length).toBe(55);
      expect(read.findings).toEqual([]);
    }
  });
  it('reads interleaved numbers of every width as glTF-Transform does', async () => {
    const io = await createGltfIO();
    for (const [quantised, layout] of [
      [false, VertexLayout.INTERLEAVED],
      [true, VertexLayout.INTERLEAVED],
      [false, VertexLayout.SEPARATE],
    ] as const) {
      const made = stickFigure();
      if (quantised) await made.transform(quantize({ pattern: /^(?!JOINTS|WEIGHTS)/ }));
      const bytes = await io.setVertexLayout(layout).writeBinary(made);
      const ours = (await readCharacter([file('a.glb', bytes)])).document,
        bare = await io.readBinary(bytes);
      const listed = (document: typeof ours) =>
        document
          .getRoot()
          .listAccessors()
          .map((accessor) => [accessor.getType(), accessor.getNormalized(), accessor.getArray()]);
      expect(listed(ours)).toEqual(listed(bare));
    }
  });
  it('finds a .bin in another folder by its name and says so', async () => {
    const read = await readCharacter([gltf[0], file('elsewhere/FIGURE.BIN', gltf[1].bytes)]);
    expect(read.findings.map((finding) => finding.code)).toEqual(['intake.found-by-name']);
  });
  it('reads on without an image that did not arrive, and names it', async () => {
    const read = await readCharacter(
      spoiled((j) => {
        j.images = [{ uri: 'skin.png' }];
        j.textures = [{ source: 0 }];
        j.materials[0].pbrMetallicRoughness.baseColorTexture = { index: 0 };
      }),
    );
    expect(read.findings[0]).toMatchObject({ code: 'intake.missing-image', severity: 'error', where: 'skin.png' });
    expect(read.document.getRoot().listTextures()).toEqual([]);
  });
  it.each<[string, () => InputFile[], string]>([
    ['nothing', () => [], 'intake.nothing'],
    ['an empty file', () => [file('a.glb', new Uint8Array(0))], 'intake.empty-file'],
    ['another type of file', () => [file('a.txt', text('hello'))], 'intake.unknown-type'],
    ['a truncated .glb', () => [file('a.glb', glb.slice(0, glb.length / 2))], 'gltf.truncated'],
    ['a .glb of twelve bytes', () => [file('a.glb', glb.slice(0, 12))], 'gltf.truncated'],
    ['broken JSON', () => [file('a.gltf', text('{"asset":'))], 'gltf.bad-json'],
    ['JSON that is no model', () => [file('a.gltf', text([1]))], 'gltf.bad-json'],
    [
      'an older version',
      () =>
        spoiled((j) => {
          j.asset.version = '1.0';
        }),
      'gltf.version',
    ],
    ['a missing .bin', () => [gltf[0]], 'gltf.missing-buffer'],
    ['a short .bin', () => [gltf[0], file('figure.bin', gltf[1].bytes.slice(0, 100))], 'gltf.truncated'],
    [
      'an accessor index out of range',
      () =>
        spoiled((j) => {
          j.meshes[0].primitives[0].attributes.POSITION = 999;
        }),
      'gltf.reference',
    ],
    [
      'a joint index out of range',
      () =>
        spoiled((j) => {
          j.skins[0].joints[0] = 999;
        }),
      'gltf.reference',
    ],
    [
      'a negative joint index',
      () =>
        spoiled((j) => {
          j.skins[0].joints[0] = -1;
        }),
      'gltf.shape',
    ],
    [
      'an accessor past its buffer',
      () =>
        spoiled((j) => {
          j.accessors[0].count = 1e6;
        }),
      'gltf.range',
    ],
    [
      'an accessor that asks for terabytes',
      () =>
        spoiled((j) => {
          j.accessors.push({ componentType: 5126, type: 'MAT4', count: 1e10 });
        }),
      'gltf.too-large',
    ],
    [
      'nodes that go round in a circle',
      () =>
        spoiled((j) => {
          j.nodes[1].children = [0];
          j.nodes[0].children = [1];
        }),
      'gltf.cycle',
    ],
    [
      'a node under itself',
      () =>
        spoiled((j) => {
          j.nodes.push({ children: [j.nodes.length] });
        }),
      'gltf.cycle',
    ],
    [
      'a node under two others',
      () =>
        spoiled((j) => {
          j.nodes.push({ children: [1] }, { children: [1] });
        }),
      'gltf.two-parents',
    ],
    [
      '70,000 joints',
      () =>
        spoiled((j) => {
          j.skins[0].joints = new Array(70_000).fill(0);
        }),
      'gltf.too-many-joints',
    ],
    [
      'an extension nobody knows',
      () =>
        spoiled((j) => {
          j.extensionsRequired = ['X_unknown'];
          j.extensionsUsed = ['X_unknown'];
        }),
      'gltf.extension',
    ],
    [
      'no triangles',
      () =>
        spoiled((j) => {
          j.meshes = [];
          // A skeleton alone would be something.
          delete j.skins;
          for (const node of j.nodes) {
            delete node.mesh;
            delete node.skin;
          }
        }),
      'gltf.no-triangles',
    ],
    [
      'a list that is no list',
      () =>
        spoiled((j) => {
          j.meshes = { a: 1 };
        }),
      'gltf.shape',
    ],
    ['a damaged archive', () => [file('a.zip', writeArchive(gltf).slice(0, 300))], 'archive.broken'],
    ['an archive that climbs out', () => [file('a.zip', zipSync({ '../../evil.glb': glb }))], 'archive.path'],
    [
      'an archive that grows a thousandfold',
      () => [file('a.zip', zipSync({ 'a.glb': new Uint8Array(30_000_000) }))],
      'archive.ratio',
    ],
  ])('refuses %s with a sentence', async (_name, files, code) => {
    expect(await codeOf(files())).toBe(code);
  });
  it.each([Number.NaN, Infinity])('refuses positions of %s', async (value) => {
    const document = stickFigure();
    const position = document.getRoot().listMeshes()[0].listPrimitives()[0].getAttribute('POSITION');
    (position?.getArray() as Float32Array)[4] = value;
    expect(await codeOf([file('a.glb', await writeGlb(document))])).toBe('gltf.not-finite');
  });
  it('looks at sparse deltas as they are stored: a good one stays, one that is no number is refused', async () => {
    const document = stickFigure(),
      [target] = listParts(document)[0].prim.listTargets(),
      delta = target.getAttribute('POSITION') as NonNullable<ReturnType<typeof target.getAttribute>>;
    const values = new Float32Array(delta.getCount() * 3);
    values[30] = 0.0123;
    delta.setArray(values).setSparse(true);
    const bytes = await writeGlb(document),
      number = new Uint8Array(Float32Array.of(0.0123).buffer);
    expect([
      ...floatsOf(
        listParts((await readCharacter([file('a.glb', bytes)])).document)[0]
          .prim.listTargets()[0]
          .getAttribute('POSITION') as never,
      ),
    ]).toEqual([...values]);
    // The writer leaves out what is no number, so it is put in afterwards.
    let at = -1;
    for (let i = 0; i + 4 <= bytes.length && at < 0; i++) if (number.every((byte, k) => bytes[i + k] === byte)) at = i;
    const spoilt = bytes.slice();
    spoilt.set(new Uint8Array(Float32Array.of(Number.NaN).buffer), at);
    expect(at).toBeGreaterThan(0);
    expect(await codeOf([file('a.glb', spoilt)])).toBe('gltf.not-finite');
  });
  it("says that a figure without a skin can't bend", async () => {
    const document = stickFigure();
    for (const node of document.getRoot().listNodes()) node.setSkin(null);
    document.getRoot().listSkins()[0].dispose();
    expect(
      (await readCharacter([file('a.glb', await writeGlb(document))])).findings.map((finding) => finding.code),
    ).toContain('intake.no-skin');
  });
  it('survives bytes changed at random: a sentence or a character, never another error', async () => {
    const random = seededRandom(42);
    const outcomes = new Set<string>();
    for (let i = 0; i < 150; i++) {
      const bytes = glb.slice();
      // Half of the spoiling goes to the description, where the structure is.
      const reach = i % 2 ? bytes.length : Math.min(bytes.length, 12_000);
      for (let k = 0; k < 1 + random() * 6; k++) bytes[Math.floor(random() * reach)] = Math.floor(random() * 256);
      outcomes.add(await codeOf([file('fuzz.glb', bytes)]));
    }
    expect(outcomes.size).toBeGreaterThan(3);
  });
});

describe('openArchive', () => {
  it('gives back what was packed, and packs the same bytes twice', () => {
    const files = [file('a/b.txt', text('x')), file('c.png', new Uint8Array(9))];
    expect(openArchive(writeArchive(files), 'x.zip')).toEqual(files);
    expect(writeArchive(files)).toEqual(writeArchive(files));
  });
  it('keeps to limits on entries and total', () => {
    const packed = writeArchive([file('a', new Uint8Array(100)), file('b', new Uint8Array(100))]);
    expect(() => openArchive(packed, 'x', { entries: 1, totalBytes: 1e9, ratio: 200 })).toThrow(/more than 1 files/);
    expect(() => openArchive(packed, 'x', { entries: 9, totalBytes: 150, ratio: 200 })).toThrow(/would open to more/);
  });
});

describe('pieces', () => {
  it('put a document together as it was, images with their format, and share what is equal', async () => {
    const { hash } = testContext();
    const document = stickFigure();
    const png = Uint8Array.of(0x89, 0x50, 0x4e, 0x47);
    document
      .getRoot()
      .listMaterials()[0]
      .setBaseColorTexture(
        document.createTexture('skin').setImage(png).setMimeType('image/png').setURI('maps/skin.png'),
      );
    const io = await createGltfIO();
    const first = await packDocument(io, document, hash);
    const again = await unpackDocument(io, first.manifest, (name) => first.pieces.get(name));
    const [texture] = again.getRoot().listTextures();
    expect([texture.getURI(), texture.getMimeType(), texture.getImage()]).toEqual(['maps/skin.png', 'image/png', png]);
    const second = await packDocument(io, again, hash);
    expect([...second.pieces.keys()].sort()).toEqual([...first.pieces.keys()].sort());
    expect(second.manifest).toEqual(first.manifest);
  });
});
