import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { listMorphNames } from '../character/index.ts';
import { measure } from '../measures.ts';
import type { Finding } from '../problem.ts';
import { worded } from '../settings.ts';
import { defineStep, meant } from '../step.ts';
import { halvesOf, joinHalves, pairsOfHalves, splitMorphs } from './split.ts';

const SplitSettings = v.object({
  /** Morphs that become two halves. */
  names: worded(v.optional(v.array(v.string()), []), { title: 'Split', names: 'morph' }),
  /** Morphs that are made of their halves, by the name of the whole. */
  join: v.optional(v.array(v.string()), []),
});
type SplitSettings = v.InferOutput<typeof SplitSettings>;
const asked = ({ names, join }: SplitSettings): boolean => names.length + join.length > 0;

function carryOut(document: Document, { names, join }: SplitSettings): Finding[] {
  const before = listMorphNames(document),
    findings: Finding[] = [],
    say = (code: string, where: string, message: string) =>
      findings.push({ code, severity: 'warning', message, where, repair: 'morphs.split' });
  const halves = pairsOfHalves(before);
  joinHalves(document, join);
  for (const name of join)
    if (!halves.has(name)) say('morphs.no-halves', name, `“${name}” has no left and right half that could be joined.`);
  const have = listMorphNames(document);
  splitMorphs(document, names);
  for (const name of names) {
    const taken = halvesOf(have, name).find((half) => have.includes(half));
    if (have.includes(name) && taken)
      say(
        'morphs.half-there',
        name,
        `“${name}” was not split: there is a morph “${taken}” already. Drop that one first, or join both.`,
      );
  }
  return findings;
}

export const splitStep = defineStep({
  id: 'morphs.split',
  station: 'morphs',
  title: 'Split and join',
  says: 'A morph becomes a left and a right half that add up to it exactly, or two halves become one.',
  needs: ['M3'],
  settings: SplitSettings,
  reads: () => null,
  ...meant(asked, carryOut),
  async run(document, settings) {
    const before = listMorphNames(document).length,
      findings = carryOut(document, settings);
    return { measures: [measure('morph-targets', before, listMorphNames(document).length)], findings };
  },
});
