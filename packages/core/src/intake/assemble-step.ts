import * as v from 'valibot';
import { listParts } from '../character/index.ts';
import type { Finding } from '../problem.ts';
import { defineStep } from '../step.ts';
import { assemble } from './assemble.ts';
import { findMisplaced, groupPieces } from './groups.ts';
import { namePattern } from './pieces.ts';

export const assembleStep = defineStep({
  id: 'intake.assemble', station: 'intake', title: 'Put pieces together', version: 1, needs: ['I6', 'I7'],
  settings: v.object({
    /** Pieces of one surface become one part. */
    join: v.optional(v.boolean(), true),
    /** Faces in a wrong material go to the one they lie in. */
    slots: v.optional(v.boolean(), true),
  }),
  reads: () => null,
  applies: (document) => namePattern([...new Set(listParts(document).map((part) => part.node.getName()))]) !== null || findMisplaced(groupPieces(document)).length > 0,
  async run(document, settings) {
    const before = listParts(document).length, findings: Finding[] = [], wrong = findMisplaced(groupPieces(document));
    const done = assemble(document, settings);
    if (settings.slots) for (const { group, from, to, triangles } of wrong) findings.push({ code: 'materials.replaced', severity: 'info', message: `${triangles} triangles of “${group.name}” went from “${from?.getName() ?? 'no material'}” to “${to?.getName() ?? 'no material'}”.`, where: group.name, measured: triangles });
    return { measures: [{ name: 'parts', unit: '', source: before, result: listParts(document).length }, { name: 'triangles in another material', unit: '', source: 0, result: done.replaced }, { name: 'corners welded', unit: '', source: 0, result: done.welded }], findings };
  },
});
