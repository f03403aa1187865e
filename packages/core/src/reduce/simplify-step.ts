import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { listParts, type Part, passesOf } from '../character/index.ts';
import { type Measure, measure } from '../measures.ts';
import { worded } from '../settings.ts';
import { defineStep, type StepContext } from '../step.ts';
import { budgetById, type PartBudget, shareWithin } from './budget.ts';
import { lookBefore, putRight } from './put-right.ts';
import { SIMPLIFY_DEFAULTS, simplifyParts } from './simplify.ts';

/** Triangles as they are drawn: hair in two passes is drawn twice. */
const drawn = ({ triangles, material }: Part): number => triangles * passesOf(material);

type Reduced = Awaited<ReturnType<typeof simplifyParts>>;

/** Where some parts can't come down to their share (borders that must not gape), the others give what is too much. */
async function takeFromOthers(
  document: Document,
  budget: number,
  first: Reduced,
  rows: readonly PartBudget[],
  context: StepContext,
): Promise<Reduced> {
  let now = first;
  for (let round = 0; round < 3; round++) {
    const parts = listParts(document);
    const total = parts.reduce((sum, part) => sum + drawn(part), 0),
      over = total - budget;
    if (over <= 0) break;
    const stuck = new Set(now.parts.filter((row) => row.to > row.asked * 1.02 + 2).map((row) => row.id));
    const fixed = new Set(rows.filter((row) => row.fixed || row.held).map((row) => row.id));
    const giving = parts.filter((part) => !stuck.has(part.id) && !fixed.has(part.id) && part.triangles > 60);
    const has = giving.reduce((sum, part) => sum + drawn(part), 0);
    if (has <= over) break;
    const next = await simplifyParts(
      document,
      new Map(giving.map((part) => [part.id, Math.floor(part.triangles * (1 - over / has)) - 1])),
      SIMPLIFY_DEFAULTS,
      context.progress,
      context.signal,
    );
    const reached = new Map(next.parts.map((row) => [row.id, row]));
    now = {
      parts: now.parts.map((row) => {
        const again = reached.get(row.id);
        return again ? { ...row, to: again.to, asked: again.asked < again.from ? again.asked : row.asked } : row;
      }),
      findings: now.findings,
    };
  }
  return now;
}

export const reduceStep = defineStep({
  id: 'reduce.simplify',
  station: 'reduce',
  title: 'Triangles to budget',
  needs: ['R1', 'R2', 'R5'],
  settings: v.object({
    /** Triangles for the whole; the target's limit where not given. */
    triangles: worded(v.optional(v.pipe(v.number(), v.integer(), v.minValue(1))), {
      title: 'Triangles for the whole',
      step: 500,
    }),
    /** Part id → triangles, set by hand. */
    parts: worded(v.optional(v.record(v.string(), v.pipe(v.number(), v.integer(), v.minValue(0))), {}), {
      title: 'Triangles by part',
      names: 'part',
    }),
    importance: worded(v.optional(v.record(v.string(), v.pipe(v.number(), v.minValue(0), v.maxValue(100))), {}), {
      title: 'Importance by part',
      names: 'part',
    }),
  }),
  reads: ({ triangles, appearance }) => ({ triangles, nearestM: appearance.nearestM }),
  applies: () => true,
  async run(document, settings, target, context) {
    const parts = listParts(document);
    const before = parts.reduce((sum, part) => sum + drawn(part), 0),
      passes = new Map(parts.map(({ id, material }) => [id, passesOf(material)]));
    const vertices = parts.reduce((sum, part) => sum + part.vertices, 0);
    const budget = Math.min(settings.triangles ?? target.triangles.max, before);
    const rows = shareWithin(
      parts.map((part) => ({ id: part.id, triangles: drawn(part), role: part.role })),
      budget,
      target.triangles.parts ?? {},
      Object.fromEntries(Object.entries(settings.parts).map(([id, count]) => [id, count * (passes.get(id) ?? 1)])),
      settings.importance,
      target.appearance.nearestM,
    ).map((row) => ({ ...row, to: Math.floor(row.to / (passes.get(row.id) ?? 1)) }));
    const reduces = rows.some((row) => row.to < (parts.find(({ id }) => id === row.id)?.triangles ?? 0)),
      lay = reduces ? lookBefore(document) : null;
    const first = await simplifyParts(document, budgetById(rows), SIMPLIFY_DEFAULTS, context.progress, context.signal);
    const { parts: reduced, findings } = await takeFromOthers(document, budget, first, rows, context);
    if (lay) findings.push(...putRight(document, lay));
    const after = listParts(document);
    const measures: Measure[] = [
      measure(
        'triangles',
        before,
        after.reduce((sum, part) => sum + drawn(part), 0),
      ),
      measure(
        'vertices',
        vertices,
        after.reduce((sum, part) => sum + part.vertices, 0),
      ),
      ...reduced.map((row) => measure('triangles', row.from, row.to, row.id)),
    ];
    return { measures, findings };
  },
});
