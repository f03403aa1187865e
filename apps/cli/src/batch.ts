import { readFile, rename, rm } from 'node:fs/promises';
import { availableParallelism, totalmem } from 'node:os';
import { basename, dirname, join } from 'node:path';
import {
  baseName,
  type FigureWithBody,
  fileNameOf,
  ProblemError,
  splitArrival,
  type Target,
  type Verdict,
  verdictSentence,
} from '@dimetra/core';
import { readInput, sha256, writeOutput } from '@dimetra/platform';
import type { Parsed } from './arguments.ts';
import { driftOf, readBaseline, writeBaseline } from './baseline.ts';
import type { Cell } from './cell.ts';
import { CellMaker, dealt } from './cell-makers.ts';
import { findTarget, readFigures } from './find-target.ts';
import { junitXml } from './junit.ts';
import { distinct } from './session.ts';
import { UsageError } from './usage.ts';

/** What is to be made, and what it is made of. */
interface Order extends Pick<Cell, 'character' | 'target' | 'folder'> {
  input: string;
  /** The model within the input, where it holds several characters. */
  main: string | undefined;
  said: string;
  key: string;
}

const RECORD = 'batch.json';
type Kept = Record<string, Pick<Cell, 'state' | 'verdict' | 'checks' | 'files'> & { key: string }>;

/** Every character of every input for every target, by so many processes at once as was said. */
export async function batchCommand({ positionals, values }: Parsed): Promise<number> {
  const out = values.out as string,
    jobs = jobsOf(values.jobs),
    figures = await readFigures(values.figure ?? []),
    said = values.target as string[],
    targets = await Promise.all(said.map(async (name) => ({ said: name, target: await findTarget(name, figures) }))),
    baseline = values.baseline ? await readBaseline(values.baseline) : null,
    { orders, failed } = await ordersFor(positionals, targets, figures, values),
    before = await keptIn(out),
    stop = new AbortController(),
    onSignal = () => stop.abort();
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, onSignal);
  const makers = Array.from({ length: jobs }, () => new CellMaker(orders.length > 1, stop.signal)),
    cells = new Array<Cell>(orders.length);
  let done = 0;
  await dealt(
    orders.map((order, i) => ({ order, i })),
    ({ order: { input, main } }) => `${input}\n${main ?? ''}`,
    jobs,
    async ({ order, i }, by) => {
      const cell = (await unchanged(order, before[order.folder], out)) ?? (await made(order, values, out, makers[by]));
      cells[i] = cell;
      process.stderr.write(`${++done} of ${orders.length} · ${order.folder}: ${sentenceOf(cell)}\n`);
    },
  );
  for (const maker of makers) maker.close();
  for (const cell of cells) if (baseline) cell.drift = driftOf(cell, baseline);
  const kept: Kept = { ...before };
  cells.forEach((cell, i) => {
    const { state, verdict, checks, files } = cell;
    if (state === 'failed') delete kept[cell.folder];
    else kept[cell.folder] = { key: orders[i].key, state: stateBy(verdict, state), verdict, checks, files };
  });
  const text = (value: unknown) => new TextEncoder().encode(`${JSON.stringify(value, null, 1)}\n`);
  await writeOutput(out, [{ path: RECORD, bytes: text({ schema: 1, cells: kept }) }]);
  if (values.junit)
    await writeOutput(dirname(values.junit), [
      { path: basename(values.junit), bytes: new TextEncoder().encode(junitXml(cells, failed)) },
    ]);
  if (values.baseline && !baseline) await writeBaseline(values.baseline, cells);
  if (values.json) process.stdout.write(`${JSON.stringify({ schema: 1, cells, failed })}\n`);
  else process.stdout.write(tableOf(cells));
  for (const { path, message } of failed) process.stderr.write(`${path}: ${message}\n`);
  if (failed.length || cells.some(({ state }) => state === 'failed')) return 3;
  return cells.some((cell) => cell.verdict?.state === 'blocks' || cell.drift.length) ? 4 : 0;
}

/** A process that makes cells of full size holds so much at most. */
const MEMORY_OF_ONE = 3 * 2 ** 30;

/** As many cores as were said; else all, as far as there is memory for so many processes. @throws UsageError */
function jobsOf(said: string | undefined): number {
  if (said === undefined) return Math.max(1, Math.min(availableParallelism(), Math.floor(totalmem() / MEMORY_OF_ONE)));
  const jobs = Number(said);
  if (!(Number.isInteger(jobs) && jobs >= 1 && jobs <= 64)) throw new UsageError('--jobs takes a number from 1 to 64.');
  return jobs;
}

