import { createGltfIO, MemoryStore, packDocument, ProblemError, type Source } from '@dimetra/core';
import { sha256 } from '@dimetra/platform';
import type { Cell } from './cell.ts';
import { convertOne } from './convert-one.ts';
import { findTarget, readFigures } from './find-target.ts';
import { readRecipe } from './read-recipe.ts';
import { openCharacters } from './session.ts';

/** What one cell is made of, as paths and names: how a batch asks one of its processes for it. */
export interface CellOrder {
  input: string;
  /** The model within the input, where it holds several characters. */
  main?: string;
  target: string;
  recipe?: string;
  by?: string;
  figures: readonly string[];
  /** Where its files go. */
  out: string;
}

export type CellMade = { did: Pick<Cell, 'verdict' | 'checks' | 'files'> } | { problem: string };
/** With how much memory the process holds by now. */
export type CellAnswer = CellMade & { heldBytes: number };

/** A character that was read, with what the steps for earlier targets left behind. */
interface Opened {
  named: string;
  name: string;
  source: Source;
  store: MemoryStore;
}

/** Makes cell after cell as it is asked, for as long as somebody asks: the targets of a character share what they can. */
export function makeCells(): Promise<number> {
  let opened: Opened | null = null;
  const make = async (order: CellOrder): Promise<CellMade> => {
    try {
      const figures = await readFigures(order.figures),
        target = await findTarget(order.target, figures),
        followed = await readRecipe(order.recipe, order.by),
        named = `${order.input}\n${order.main ?? ''}`;
      // Whoever was read before goes before the next one comes.
      if (opened?.named !== named) {
        opened = null;
        opened = await open(order, named);
      }
      const { output } = await convertOne(opened, target, followed, order.out, figures),
        { verdict, checks, files } = output;
      return { did: { verdict, checks, files } };
    } catch (error) {
      if (error instanceof ProblemError) return { problem: error.message };
      return { problem: `Something went wrong inside Dimetra: ${(error as Error).stack}` };
    }
  };
  return new Promise((done) => {
    process.on('disconnect', () => done(0));
    process.on('message', async (order: CellOrder) => {
      const made = await make(order);
      process.send?.({ ...made, heldBytes: process.memoryUsage.rss() } satisfies CellAnswer);
    });
  });
}

/** @throws ProblemError */
async function open({ input, main }: CellOrder, named: string): Promise<Opened> {
  const { characters, failed } = await openCharacters(input, main);
  if (!characters.length)
    throw new ProblemError('intake.broken', failed[0]?.message ?? `“${input}” can't be read.`, input);
  const [{ document, name }] = characters,
    store = new MemoryStore(),
    { manifest, pieces } = await packDocument(await createGltfIO(), document, sha256);
  store.add(pieces);
  return { named, name, store, source: { manifest, document: async () => document } };
}
