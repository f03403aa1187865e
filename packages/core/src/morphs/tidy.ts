import type { Document } from '@gltf-transform/core';
import { listParts } from '../character/index.ts';
import { type MorphCost, morphCosts, NOTHING } from './cost.ts';
import { deltaOf, MOVED } from './deltas.ts';

/** Why a morph is dropped, in the order in which a limit is met. */
export type DropReason = 'unwanted' | 'empty' | 'duplicate' | 'small' | 'limit';
export interface Dropped {
  name: string;
  reason: DropReason;
  /** What it is a duplicate of. */
  of?: string;
  /** What would be lost: its largest movement, millimetres; of a duplicate nothing. */
  maxMm: number;
}

export interface TidyOptions {
  /** Dropped whatever they are. */
  names: readonly string[];
  /** Kept whatever they are. */
  keep: readonly string[];
  empty: boolean;
  duplicates: boolean;
  /** Morphs that move nothing further than this, millimetres; 0 for none. */
  belowMm: number;
  /** As many as may stay; beyond that those that move least go, of two alike the later one. */
  max?: number;
}

/** Which morphs go, and why: unwanted ones, empty ones, duplicates, nearly nothing, and then those that move least. */
export function planDrops(document: Document, options: TidyOptions): Dropped[] {
  const costs = morphCosts(document),
    kept = new Set(options.keep),
    out = new Map<string, Dropped>(),
    drop = ({ name, maxMm }: MorphCost, reason: DropReason, of?: string) =>
      out.set(name, { name, reason, maxMm: reason === 'duplicate' ? 0 : maxMm, ...(of === undefined ? {} : { of }) });
  for (const row of costs) {
    if (options.names.includes(row.name)) drop(row, 'unwanted');
    else if (kept.has(row.name)) continue;
    else if (options.empty && row.moves === 0 && !row.shadesOnly) drop(row, 'empty');
  }
  if (options.duplicates) {
    const left = costs.filter(({ name, moves }) => moves > 0 && !out.has(name)).map(({ name }) => name);
    for (const { name, of } of duplicatesAmong(document, left)) {
      // One that has to stay stands for the other.
      const [gone, stays] = kept.has(name) ? [of, name] : [name, of];
      const row = costs.find((cost) => cost.name === gone);
      if (row && !kept.has(gone) && !out.has(gone)) drop(row, 'duplicate', stays);
    }
  }
  for (const row of costs)
    if (
      options.belowMm > 0 &&
      row.moves > 0 &&
      row.maxMm < options.belowMm &&
      !out.has(row.name) &&
      !kept.has(row.name)
    )
      drop(row, 'small');
  if (options.max !== undefined) {
    const spare = costs
      .map((row, i) => ({ row, i }))
      .filter(({ row }) => !out.has(row.name) && !kept.has(row.name))
      .sort((a, b) => a.row.maxMm - b.row.maxMm || b.i - a.i);
    for (const { row } of spare.slice(0, Math.max(0, costs.length - out.size - options.max))) drop(row, 'limit');
  }
  return costs.flatMap(({ name }) => out.get(name) ?? []);
}

/** Shapes nearer than this at every vertex are one, metres. */
const SAME = 1e-6;

/** Morphs that move every vertex as an earlier one does, and which that is. */
export function duplicatesAmong(document: Document, names: readonly string[]): { name: string; of: string }[] {
  const parts = listParts(document),
    deltas = new Map(
      names.map((name) => [
        name,
        parts.flatMap(({ prim, morphNames }) => {
          const target = prim.listTargets()[morphNames.indexOf(name)];
          return MOVED.map((of) => deltaOf(target, of));
        }),
      ]),
    ),
    known: { name: string; sign: Sign }[] = [],
    out: { name: string; of: string }[] = [];
  for (const name of names) {
    const own = deltas.get(name) ?? [],
      sign = signOf(own),
      twin = known.find(
        (other) =>
          Math.abs(other.sign.sum - sign.sum) <= SAME * (other.sign.weight + sign.weight) &&
          own.every((delta, i) => sameDelta(delta, deltas.get(other.name)?.[i] ?? null)),
      );
    if (twin) out.push({ name, of: twin.name });
    else known.push({ name, sign });
  }
  return out;
}

interface Sign {
  sum: number;
  /** By how much the sum may change for each metre that its numbers do. */
  weight: number;
}
/** A sum that equal movements share: it spares comparing each with each. */
function signOf(deltas: readonly (Float32Array | null)[]): Sign {
  const sign = { sum: 0, weight: 0 };
  deltas.forEach((delta, i) => {
    if (delta) addSign(sign, delta, i);
  });
  return sign;
}
function addSign(sign: Sign, delta: Float32Array, salt: number): void {
  for (let i = 0; i < delta.length; i++) {
    if (!delta[i]) continue;
    const weight = 1 + (((i + salt) * 7919) % 101) / 101;
    sign.sum += delta[i] * weight;
    sign.weight += weight;
  }
}

function sameDelta(a: Float32Array | null, b: Float32Array | null): boolean {
  if (!a || !b) return !(a ?? b)?.some((value) => Math.abs(value) > NOTHING);
  for (let i = 0; i < a.length; i++) if (Math.abs(a[i] - b[i]) > SAME) return false;
  return true;
}
