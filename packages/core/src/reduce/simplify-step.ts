import * as v from 'valibot';
import { listParts } from '../character/index.ts';
import { defineStep, type Measure } from '../step.ts';
import { budgetById, shareBudget } from './budget.ts';
import { SIMPLIFY_DEFAULTS, simplifyParts } from './simplify.ts';

export const reduceStep = defineStep({
  id: 'reduce.simplify', station: 'reduce', title: 'Triangles to budget', version: 2, needs: ['R1', 'R2', 'R5'],
  settings: v.object({
    /** Triangles for the whole; the target's limit where not given. */
    triangles: v.optional(v.pipe(v.number(), v.integer(), v.minValue(1))),
    /** Part id → triangles, set by hand. */
    parts: v.optional(v.record(v.string(), v.pipe(v.number(), v.integer(), v.minValue(0))), {}),
    importance: v.optional(v.record(v.string(), v.pipe(v.number(), v.minValue(0), v.maxValue(100))), {}),
  }),
  reads: (target) => target.triangles,
  applies: () => true,
  async run(document, settings, target, context) {
    const parts = listParts(document);
    const before = parts.reduce((sum, part) => sum + part.triangles, 0);
    const vertices = parts.reduce((sum, part) => sum + part.vertices, 0);
    const budget = Math.min(settings.triangles ?? target.triangles.max, before);
    const rows = shareBudget(parts, budget, settings.parts, settings.importance);
    const { parts: reduced, findings } = await simplifyParts(document, budgetById(rows), SIMPLIFY_DEFAULTS, context.progress, context.signal);
    const after = listParts(document);
    const measures: Measure[] = [
      { name: 'triangles', unit: '', source: before, result: after.reduce((sum, part) => sum + part.triangles, 0) },
      { name: 'vertices', unit: '', source: vertices, result: after.reduce((sum, part) => sum + part.vertices, 0) },
      ...reduced.map((row) => ({ name: `triangles of ${row.id}`, unit: '', source: row.from, result: row.to })),
    ];
    return { measures, findings };
  },
});
