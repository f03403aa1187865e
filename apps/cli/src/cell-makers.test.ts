import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { dealt } from './cell-makers.ts';
import { writeCrew } from './testing/crew.ts';

const folder = mkdtempSync(join(tmpdir(), 'dimetra-makers-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const at = (name: string) => join(folder, name);
await writeCrew(folder);

describe('what is dealt out', () => {
  const things = ['a1', 'a2', 'a3', 'a4', 'a5', 'b1', 'c1'];
  it('stays with whoever has the character, and the last hand helps where most is left', async () => {
    const done: string[][] = [[], []];
    // The first is held up until the second has nothing left of its own.
    let free = () => {};
    const heldUp = new Promise<void>((resolve) => {
      free = resolve;
    });
    await dealt(
      things,
      ([character]) => character,
      2,
      async (thing, by) => {
        done[by].push(thing);
        if (thing === 'a1') await heldUp;
        if (thing === 'a3') free();
      },
    );
    expect(done[0][0]).toBe('a1');
    expect(done[1].slice(0, 4)).toEqual(['b1', 'c1', 'a2', 'a3']);
    expect(done.flat().sort()).toEqual(things);
  });
  it('asks for no more hands than there are things, and for none where there is nothing', async () => {
    const by = new Set<number>();
    await dealt(
      ['a', 'b'],
      (thing) => thing,
      9,
      async (_, hand) => void by.add(hand),
    );
    expect([...by].sort()).toEqual([0, 1]);
    await dealt([], String, 3, () => Promise.reject(new Error('never asked')));
  });
  it('ends with what went wrong', async () => {
    await expect(
      dealt(['a', 'b'], String, 1, async (thing) => {
        if (thing === 'b') throw new Error('no room');
      }),
    ).rejects.toThrow('no room');
  });
});

/** Whole conversions in processes of their own, on a machine that has other work. */
const targets = ['--target', 'quayside-crowd', '--target', 'headset-deck'],
  contents = (place: string) =>
    (readdirSync(place, { recursive: true }) as string[])
      .filter((name) => statSync(join(place, name)).isFile())
      .sort()
      .map((name) => [name, readFileSync(join(place, name)).toString('base64')]);

describe('cells of one process', () => {
  it('are the same bytes as conversions alone, whatever the process made before', () => {
    const env = { ...process.env, SOURCE_DATE: '2026-11-30' },
      convert = (...args: string[]) =>
        spawnSync(process.execPath, ['dist/node/cli.js', 'convert', at('crew/mate/sailor.glb'), ...args], { env });
    convert(...targets, '--out', at('both'), '--jobs', '1');
    convert('--target', 'headset-deck', '--out', at('alone'));
    expect(contents(at('alone')).length).toBeGreaterThan(2);
    expect(contents(at('both/sailor/headset-deck'))).toEqual(contents(at('alone')));
  });
  it('outlive their process: what was being made is made again by the next', async () => {
    const child = spawn(
      process.execPath,
      [
        'dist/node/cli.js',
        'convert',
        at('crew/mate/sailor.glb'),
        ...targets,
        '--out',
        at('lost'),
        '--jobs',
        '1',
        '--json',
      ],
      { stdio: ['ignore', 'pipe', 'pipe'] },
    );
    let out = '',
      killed = 0;
    child.stdout.setEncoding('utf8').on('data', (text: string) => {
      out += text;
    });
    child.stderr.setEncoding('utf8').on('data', (text: string) => {
      if (!text.includes('1 of 2') || killed) return;
      killed = Number(readFileSync(`/proc/${child.pid}/task/${child.pid}/children`, 'utf8').trim());
      setTimeout(() => process.kill(killed, 'SIGKILL'), 150);
    });
    const code = await new Promise((done) => child.on('close', done));
    expect(killed).toBeGreaterThan(0);
    const { cells } = JSON.parse(out) as { cells: { state: string; problem?: string }[] };
    expect(cells.map(({ state }) => state)).not.toContain('failed');
    expect([0, 4]).toContain(code);
  });
});
