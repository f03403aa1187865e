import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { listParts } from '../character/index.ts';
import type { Finding } from '../problem.ts';
import { measure } from '../measures.ts';
import { worded } from '../settings.ts';
import { defineStep, otherCharacter, type StepContext } from '../step.ts';
import { assemble } from './assemble.ts';
import { findMisplaced, groupPieces, regionAt, withChoices } from './groups.ts';
import { namePattern } from './pieces.ts';
import { misplacedByReference, withReference } from './reference-slots.ts';

export const assembleStep = defineStep({
  id: 'intake.assemble',
  station: 'intake',
  title: 'Put pieces together',
  needs: ['I6', 'I7'],
  settings: v.object({
    /** Pieces of one surface become one part. */
    join: worded(v.optional(v.boolean(), true), { title: 'Join pieces' }),
    /** Faces in a wrong material go to the one they lie in. */
    slots: worded(v.optional(v.boolean(), true), { title: 'Give misplaced faces back' }),
    /** Another character of the same texture layout that wears everything right, as the application or the command line names it. */
    reference: v.optional(v.nullable(v.string()), null),
    /** Regions that the user gave another material, or that stay as they are; each is named by one of its faces. */
    hand: v.optional(
      v.array(
        v.object({
          part: v.string(),
          face: v.pipe(v.number(), v.integer(), v.minValue(0)),
          to: v.nullable(v.string()),
        }),
      ),
      [],
    ),
  }),
  reads: () => null,
  applies: (document, _target, settings) =>
    (settings?.hand?.length ?? 0) > 0 ||
    Boolean(settings?.reference) ||
    namePattern([...new Set(listParts(document).map((part) => part.node.getName()))]) !== null ||
    findMisplaced(groupPieces(document)).length > 0,
  async run(document, settings, _target, context) {
    const before = listParts(document).length,
      findings: Finding[] = [],
      groups = groupPieces(document),
      materials = document.getRoot().listMaterials();
    const found = settings.slots ? findMisplaced(groups) : [],
      told =
        settings.slots && settings.reference
          ? misplacedByReference(groups, (await referenceFrom(settings.reference, context)).document, materials)
          : [];
    const wrong = withChoices(groups, withReference(found, told), settings.hand, materials);
    const gone = settings.hand.filter(
      (choice) =>
        regionAt(groups, choice) === null ||
        (choice.to !== null && !materials.some((material) => material.getName() === choice.to)),
    );
    for (const { part, to } of gone)
      findings.push({
        code: 'materials.choice-gone',
        severity: 'warning',
        message: `A region of “${part}” can't be given to “${to}” any more: the part, the face or the material is gone. Choose it again on the stage.`,
        where: part,
      });
    const done = assemble(document, { join: settings.join, misplaced: wrong });
    for (const { group, from, to, triangles } of wrong)
      findings.push({
        code: 'materials.replaced',
        severity: 'info',
        message: `${triangles} triangles of “${group.name}” went from “${from?.getName() ?? 'no material'}” to “${to?.getName() ?? 'no material'}”.`,
        where: group.name,
        measured: triangles,
        names: { from: from?.getName() ?? '', to: to?.getName() ?? '' },
      });
    return {
      measures: [
        measure('parts', before, listParts(document).length),
        measure('triangles-reassigned', 0, done.replaced),
        measure('corners-welded', 0, done.welded),
      ],
      findings,
    };
  },
});

/** @throws ProblemError materials.no-reference */
const referenceFrom = (name: string, context: StepContext): Promise<{ document: Document }> =>
  otherCharacter(context, name, {
    code: 'materials.no-reference',
    wanted: 'Materials should be compared with another character',
    who: 'The character to compare materials with',
  });
