import type { Document, Primitive } from '@gltf-transform/core';
import { listMorphNames, morphNamesOf } from '../character/index.ts';
import { deltaOf, MOVED, putDelta } from './deltas.ts';
import type { FoundExpression } from './find-expressions.ts';
import { makeFromJoints } from './joint-expressions.ts';
import { mirrorPairs } from './mirror-pairs.ts';
import { flipMorphs } from './mirror.ts';
import { kept, type MorphEntry, rewriteMorphs } from './rewrite.ts';
import { leftShares } from './split.ts';

/**
 * Gives a character the expressions that were found, under the set's names. A morph that is one of them as it is goes on
 * under its new name, unless others are made of it too. Others stay behind them.
 * @param others whether morphs that are no expression of the set stay
 * @param lent morphs that are there for expressions to be made of, and go with it
 */
export function makeExpressions(
  document: Document,
  found: readonly FoundExpression[],
  others: boolean,
  lent: readonly string[] = [],
): void {
  const turned = makeFromJoints(document, [...new Set(found.flatMap((one) => one.turned))]),
    mirror = [...new Set(found.flatMap((one) => one.mirrored))];
  if (mirror.length) flipMorphs(document, mirrorPairs(document), mirror);
  const shares = found.some(({ terms }) => terms.some((term) => term.half)) ? leftShares(document) : null,
    wanted = new Set(found.map(({ entry }) => entry.name)),
    before = listMorphNames(document),
    used = new Set(found.flatMap(({ terms }) => terms.map((term) => term.morph)));
  for (const mesh of document.getRoot().listMeshes()) {
    const names = morphNamesOf(mesh);
    if (!names.length) continue;
    const made = found.flatMap((one): MorphEntry[] => {
      const terms = one.terms.filter((term) => names.includes(term.morph));
      if (!terms.length) return [];
      return [
        {
          name: one.entry.name,
          // A clip's weights mean the same only where the morph goes on as it is.
          follows: one.terms.length === 1 && one.terms[0].weight === 1 ? names.indexOf(one.terms[0].morph) : -1,
          target: (prim) => targetOf(document, prim, names, terms, shares),
        },
      ];
    });
    const stay = names.flatMap((name, i): MorphEntry[] =>
      wanted.has(name) ||
      turned.includes(name) ||
      lent.includes(name) ||
      !others ||
      isRenamed(name, found) ||
      (!before.includes(name) && !used.has(name))
        ? []
        : [kept(name, i)],
    );
    rewriteMorphs(document, mesh, [...made, ...stay]);
  }
}

/** Whether a morph only goes on under another name. */
const isRenamed = (name: string, found: readonly FoundExpression[]): boolean =>
  found.some(({ terms }) => terms.length === 1 && terms[0].morph === name && terms[0].weight === 1 && !terms[0].half);

function targetOf(
  document: Document,
  prim: Primitive,
  names: readonly string[],
  terms: FoundExpression['terms'],
  shares: Map<Primitive, Float32Array> | null,
) {
  const count = prim.getAttribute('POSITION')?.getCount() ?? 0,
    targets = prim.listTargets(),
    out = document.createPrimitiveTarget();
  for (const of of MOVED) {
    const sum = new Float64Array(count * 3);
    let any = false;
    for (const { morph, weight, half } of terms) {
      const delta = deltaOf(targets[names.indexOf(morph)], of),
        left = half ? shares?.get(prim) : undefined;
      if (!delta) continue;
      any = true;
      for (let i = 0; i < delta.length; i++) {
        const share = left ? (half === 'left' ? left[Math.floor(i / 3)] : 1 - left[Math.floor(i / 3)]) : 1;
        sum[i] += delta[i] * weight * share;
      }
    }
    if (any) putDelta(document, out, of, Float32Array.from(sum));
  }
  return out.listSemantics().length ? out : null;
}
