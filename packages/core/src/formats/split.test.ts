import { describe, expect, it } from 'vitest';
import { stickFigure } from '../testing/stick-figure.ts';
import { writeArchive } from './archive/archive.ts';
import { writeBvh } from './bvh/write.ts';
import type { InputFile } from './files.ts';
import { writeGlb } from './gltf/write.ts';
import { writeObj } from './obj/write.ts';
import { skeletonOf } from '../character/index.ts';
import { readCharacter } from './read.ts';
import { readCharacters, splitArrival } from './split.ts';
import { writeUsdz } from './usd/write.ts';

const glb = await writeGlb(stickFigure({ rings: 2, sides: 3 }));
const at = (path: string, bytes: Uint8Array = glb): InputFile => ({ path, bytes });
const png = Uint8Array.of(0x89, 0x50, 0x4e, 0x47);
const groups = (files: InputFile[]) =>
  splitArrival(files).map(({ main, files: own }) => [main, own.map((file) => file.path).sort()]);

describe('an arrival', () => {
  it('of one model is one character, whatever lies beside it', () => {
    expect(groups([at('a/pilot.glb'), at('a/skin.png', png), at('b/note.txt', png)])).toEqual([
      [undefined, ['a/pilot.glb', 'a/skin.png', 'b/note.txt']],
    ]);
  });
  it('of a folder of folders is a character each, with its own images and the shared ones', () => {
    expect(
      groups([
        at('crew/pilot/pilot.glb'),
        at('crew/pilot/maps/skin.png', png),
        at('crew/deckhand/deckhand.glb'),
        at('crew/deckhand/skin.png', png),
        at('crew/flag.png', png),
      ]),
    ).toEqual([
      ['crew/deckhand/deckhand.glb', ['crew/deckhand/deckhand.glb', 'crew/deckhand/skin.png', 'crew/flag.png']],
      ['crew/pilot/pilot.glb', ['crew/flag.png', 'crew/pilot/maps/skin.png', 'crew/pilot/pilot.glb']],
    ]);
  });
  it('of one figure in several formats is one character, the fullest format first', () => {
    expect(
      groups([
        at('pilot.usdz', writeUsdz(stickFigure({ rings: 2, sides: 3 }), 'pilot')),
        at('pilot.glb'),
        at('pilot.bvh', writeBvh(stickFigure())),
      ]),
    ).toEqual([[undefined, ['pilot.bvh', 'pilot.glb', 'pilot.usdz/pilot.usda']]]);
  });
  it('tells models of one name in folders of their own apart, and names them by the folder', async () => {
    const { characters } = await readCharacters([at('pilot/scene.glb'), at('mate/scene.glb')]);
    expect(characters.map((read) => read.name)).toEqual(['mate', 'pilot']);
  });
  it('of a mesh beside a longer motion is the mesh: what has triangles is the model', async () => {
    const long = writeBvh(stickFigure(), {
        frames: Array.from({ length: 400 }, () => skeletonOf(stickFigure()).global),
      }),
      obj = writeObj(stickFigure({ rings: 2, sides: 3 }), 'sailor'),
      total = (files: InputFile[]) => files.reduce((sum, file) => sum + file.bytes.length, 0);
    expect(long.length).toBeGreaterThan(total(obj));
    const {
      characters: [read],
    } = await readCharacters([...obj, at('walk.bvh', long)]);
    expect([read.name, read.document.getRoot().listMeshes().length > 0, read.used.includes('walk.bvh')]).toEqual([
      'sailor',
      true,
      true,
    ]);
    const moving = stickFigure();
    for (const node of moving.getRoot().listNodes()) if (node.getMesh()) node.dispose();
    for (const mesh of moving.getRoot().listMeshes()) mesh.dispose();
    const bare = { path: 'take.glb', bytes: await writeGlb(moving) };
    expect(
      (await readCharacter([at('sailor.glb', await writeGlb(stickFigure({ rings: 1, sides: 3 }))), bare])).name,
    ).toBe('sailor');
  });
  it('of pieces in one folder stays one', () => {
    const obj = writeObj(stickFigure({ rings: 2, sides: 3 }), 'body');
    expect(
      splitArrival([...obj, ...obj.map((file) => ({ ...file, path: file.path.replace('body', 'hair') }))]),
    ).toHaveLength(1);
  });
  it('in an archive is split the same', () => {
    expect(groups([at('crew.zip', writeArchive([at('a/a.glb'), at('b/b.glb')]))]).map(([main]) => main)).toEqual([
      'a/a.glb',
      'b/b.glb',
    ]);
  });
  it('counts what archives inside archives open to against one limit', () => {
    const usdz = writeUsdz(stickFigure({ rings: 8, sides: 8 }), 'a'),
      files = [at('watch.zip', writeArchive([at('a.usdz', usdz), at('b.usdz', usdz)]))];
    expect(splitArrival(files)).toHaveLength(2);
    expect(() => splitArrival(files, { entries: 100, totalBytes: usdz.length * 3.5, ratio: 1000 })).toThrow(
      /would open to more/,
    );
    expect(() =>
      splitArrival(
        [
          at('crew.zip', writeArchive(Array.from({ length: 4 }, (_, i) => at(`${i}.glb`)))),
          at('more.zip', writeArchive(Array.from({ length: 4 }, (_, i) => at(`${i}.glb`)))),
        ],
        { entries: 6, totalBytes: 1e9, ratio: 1000 },
      ),
    ).toThrow(/more than/);
  });
  it('brings in those that can be read and names the others', async () => {
    const { characters, failed } = await readCharacters([at('a/a.glb'), at('b/b.glb', glb.slice(0, 60))]);
    expect(characters).toHaveLength(1);
    expect(failed).toMatchObject([{ path: 'b/b.glb' }]);
    expect(failed[0].message.length).toBeGreaterThan(20);
  });
  it("of nothing but broken models fails with the first one's sentence", async () => {
    await expect(readCharacters([at('a/a.glb', glb.slice(0, 60)), at('b/b.glb', glb.slice(0, 70))])).rejects.toThrow(
      /a\.glb/,
    );
  });
});
