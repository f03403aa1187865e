import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import {
  copyDocument,
  listMorphNames,
  listParts,
  type MaterialKind,
  passesOf,
  takeOutPart,
} from '../../character/index.ts';
import { orderStrands } from '../../materials/index.ts';
import { dropMorphs } from '../../morphs/index.ts';
import { type Finding, throwIfAborted } from '../../problem.ts';
import { reduceStep } from '../../reduce/index.ts';
import type { StepContext } from '../../step.ts';
import type { Level, Target } from '../../targets/index.ts';

/** A figure for further away. */
export interface MadeLevel {
  level: Level;
  /** 1 for the first behind the nearest. */
  n: number;
  document: Document;
  findings: Finding[];
}

/** What nobody sees of a face that doesn't move, and from how far away on, metres. */
const INSIDE: readonly MaterialKind[] = ['teeth', 'gums', 'tongue', 'tear', 'shade'],
  INSIDE_FROM_M = 2.5;

/** What a level is judged and shared out by: the target, as if it were for that level alone. */
export const targetOfLevel = (target: Target, level: Level): Target => ({
  ...target,
  triangles: { ...target.triangles, max: level.triangles },
  appearance: { ...target.appearance, nearestM: Math.min(100, level.fromM) },
});

/** Makes the levels of a target from the nearest, each with its own budget, shared out for how far it is seen from. The document stays as it is. */
export async function makeLevels(document: Document, target: Target, context: StepContext): Promise<MadeLevel[]> {
  const levels = listParts(document).length ? (target.package.levels ?? []) : [],
    made: MadeLevel[] = [];
  for (const [i, level] of levels.entries()) {
    throwIfAborted(context.signal);
    const own = copyDocument(document),
      n = i + 1,
      left = level.morphs ? [] : withoutFace(own, level);
    await reduceStep.run(own, v.parse(reduceStep.settings, {}), targetOfLevel(target, level), {
      ...context,
      progress: (fraction) => context.progress((i + fraction) / levels.length, `making level ${n} of detail`, 'reduce'),
    });
    orderStrands(own);
    made.push({ level, n, document: own, findings: [...leftOut(left, n), ...tooMany(own, level, n)] });
  }
  return made;
}

/** A face that doesn't move: without morphs, and from afar without what lies behind lips and on the eyes. @returns what is gone */
function withoutFace(document: Document, { fromM }: Level): string[] {
  dropMorphs(document, new Set(listMorphNames(document)));
  const inside = fromM < INSIDE_FROM_M ? [] : listParts(document).filter(({ kind }) => INSIDE.includes(kind));
  for (const part of inside) takeOutPart(part);
  return inside.map(({ name }) => name);
}

const leftOut = (parts: readonly string[], n: number): Finding[] =>
  parts.length
    ? [
        {
          code: 'levels.left-out',
          severity: 'info',
          message: `Level ${n} of detail goes without ${parts.join(', ')}: its face doesn't move, and nobody sees them from there.`,
          measured: parts.length,
        },
      ]
    : [];

/** Borders that must not gape, and strands, come down only so far. */
function tooMany(document: Document, { triangles }: Level, n: number): Finding[] {
  const has = listParts(document).reduce((sum, part) => sum + part.triangles * passesOf(part.material), 0);
  return has <= triangles
    ? []
    : [
        {
          code: 'levels.triangles',
          severity: 'warning',
          message: `Level ${n} of detail has ${has} triangles and should have ${triangles}: with fewer, parts would gape or be gone. Give it more, or leave it out.`,
          measured: has,
          limit: triangles,
        },
      ];
}
