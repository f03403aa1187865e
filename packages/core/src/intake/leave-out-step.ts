import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { listParts, takeOutPart } from '../character/index.ts';
import type { Finding } from '../problem.ts';
import { measure } from '../measures.ts';
import { defineStep } from '../step.ts';
import { stageThings } from '../rig/index.ts';

export const leaveOutStep = defineStep({
  id: 'intake.leave-out',
  station: 'intake',
  title: 'Leave out what is no part of the figure',
  needs: ['I5'],
  settings: v.object({
    /** Parts found to be of the stage that stay all the same. */
    keep: v.optional(v.array(v.string()), []),
    /** Other parts that shall go. */
    drop: v.optional(v.array(v.string()), []),
  }),
  reads: () => null,
  applies: (document, _target, settings) => Boolean(settings?.drop.length) || stageThings(document).length > 0,
  reference: {
    needed: (document, settings) => settings.drop.length > 0 || stageThings(document).length > 0,
    undergo: (document, settings) => void leaveOut(document, settings),
  },
  async run(document, settings) {
    const findings: Finding[] = [],
      before = listParts(document).length,
      { left, missing } = leaveOut(document, settings);
    for (const { name, triangles, why } of left)
      findings.push({
        code: 'intake.left-out',
        severity: 'info',
        message: `“${name}”, ${triangles.toLocaleString('en-GB')} triangles, was left out: ${why}.`,
        where: name,
        measured: triangles,
      });
    for (const name of missing)
      findings.push({
        code: 'intake.nothing-to-leave-out',
        severity: 'warning',
        message: `There is no part “${name}” to leave out.`,
        where: name,
      });
    return { measures: [measure('parts', before, listParts(document).length)], findings };
  },
});

/** Ids of parts that go, and why: what was found to be of the stage, and what was named. */
export function partsToLeaveOut(
  document: Document,
  { keep = [], drop = [] }: { keep?: readonly string[]; drop?: readonly string[] },
): Map<string, string> {
  const parts = listParts(document),
    found = new Map(
      stageThings(document)
        .filter(({ part }) => !keep.includes(part.id))
        .map(({ part, why }) => [part.id, why]),
    );
  for (const id of drop) if (parts.some((part) => part.id === id)) found.set(id, 'as you said');
  return found;
}

/** Takes parts out of `document`, which is changed: what was found to be of the stage, and what was named. The last part stays. */
export function leaveOut(
  document: Document,
  settings: { keep?: readonly string[]; drop?: readonly string[] } = {},
): { left: { name: string; triangles: number; why: string }[]; missing: string[] } {
  const parts = listParts(document),
    found = partsToLeaveOut(document, settings);
  const going = parts.filter((part) => found.has(part.id)),
    left = going.length < parts.length ? going : [];
  const out = left.map((part) => ({ name: part.name, triangles: part.triangles, why: found.get(part.id) as string }));
  for (const part of left) takeOutPart(part);
  return { left: out, missing: (settings.drop ?? []).filter((id) => !parts.some((part) => part.id === id)) };
}