/** What a cell is made of decides whether it is made again: input, target, recipe, figures, and the program itself. */
async function ordersFor(
  inputs: readonly string[],
  targets: readonly { said: string; target: Target }[],
  figures: readonly FigureWithBody[],
  { recipe, by = '' }: Parsed['values'],
): Promise<{ orders: Order[]; failed: { path: string; message: string }[] }> {
  const failed: { path: string; message: string }[] = [],
    found: { input: string; main: string | undefined; title: string; content: string }[] = [],
    program = sha256(await readFile(process.argv[1])),
    said = recipe ? await readFile(recipe, 'utf8').catch(() => '') : '';
  for (const input of inputs)
    try {
      const files = await readInput(input),
        named = files.length > 1 ? files.find((file) => file.path === basename(input))?.path : undefined,
        arrived = named ? [{ main: named, files }] : splitArrival(files);
      for (const { main, files: own } of arrived)
        found.push({
          input,
          main: arrived.length > 1 ? main : undefined,
          title: baseName(main ?? input).replace(/\.[^.]+$/, ''),
          content: own.map(({ path, bytes }) => `${path} ${sha256(bytes)}`).join('\n'),
        });
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      failed.push({ path: input, message: error.message });
    }
  const folders = distinct(
      found.map(({ title }) => fileNameOf(title)),
      '-',
    ),
    // Two targets may be called alike; a folder that leads out of the one that was named can't come about.
    below = distinct(
      targets.map(({ target }) => fileNameOf(target.id)),
      '-',
    );
  return {
    failed,
    orders: found.flatMap(({ input, main, content }, c) =>
      targets.map(({ said: name, target }, t) => ({
        character: folders[c],
        target: target.id,
        folder: join(folders[c], below[t]),
        input,
        main,
        said: name,
        key: sha256(
          new TextEncoder().encode(
            [
              program,
              content,
              JSON.stringify(target),
              said,
              by,
              ...figures.map(({ figure }) => figure.body?.file),
            ].join('\n'),
          ),
        ),
      })),
    ),
  };
}

/** What an earlier batch left in a folder; nothing where its record can't be read. */
async function keptIn(out: string): Promise<Kept> {
  try {
    const { schema, cells } = JSON.parse(await readFile(join(out, RECORD), 'utf8'));
    return schema === 1 && cells && typeof cells === 'object' ? cells : {};
  } catch {
    return {};
  }
}

/** The cell as it lies there, if it was made of the same and every file is still what it was. */
async function unchanged(order: Order, before: Kept[string] | undefined, out: string): Promise<Cell | null> {
  if (before?.key !== order.key || !Array.isArray(before.files)) return null;
  for (const { path, sha256: hash } of before.files) {
    const bytes = await readFile(join(out, order.folder, path)).catch(() => null);
    if (!bytes || sha256(bytes) !== hash) return null;
  }
  const { character, target, folder } = order,
    { verdict, checks, files } = before;
  return { character, target, folder, state: 'unchanged', verdict, checks, files, drift: [], seconds: 0 };
}

/** Made beside its place, and put there once it is whole. */
async function made(order: Order, values: Parsed['values'], out: string, maker: CellMaker): Promise<Cell> {
  const started = performance.now(),
    { character, target, folder, input, main, said } = order,
    place = join(out, folder),
    part = `${place}.part`,
    cell: Cell = { character, target, folder, state: 'failed', checks: [], files: [], drift: [], seconds: 0 };
  await rm(part, { recursive: true, force: true });
  const { recipe, by, figure: figures = [] } = values,
    answer = await maker.make({ input, main, target: said, recipe, by, figures, out: part });
  cell.seconds = Math.round((performance.now() - started) / 10) / 100;
  if ('problem' in answer) {
    await rm(part, { recursive: true, force: true });
    return { ...cell, problem: answer.problem };
  }
  const { verdict, checks, files } = answer.did;
  await rm(place, { recursive: true, force: true });
  await rename(part, place);
  return { ...cell, state: stateBy(verdict, 'delivered'), verdict, checks, files };
}

const stateBy = (verdict: Verdict | undefined, otherwise: Cell['state']): Cell['state'] =>
  verdict?.state === 'blocks' ? 'blocked' : otherwise === 'unchanged' ? 'delivered' : otherwise;

const sentenceOf = ({ state, verdict, problem, seconds }: Cell): string =>
  state === 'failed'
    ? (problem ?? 'failed')
    : `${verdict ? verdictSentence(verdict) : ''}${state === 'unchanged' ? ' Unchanged.' : ` ${seconds.toFixed(1)} s.`}`;

const RANK: Record<Cell['state'], number> = { failed: 0, blocked: 1, delivered: 2, unchanged: 3 };

/** All cells, the worst first. */
function tableOf(cells: readonly Cell[]): string {
  const wide = Math.max(0, ...cells.map(({ folder }) => folder.length));
  return [...cells]
    .sort((a, b) => RANK[a.state] - RANK[b.state] || (a.folder < b.folder ? -1 : 1))
    .map((cell) => {
      const broken = cell.checks.filter((check) => !check.ok && check.blocking);
      return [
        `${cell.folder.padEnd(wide)}  ${cell.state.padEnd(9)}  ${sentenceOf(cell)}`,
        ...broken.map((check) => `  blocks: ${check.message}`),
        ...cell.drift.map((line) => `  worse than before: ${line}`),
        '',
      ].join('\n');
    })
    .join('');
}
