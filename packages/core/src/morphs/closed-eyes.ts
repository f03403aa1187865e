import type { Document } from '@gltf-transform/core';
import type { ExpressionSet } from '../targets/index.ts';
import { findExpressions } from './find-expressions.ts';

const SHUT: ExpressionSet = {
  schema: 1,
  id: 'shut',
  title: 'Closed eyes',
  entries: [{ name: 'shut', means: 'blink', called: [], else: [], optional: false }],
};

/** Morphs that close both eyes, with their weights, by name or by what they move; null where none does. */
export function closedEyes(document: Document): Record<string, number> | null {
  const [one] = findExpressions(document, SHUT).found;
  return one && !one.mirrored.length && !one.turned.length
    ? Object.fromEntries(one.terms.map(({ morph, weight }) => [morph, weight]))
    : null;
}
