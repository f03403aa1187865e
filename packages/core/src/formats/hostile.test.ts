import { zipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import { ProblemError } from '../problem.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { openArchive, readCharacter, writeGltfFiles } from './index.ts';

const text = (value: string) => new TextEncoder().encode(value);
const [model, ...beside] = await writeGltfFiles(stickFigure(), 'sailor');
/** JSON that is broken on purpose: nothing is known of it. */
type Json = ReturnType<typeof JSON.parse>;
/** The sailor with something odd in its JSON. */
const odd = async (change: (json: Json) => void): Promise<ProblemError> => {
  const json = JSON.parse(new TextDecoder().decode(model.bytes)) as Json;
  change(json);
  try {
    await readCharacter([
      { path: 'a.gltf', bytes: text(JSON.stringify(json).replace('"@huge"', '1e999').replace('"@wide"', '1e300')) },
      ...beside,
    ]);
  } catch (error) {
    if (error instanceof ProblemError) return error;
    throw error;
  }
  throw new Error('it was read');
};

describe('odd JSON gets a sentence, never an error of ours', () => {
  it.each<[string, (json: Json) => void, RegExp]>([
    [
      'a number for a name',
      (json) => {
        json.nodes[0].name = 7;
      },
      /nodes\.0\.name should be text, and is 7/,
    ],
    [
      'nothing for a buffer',
      (json) => {
        json.buffers = [null];
      },
      /buffers\.0 should be an object, and is null/,
    ],
    [
      'a number for a list',
      (json) => {
        json.nodes = 4;
      },
      /nodes should be a list/,
    ],
    [
      'a number for children',
      (json) => {
        json.nodes[0].children = 1;
      },
      /nodes\.0\.children should be a list/,
    ],
    [
      'text for an index',
      (json) => {
        json.meshes[0].primitives[0].indices = '3';
      },
      /indices should be a number/,
    ],
    [
      'no attributes',
      (json) => {
        delete json.meshes[0].primitives[0].attributes;
      },
      /attributes/,
    ],
    [
      'a negative stride',
      (json) => {
        json.bufferViews[0].byteStride = -12;
      },
      /byteStride should be a whole number from 0 up/,
    ],
    [
      'sparse without values',
      (json) => {
        json.accessors[0].sparse = { count: 1, indices: { bufferView: 0, componentType: 5123 } };
      },
      /sparse\.values/,
    ],
    [
      'an object for joints',
      (json) => {
        json.skins[0].joints = {};
      },
      /joints should be a list/,
    ],
    [
      'two numbers for a place',
      (json) => {
        json.nodes[0].translation = [0, 1];
      },
      /translation should be a list of 3 numbers/,
    ],
    [
      'text for a transform',
      (json) => {
        json.nodes[0].rotation = '0 0 0 1';
      },
      /rotation should be a list/,
    ],
    [
      'a factor as text',
      (json) => {
        json.materials[0].pbrMetallicRoughness = { metallicFactor: 'none' };
      },
      /metallicFactor should be a number/,
    ],
    [
      'no number at all',
      (json) => {
        json.nodes[0].translation = [0, '@huge', 0];
      },
      /should be a finite number/,
    ],
    [
      'a number too wide for 32 bits',
      (json) => {
        json.nodes[0].scale = ['@wide', 1, 1];
      },
      /should be a finite number/,
    ],
    [
      'a clip without targets',
      (json) => {
        json.animations = [{ channels: [{ sampler: 0 }], samplers: [] }];
      },
      /target/,
    ],
    [
      'a version that is a number',
      (json) => {
        json.asset.version = 2;
      },
      /doesn't say which glTF version/,
    ],
  ])('%s', async (_, change, sentence) => {
    const problem = await odd(change);
    expect(problem.code).toMatch(/^gltf\./);
    expect(problem.message).toMatch(sentence);
  });
});

describe('small files that ask for much', () => {
  it('sparse and empty arrays are weighed before any is made', async () => {
    const problem = await odd((json) => {
      for (let i = 0; i < 400; i++) json.accessors.push({ componentType: 5126, type: 'VEC3', count: 2_000_000 });
    });
    expect(problem.code).toBe('gltf.too-large');
    expect(problem.message).toMatch(/claims arrays of 9\d{3}\.\d MB/);
  });
  it('entries of an archive that lie on each other are refused', () => {
    // One stored file whose entry stands twice in the directory.
    const once = zipSync({ 'a.bin': [new Uint8Array(3000).fill(7), { level: 0 }] }),
      view = new DataView(once.buffer),
      end = once.length - 22,
      from = view.getUint32(end + 16, true),
      size = view.getUint32(end + 12, true),
      directory = once.slice(from, from + size);
    const other = directory.slice();
    other[46] = 'b'.charCodeAt(0);
    const doubled = new Uint8Array(from + size * 2 + 22);
    doubled.set(once.subarray(0, from));
    doubled.set(directory, from);
    doubled.set(other, from + size);
    doubled.set(once.subarray(end), from + size * 2);
    const tail = new DataView(doubled.buffer, from + size * 2);
    tail.setUint16(8, 2, true);
    tail.setUint16(10, 2, true);
    tail.setUint32(12, size * 2, true);
    expect(openArchive(once, 'once.zip')).toHaveLength(1);
    expect(() => openArchive(doubled, 'twice.zip')).toThrow(/lie on top of each other/);
  });
});

describe("numbers that can't be stored", () => {
  it('are refused in OBJ, by name', async () => {
    await expect(
      readCharacter([{ path: 'a.obj', bytes: text('o Coat\nv 0 0 0\nv 1e300 0 0\nv 0 1 0\nf 1 2 3\n') }]),
    ).rejects.toMatchObject({ code: expect.stringMatching(/not-finite|range|number/) });
  });
  it('and tuples of the wrong width in USD', async () => {
    const layer = (points: string) =>
      text(
        `#usda 1.0\n(\n defaultPrim = "a"\n)\ndef Xform "a" {\n def Mesh "m" {\n  int[] faceVertexCounts = [3]\n  int[] faceVertexIndices = [0, 1, 2]\n  point3f[] points = [${points}]\n }\n}\n`,
      );
    await expect(
      readCharacter([{ path: 'a.usda', bytes: layer('(0, 0), (1, 0), (0, 1), (5, 5), (6, 6), (7, 7)') }]),
    ).rejects.toThrow(/point3f takes 3 numbers in each bracket, and has 2/);
    expect(
      (await readCharacter([{ path: 'a.usda', bytes: layer('(0, 0, 0), (1, 0, 0), (0, 1, 0)') }])).document
        .getRoot()
        .listMeshes(),
    ).toHaveLength(1);
  });
});
