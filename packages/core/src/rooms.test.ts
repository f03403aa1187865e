import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join, relative, resolve } from 'node:path';
import { describe, expect, it } from 'vitest';

/**
 * From the ground up: a room is built on those below it, never on one beside it and never on one above, so that each
 * can be read, tested and changed without what stands on it. Rooms of one row don't know each other; what two of them
 * need belongs further down.
 */
const ROWS: readonly (readonly string[])[] = [
  ['problem.ts', 'measures.ts', 'nearest-name.ts', 'settings.ts'],
  // Typed arrays alone.
  ['geometry'],
  // A document as a character: parts, joints, influences, notes.
  ['character'],
  ['pixels'],
  // Pictures of a figure, and what differs between two of them.
  ['appearance'],
  ['maps'],
  ['targets'],
  // A body's landmarks from its shape alone.
  ['landmarks'],
  // What a skeleton is understood as: roles, poses, stance, figures.
  ['rig'],
  // One skin laid on another of other polygons.
  ['wrap'],
  ['formats'],
  ['step.ts'],
  // The subjects.
  ['intake', 'skeleton', 'rest', 'weights', 'morphs', 'materials', 'textures', 'reduce', 'motion', 'fit'],
  ['inspect', 'parity'],
  ['check'],
  ['recipe'],
  ['deliver'],
  ['index.ts'],
];
const root = import.meta.dirname;
const rowOf = (room: string) => ROWS.findIndex((row) => row.includes(room));
const roomOf = (file: string) => relative(root, file).split('/')[0];

const files = readdirSync(root, { recursive: true, encoding: 'utf8' })
  .filter((file) => file.endsWith('.ts') && !file.startsWith('testing'))
  .map((file) => join(root, file));
const imports = files.flatMap((file) =>
  [...readFileSync(file, 'utf8').matchAll(/(?:from|import\() ?'(\.[^']+)'/g)].map(([, to]) => ({
    file,
    to: resolve(dirname(file), to),
  })),
);
const isTest = (file: string) => file.endsWith('.test.ts');
const told = ({ file, to }: (typeof imports)[number], why: string) =>
  `${relative(root, file)} imports ${relative(root, to)}: ${why}`;

describe('rooms of the core', () => {
  it('are all in one row or another', () => {
    const rooms = new Set(files.filter((file) => !isTest(file)).map(roomOf));
    expect([...rooms].filter((room) => rowOf(room) < 0)).toEqual([]);
    expect(ROWS.flat().filter((room) => !rooms.has(room))).toEqual([]);
  });
  it('stand on rooms below them, on none beside and none above', () => {
    const wrong = imports.filter(
      ({ file, to }) => !isTest(file) && roomOf(file) !== roomOf(to) && rowOf(roomOf(to)) >= rowOf(roomOf(file)),
    );
    expect(wrong.map((one) => told(one, 'that room is not below; what both need belongs further down'))).toEqual([]);
  });
  it('are entered by their index alone', () => {
    const deep = imports.filter(
      ({ file, to }) =>
        !isTest(file) && roomOf(file) !== roomOf(to) && relative(root, to).includes('/') && !to.endsWith('/index.ts'),
    );
    expect(deep.map((one) => told(one, 'name it in that room’s index instead'))).toEqual([]);
  });
  it('import nothing that they are not told of: interface, server and disk stay outside', () => {
    const outside = files
      .filter((file) => !isTest(file))
      .flatMap((file) =>
        [...readFileSync(file, 'utf8').matchAll(/from '((?:node:|react|express|three|@dimetra\/(?!eyes))[^']*)'/g)].map(
          ([, to]) => `${relative(root, file)} imports ${to}`,
        ),
      );
    expect(outside).toEqual([]);
  });
});
