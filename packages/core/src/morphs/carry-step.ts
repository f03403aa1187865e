import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { listMorphNames, listParts, type Part } from '../character/index.ts';
import { measure } from '../measures.ts';
import { type Finding, throwIfAborted } from '../problem.ts';
import { worded } from '../settings.ts';
import { defineStep, meant } from '../step.ts';
import { carriedAs, type Carried, carryMorphs } from './carry.ts';
import { goesAlong } from './goes-along.ts';

const CarrySettings = v.object({
  /** Morphs of the skin that what is worn goes along with. */
  names: worded(v.optional(v.array(v.string()), []), { title: 'Carried', names: 'morph' }),
  /** Every morph of build and likeness, and on the face lashes, brows, tear line and beard with every one. */
  all: worded(v.optional(v.boolean(), false), { title: 'Carry all that the skin does' }),
});
type CarrySettings = v.InferOutput<typeof CarrySettings>;
const asked = ({ names, all }: CarrySettings): boolean => all || names.length > 0;

function carryOut(
  document: Document,
  { names, all }: CarrySettings,
  report?: (fraction: number, morph: string) => void,
): Carried[] {
  const alone = all ? goesAlong(document) : () => true,
    goes = (part: Part, morph: string) => names.includes(morph) || alone(part, morph);
  return carryMorphs(document, all ? listMorphNames(document) : names, goes, report);
}

export const carryStep = defineStep({
  id: 'morphs.carry',
  station: 'morphs',
  title: 'Carry along',
  says: 'Lashes, brows, hair and clothes that have nothing of a morph go along with the skin below them, as far from it as before.',
  needs: ['M6'],
  settings: CarrySettings,
  reads: () => null,
  ...meant(asked, (document, settings) => carryOut(document, settings)),
  async run(document, settings, _target, context) {
    const carried = carryOut(document, settings, (fraction, morph) => {
        throwIfAborted(context.signal);
        context.progress(fraction, `carrying ${morph} along`);
      }),
      morphs = new Set(carried.map(({ name }) => name)),
      parts = new Set(carried.map(({ part }) => part)),
      findings: Finding[] = [];
    if (settings.names.length && !carried.length && listParts(document).some((part) => carriedAs(part.kind)))
      findings.push({
        code: 'morphs.nothing-carried',
        severity: 'info',
        message: 'Nothing had to be carried: whatever lies near enough to the skin has a movement of its own already.',
        measured: 0,
      });
    return {
      measures: [
        measure('morphs-carried', 0, morphs.size),
        measure('parts-carried', 0, parts.size),
        measure('largest-movement', 0, Math.max(0, ...carried.map(({ farthestMm }) => farthestMm))),
      ],
      findings,
    };
  },
});
