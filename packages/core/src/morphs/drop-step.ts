import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { listMorphNames } from '../character/index.ts';
import { measure } from '../measures.ts';
import type { Finding } from '../problem.ts';
import { worded } from '../settings.ts';
import { defineStep } from '../step.ts';
import type { Target } from '../targets/index.ts';
import { morphCosts } from './cost.ts';
import { dropMorphs } from './drop.ts';
import { type Dropped, type DropReason, planDrops } from './tidy.ts';

const DropSettings = v.object({
  /** Morphs that nobody wants. */
  names: worded(v.optional(v.array(v.string()), []), { title: 'Dropped', names: 'morph' }),
  /** Morphs that stay, whatever else is said. */
  keep: worded(v.optional(v.array(v.string()), []), { title: 'Kept', names: 'morph' }),
  empty: worded(v.optional(v.boolean(), false), { title: 'Drop those that move nothing' }),
  duplicates: worded(v.optional(v.boolean(), false), { title: 'Drop the same shape under another name' }),
  /** Millimetres. */
  belowMm: worded(v.optional(v.pipe(v.number(), v.finite(), v.minValue(0), v.maxValue(1000)), 0), {
    title: 'Drop those that move nothing further than, mm',
    step: 0.1,
  }),
  /** Drops those that move least until the target's limit is met. */
  toLimit: worded(v.optional(v.boolean(), false), { title: "Meet the target's limit" }),
});
type DropSettings = v.InferOutput<typeof DropSettings>;

const planFor = (document: Document, { toLimit, ...settings }: DropSettings, target: Target): Dropped[] =>
  planDrops(document, {
    ...settings,
    keep: [...settings.keep, ...target.morphs.keep],
    ...(toLimit ? { max: target.morphs.max } : {}),
  });

const WHY: Record<DropReason, (one: boolean) => string> = {
  unwanted: (one) => `because nobody wants ${one ? 'it' : 'them'}`,
  empty: (one) => `because ${one ? 'it moves' : 'they move'} nothing`,
  duplicate: () => 'because another has the same shape',
  small: (one) => `because ${one ? 'it moves' : 'they move'} nothing far enough`,
  limit: (one) => `because the target takes no more, and ${one ? 'it moves' : 'they move'} least`,
};

export const dropStep = defineStep({
  id: 'morphs.drop',
  station: 'morphs',
  title: 'Drop and tidy',
  says: 'Empty, doubled, tiny and unwanted morphs are taken out. Where the target takes fewer, those that move least go first.',
  needs: ['M2'],
  settings: DropSettings,
  reads: (target) => target.morphs,
  applies: (document, target, settings) => settings !== undefined && planFor(document, settings, target).length > 0,
  // What somebody asked to be dropped is not missed; each is named, with what it moved.
  reference: {
    needed: (document, settings, _stance, target) => planFor(document, settings, target).length > 0,
    undergo: (document, settings, target) => {
      dropMorphs(document, new Set(planFor(document, settings, target).map(({ name }) => name)));
    },
  },
  async run(document, settings, target) {
    const before = listMorphNames(document).length,
      bytes = morphCosts(document),
      plan = planFor(document, settings, target),
      gone = new Set(plan.map(({ name }) => name)),
      clips = dropMorphs(document, gone),
      findings = tell(plan, clips),
      megabytes = (rows: typeof bytes) => rows.reduce((sum, row) => sum + row.bytes, 0) / 1048576;
    return {
      measures: [
        measure('morph-targets', before, listMorphNames(document).length),
        measure('morph-memory', megabytes(bytes), megabytes(bytes.filter((row) => !gone.has(row.name)))),
      ],
      findings,
    };
  },
});

/** A sentence for each reason: which, and what is lost at most. */
function tell(plan: readonly Dropped[], clips: readonly string[]): Finding[] {
  const findings: Finding[] = [];
  for (const reason of Object.keys(WHY) as DropReason[]) {
    const rows = plan.filter((entry) => entry.reason === reason),
      named = rows.slice(0, 6).map(({ name, of }) => (of ? `“${name}” (as “${of}”)` : `“${name}”`)),
      most = Math.max(0, ...rows.map(({ maxMm }) => maxMm));
    if (!rows.length) continue;
    findings.push({
      code: `morphs.dropped-${reason}`,
      severity: reason === 'limit' ? 'warning' : 'info',
      message: `${rows.length === 1 ? '1 morph was' : `${rows.length} morphs were`} dropped ${WHY[reason](rows.length === 1)}: ${named.join(', ')}${rows.length > named.length ? ` and ${rows.length - named.length} more` : ''}.${most > 0 ? ` ${rows.length === 1 ? 'It moves' : 'They move'} up to ${most.toFixed(1)} mm.` : ''}`,
      measured: rows.length,
      repair: 'morphs.drop',
    });
  }
  if (clips.length)
    findings.push({
      code: 'morphs.clip-dropped',
      severity: 'warning',
      message: `${clips.map((clip) => `“${clip}”`).join(', ')} ${clips.length === 1 ? 'plays' : 'play'} a morph that was dropped. Keep it where clips need it.`,
      measured: clips.length,
      limit: 0,
      repair: 'morphs.drop',
    });
  return findings;
}
