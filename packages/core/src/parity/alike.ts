import type { Document } from '@gltf-transform/core';
import { type Deformer, readDossier } from '../character/index.ts';

/** Group of each triangle on either side: what came from one part of the source is measured against it and nothing else. */
export interface Alike {
  groups: number;
  source: Uint16Array;
  result: Uint16Array;
}

/**
 * Which parts of a result came from which of the source: by name, and by what pieces were joined into. Parts that lead
 * to each other are one group. A part without any counterpart is a group of its own, measured against everything, and
 * missed by the inventory.
 */
export function alikeParts(source: Deformer, result: Deformer, resultDocument: Document): Alike {
  const { joinedParts = {}, splitParts = {} } = readDossier(resultDocument),
    names = result.ranges.map((range) => range.part.name);
  const parent = new Map<string, string>();
  const find = (key: string): string => {
    const up = parent.get(key) ?? key;
    if (up === key) return key;
    const root = find(up);
    parent.set(key, root);
    return root;
  };
  const join = (a: string, b: string) => {
    parent.set(find(a), find(b));
  };
  const sourceNames = source.ranges.map((range) => range.part.name),
    isOf = (whole: string) => (name: string) => name === whole || name.startsWith(`${whole} · `);
  for (const name of sourceNames) {
    const whole = joinedParts[name],
      pieces = splitParts[whole ?? name];
    for (const other of names)
      if (other === name || pieces?.includes(other) || (whole !== undefined && isOf(whole)(other)))
        join(`s ${name}`, `r ${other}`);
  }
  const numbers = new Map<string, number>(),
    numberOf = (key: string) => {
      const root = find(key);
      const known = numbers.get(root);
      if (known !== undefined) return known;
      numbers.set(root, numbers.size);
      return numbers.size - 1;
    };
  const fill = (deformer: Deformer, side: 's' | 'r'): Uint16Array => {
    const out = new Uint16Array(deformer.indices.length / 3);
    for (const { part, firstTriangle, triangles } of deformer.ranges)
      out.fill(numberOf(`${side} ${part.name}`), firstTriangle, firstTriangle + triangles);
    return out;
  };
  const groups = { source: fill(source, 's'), result: fill(result, 'r') };
  return { groups: numbers.size, ...groups };
}
