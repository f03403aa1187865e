import { existsSync } from 'node:fs';
import { basename, dirname } from 'node:path';
import { parseOrTell } from '@dimetra/core';
import { writeOutput } from '@dimetra/platform';
import * as v from 'valibot';
import type { Cell } from './cell.ts';
import { readJson } from './find-target.ts';

const number = v.pipe(v.number(), v.finite());
const BaselineSchema = v.object({
  schema: v.literal(1),
  /** How much worse than here a rule's number may become. */
  drift: v.object({ percent: v.pipe(number, v.minValue(0)), least: v.pipe(number, v.minValue(0)) }),
  /** character/target → rule → what was measured. */
  cells: v.record(v.string(), v.record(v.string(), number)),
});
export type Baseline = v.InferOutput<typeof BaselineSchema>;

/** The baseline of an earlier batch; null where there is none yet. @throws ProblemError baseline.invalid, json.broken */
export async function readBaseline(path: string): Promise<Baseline | null> {
  if (!existsSync(path)) return null;
  return parseOrTell(BaselineSchema, await readJson(path), {
    code: 'baseline.invalid',
    what: 'The baseline',
    where: path,
  });
}

/** Numbers that rules measure, by rule. */
const measuredOf = ({ checks }: Cell): Record<string, number> =>
  Object.fromEntries(
    checks.flatMap(({ rule, measured }): [string, number][] =>
      typeof measured === 'number' && Number.isFinite(measured) ? [[rule, measured]] : [],
    ),
  );

export async function writeBaseline(path: string, cells: readonly Cell[]): Promise<void> {
  const baseline: Baseline = {
    schema: 1,
    drift: { percent: 5, least: 0.01 },
    cells: Object.fromEntries(
      cells.filter(({ state }) => state !== 'failed').map((cell) => [cell.folder, measuredOf(cell)]),
    ),
  };
  await writeOutput(dirname(path), [
    { path: basename(path), bytes: new TextEncoder().encode(`${JSON.stringify(baseline, null, 1)}\n`) },
  ]);
}

/** Rules whose numbers became larger than a baseline allows; a cell or a rule that it doesn't know is new. */
export function driftOf(cell: Cell, { drift, cells }: Baseline): string[] {
  const before = cells[cell.folder] ?? {};
  return Object.entries(measuredOf(cell)).flatMap(([rule, now]) => {
    const was = before[rule];
    return was !== undefined && now > was * (1 + drift.percent / 100) + drift.least
      ? [`${rule}: ${now}, before ${was}`]
      : [];
  });
}
