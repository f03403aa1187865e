import { describe, expect, it } from 'vitest';
import { copyDocument, floatsOf, listParts } from '../character/index.ts';
import { testContext } from '../testing/context.ts';
import { dressed } from '../testing/dressed.ts';
import { compareCharacters } from './compare.ts';
import { marksOf, type Memory, runsOf } from './memory.ts';

/** Keeps everything, and tells what it was asked for and had. */
function memory(): Memory & { kept: Map<string, unknown>; had: string[] } {
  const { hash } = testContext(),
    kept = new Map<string, unknown>(),
    had: string[] = [];
  return {
    kept,
    had,
    key: (...content) =>
      `${content[0]} ${hash(new TextEncoder().encode(content.map((one) => (typeof one === 'string' ? one : hash(new Uint8Array(one.buffer, one.byteOffset, one.byteLength)))).join('\n')))}`,
    async recall(key) {
      if (kept.has(key)) had.push(key.split(' ')[0]);
      return kept.get(key);
    },
    async remember(key, value) {
      kept.set(key, JSON.parse(JSON.stringify(value)));
    },
  };
}
// At rest alone: looked at in one shape instead of four.
const OPTIONS = { samples: 600, still: true };

describe('what was measured before', () => {
  it('keeps marks as runs that give them back', () => {
    for (const marks of [[], [0], [1], [0, 0, 1, 1, 1, 0], [1, 0, 1], [1, 1, 0, 0]]) {
      const runs = runsOf(Uint8Array.from(marks));
      expect(Array.from(marksOf(runs, marks.length))).toEqual(marks);
      expect(runs.reduce((sum, run) => sum + run, 0)).toBe(marks.length);
    }
    expect(runsOf(new Uint8Array(100_000))).toEqual([100_000]);
  });
  it('looks at a figure once, whatever it is compared with', async () => {
    const source = dressed(),
      kept = memory();
    const alone = await compareCharacters(source, dressed(0.004), OPTIONS);
    expect(await compareCharacters(source, dressed(0.004), { ...OPTIONS, memory: kept })).toEqual(alone);
    expect(kept.had).toEqual([]);
    expect(kept.kept.size).toBe(2);
    // The same source beside another result: its side is known, the other's is looked at.
    const other = await compareCharacters(source, dressed(0.008), OPTIONS);
    expect(await compareCharacters(source, dressed(0.008), { ...OPTIONS, memory: kept })).toEqual(other);
    expect(kept.had).toEqual(['clothes']);
    expect(kept.kept.size).toBe(3);
    // Both known.
    expect(await compareCharacters(source, dressed(0.008), { ...OPTIONS, memory: kept })).toEqual(other);
    expect(kept.had).toEqual(['clothes', 'clothes', 'clothes']);
    expect(other.shape.skin).not.toEqual(alone.shape.skin);
  });
  it('looks again where one vertex stands elsewhere, or a part is something else', async () => {
    const source = dressed(),
      kept = memory();
    await compareCharacters(source, source, { ...OPTIONS, memory: kept });
    const moved = copyDocument(source),
      [part] = listParts(moved),
      position = part.prim.getAttribute('POSITION');
    position?.setArray(floatsOf(position).map((x, i) => (i === 7 ? x + 1e-4 : x)) as Float32Array<ArrayBuffer>);
    kept.had.length = 0;
    await compareCharacters(moved, moved, { ...OPTIONS, memory: kept });
    expect(kept.had).toEqual([]);
    const glazed = copyDocument(source);
    for (const material of glazed.getRoot().listMaterials())
      if (material.getName() === 'Jacket_Cloth') material.setName('Visor_Glass');
    await compareCharacters(glazed, glazed, { ...OPTIONS, memory: kept });
    expect(kept.had).toEqual([]);
  });
  it('takes all shapes over where they are said to be the same, and measures what is no shape', async () => {
    const source = dressed(),
      result = dressed(0.004),
      kept = memory(),
      first = await compareCharacters(source, result, { ...OPTIONS, memory: kept, sameShapes: 'a' });
    expect([...kept.kept.keys()].filter((key) => key.startsWith('shapes'))).toHaveLength(1);
    const again = await compareCharacters(source, result, { ...OPTIONS, memory: kept, sameShapes: 'a' });
    expect(again).toEqual(first);
    expect(kept.had).toContain('shapes');
    // Fewer samples, another seed, or other shapes: measured anew.
    for (const other of [{ samples: 500 }, { seed: 2 }, { sameShapes: 'b' }]) {
      kept.had.length = 0;
      await compareCharacters(source, result, { ...OPTIONS, memory: kept, sameShapes: 'a', ...other });
      expect(kept.had).not.toContain('shapes');
    }
    // Something else under the key is not believed.
    for (const key of kept.kept.keys()) if (key.startsWith('shapes')) kept.kept.set(key, { rest: 1 });
    expect(await compareCharacters(source, result, { ...OPTIONS, memory: kept, sameShapes: 'a' })).toEqual(first);
  });
});
