import { describe, expect, it } from 'vitest';
import { copyDocument } from '../character/index.ts';
import { dressed } from '../testing/dressed.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { type Aside, asideWork } from './aside.ts';
import { compareCharacters } from './compare.ts';

/** Another thread, but for the thread: everything is copied on its way in and out, and answered later. */
function beside(heard: string[] = []): Aside & { closed: boolean } {
  const work = asideWork();
  let last: Promise<unknown> = Promise.resolve();
  const aside = {
    closed: false,
    ask(task: never, given: never) {
      heard.push(task);
      const copy = structuredClone(given);
      last = last.then(() => structuredClone(work(task, copy)));
      last.catch(() => {});
      return last as Promise<never>;
    },
    shared: (length: number) => new Float32Array(new SharedArrayBuffer(length * 4)),
    async close() {
      aside.closed = true;
    },
  };
  return aside;
}

describe('measuring with a second thread', () => {
  it('finds the same to the last digit, and the other thread does its share', async () => {
    const source = dressed(),
      result = dressed(0.004),
      heard: string[] = [],
      alone = await compareCharacters(source, result, { samples: 800 }),
      together = await compareCharacters(source, result, { samples: 800, aside: () => beside(heard) });
    expect(together).toEqual(alone);
    expect(alone.shape.skin?.some((row) => row.resultCm2 > 0)).toBe(true);
    expect(alone.shape.poses.length).toBeGreaterThan(10);
    for (const task of ['show', 'covered', 'skin', 'stand', 'pose']) expect(heard).toContain(task);
  });
  it('finds the same where poses are held against another document than the rest', async () => {
    const source = dressed(),
      bending = copyDocument(source),
      options = { samples: 500, bending };
    const alone = await compareCharacters(source, dressed(0.003), options),
      together = await compareCharacters(source, dressed(0.003), { ...options, aside: () => beside() });
    expect(together).toEqual(alone);
  });
  it('ends the other thread when it is done, when it is stopped, and when that thread fails, which it says', async () => {
    const done = beside();
    await compareCharacters(stickFigure(), stickFigure(), { samples: 100, aside: () => done });
    expect(done.closed).toBe(true);
    const stopped = beside();
    await expect(
      compareCharacters(stickFigure(), stickFigure(), {
        samples: 100,
        aside: () => stopped,
        signal: { aborted: true },
      }),
    ).rejects.toThrow();
    expect(stopped.closed).toBe(true);
    for (const failing of ['covered', 'skin', 'stand', 'pose']) {
      const sick = beside(),
        { ask } = sick;
      sick.ask = (task: never, given: never) => {
        if (task !== failing) return ask(task, given);
        const no = Promise.reject(new Error(`no ${failing} today`));
        no.catch(() => {});
        return no;
      };
      const measured = compareCharacters(dressed(), dressed(), { samples: 100, aside: () => sick });
      // Whether it could make ready for poses is heard of with the poses.
      await expect(measured).rejects.toThrow(failing === 'stand' ? /nothing stands ready/ : `no ${failing} today`);
      expect(sick.closed).toBe(true);
    }
  });
});
