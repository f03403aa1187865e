import { writeFileSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { startAside } from './index.ts';

const folder = mkdtempSync(join(tmpdir(), 'dimetra-aside-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
/** A quad, two triangles, before another that it hides from one side alone. */
const figure = {
  indices: Uint32Array.of(0, 1, 2, 0, 2, 3),
  vertices: 4,
  parts: [{ role: 'body', through: false, firstVertex: 0, vertices: 4, firstTriangle: 0, triangles: 2 }],
};
const shapes = [Float32Array.of(0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0)];

describe('the second thread of a measurement', () => {
  it('answers what it is asked, in turn, and says what it can’t do', async () => {
    const aside = startAside(resolve('dist/node/aside.js'), 2);
    if (!aside) throw new Error('the program is not built');
    aside.ask('show', { side: 'source', figure, shapes });
    expect(await aside.ask('covered', 'source')).toEqual(new Uint8Array(2));
    expect(await aside.ask('skin', 'source')).toEqual([0]);
    await expect(aside.ask('skin', 'result')).rejects.toThrow(/result was not shown/);
    await aside.close();
    await expect(aside.ask('skin', 'source')).rejects.toThrow(/over/);
  });
  it('tells everybody who waits when the thread dies', async () => {
    const file = join(folder, 'dies.js');
    writeFileSync(file, 'setTimeout(() => process.exit(3), 50)');
    const aside = startAside(file, 2),
      asked = [aside?.ask('skin', 'source'), aside?.ask('covered', 'source')];
    for (const answer of asked) await expect(answer).rejects.toThrow(/ended/);
    await expect(aside?.ask('skin', 'source')).rejects.toThrow(/ended/);
    await aside?.close();
  });
  it('is none where there is no such program', () => {
    expect(startAside(join(folder, 'missing.js'), 2)).toBeNull();
  });
});
