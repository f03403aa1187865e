import type { Document, Primitive, PrimitiveTarget } from '@gltf-transform/core';
import { createDeformer, type Deformer, listMorphNames, morphNamesOf } from '../character/index.ts';
import { jointRoles, middleOfFigure, roleIndex } from '../rig/index.ts';
import { deltaOf, MOVED, putDelta } from './deltas.ts';
import { kept, type MorphEntry, rewriteMorphs } from './rewrite.ts';
import { flippedName, type Side, sideNaming, sideOf, wholeName } from './sides.ts';

/** Over how much of the head's width one half gives way to the other; between 2 and 4 in a hundred nothing tears and nothing shows. */
const BAND = 0.03;
/** Breadth of a head in shares of the height, where no part is a head. */
const HEAD = 0.087;

/** Shares of the left half, 0 … 1, one a vertex of each primitive: a smooth step across the middle (Hermite, 3t² − 2t³). */
export function leftShares(document: Document): Map<Primitive, Float32Array> {
  const deformer = createDeformer(document, () => true, false),
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    middle = middleOfFigure(deformer.skeleton, roleIndex(jointRoles(document, deformer.skeleton))),
    half = (headWidth(deformer, rest) * BAND) / 2,
    out = new Map<Primitive, Float32Array>();
  for (const { part, firstVertex, vertices } of deformer.ranges) {
    if (out.has(part.prim)) continue;
    const shares = new Float32Array(vertices);
    for (let v = 0; v < vertices; v++) {
      const t = Math.min(1, Math.max(0, ((rest[(firstVertex + v) * 3] - middle) / half + 1) / 2));
      shares[v] = t * t * (3 - 2 * t);
    }
    out.set(part.prim, shares);
  }
  return out;
}

function headWidth({ ranges }: Deformer, rest: Float32Array): number {
  const heads = ranges.filter(({ part }) => part.role === 'head'),
    [x] = extents(rest, heads.length ? heads : []);
  if (x > 0) return x;
  const [, height] = extents(rest, ranges);
  return HEAD * height || 1;
}
function extents(rest: Float32Array, ranges: Deformer['ranges']): [number, number] {
  let [left, right, low, high] = [Infinity, -Infinity, Infinity, -Infinity];
  for (const { firstVertex, vertices } of ranges)
    for (let i = firstVertex * 3; i < (firstVertex + vertices) * 3; i += 3) {
      left = Math.min(left, rest[i]);
      right = Math.max(right, rest[i]);
      low = Math.min(low, rest[i + 1]);
      high = Math.max(high, rest[i + 1]);
    }
  return [right - left, high - low];
}

/** Which names halves get, the left one first. */
export function halvesOf(names: readonly string[], whole: string): [string, string] {
  const called = sideNaming(names);
  return [called(whole, 'left'), called(whole, 'right')];
}

/**
 * Splits morphs into a left and a right half, in their place. The larger share of a movement is rounded first and the
 * smaller one is what is left, which floats hold exactly (Sterbenz 1974): the halves add up to the whole to the last bit.
 * @returns halves made; none of a morph whose halves are there already
 */
export function splitMorphs(document: Document, names: readonly string[]): string[] {
  const all = listMorphNames(document),
    shares = leftShares(document),
    halves = new Map(
      names.flatMap((name) => {
        const made = halvesOf(all, name);
        return made.some((half) => all.includes(half)) ? [] : [[name, made] as const];
      }),
    );
  for (const mesh of document.getRoot().listMeshes()) {
    const own = morphNamesOf(mesh);
    if (!own.some((name) => halves.has(name))) continue;
    rewriteMorphs(
      document,
      mesh,
      own.flatMap((name, i): MorphEntry[] => {
        const made = halves.get(name);
        if (!made) return [kept(name, i)];
        return made.map((half, k) => ({
          name: half,
          follows: i,
          target: (prim, old) => old[i] && halfTarget(document, old[i], shares.get(prim), k === 0 ? 'left' : 'right'),
        }));
      }),
    );
  }
  return [...halves.values()].flat();
}

function halfTarget(
  document: Document,
  whole: PrimitiveTarget,
  shares: Float32Array | undefined,
  side: Side,
): PrimitiveTarget {
  const out = document.createPrimitiveTarget();
  for (const of of MOVED) {
    const delta = deltaOf(whole, of);
    if (delta) putDelta(document, out, of, halfOf(delta, shares, side));
  }
  return out;
}
function halfOf(delta: Float32Array, shares: Float32Array | undefined, side: Side): Float32Array {
  const out = new Float32Array(delta.length);
  for (let i = 0; i < delta.length; i++) {
    const left = shares?.[Math.floor(i / 3)] ?? 0.5,
      own = side === 'left' ? left : 1 - left,
      // A tie is broken alike on both sides, so that exactly one of them is what is left.
      larger = own > 0.5 || (own === 0.5 && side === 'left');
    out[i] = larger ? Math.fround(delta[i] * own) : delta[i] - Math.fround(delta[i] * (1 - own));
  }
  return out;
}

/** Pairs of halves that a character has, by the name they get as one. */
export function pairsOfHalves(names: readonly string[]): Map<string, [left: string, right: string]> {
  const all = new Set(names),
    out = new Map<string, [string, string]>();
  for (const name of names) {
    const other = flippedName(name);
    if (sideOf(name) === 'left' && other !== name && all.has(other)) out.set(wholeName(name), [name, other]);
  }
  return out;
}

/** Makes one morph of two halves, in the place of the first; one of the whole's name is replaced. @returns names made */
export function joinHalves(document: Document, wholes: readonly string[]): string[] {
  const pairs = pairsOfHalves(listMorphNames(document)),
    made = wholes.filter((name) => pairs.has(name));
  const partOf = new Map(
    made.flatMap((name) => (pairs.get(name) as [string, string]).map((half) => [half, name] as const)),
  );
  for (const mesh of document.getRoot().listMeshes()) {
    const own = morphNamesOf(mesh);
    if (!own.some((name) => partOf.has(name))) continue;
    const done = new Set<string>();
    rewriteMorphs(
      document,
      mesh,
      own.flatMap((name, i): MorphEntry[] => {
        if (made.includes(name)) return [];
        const whole = partOf.get(name);
        if (!whole) return [kept(name, i)];
        if (done.has(whole)) return [];
        done.add(whole);
        const at = (pairs.get(whole) as [string, string]).map((half) => own.indexOf(half));
        return [
          {
            name: whole,
            follows: i,
            target: (prim, old) =>
              summedHalves(
                document,
                prim,
                at.map((k) => old[k]),
              ),
          },
        ];
      }),
    );
  }
  return made;
}

function summedHalves(
  document: Document,
  prim: Primitive,
  halves: readonly (PrimitiveTarget | undefined)[],
): PrimitiveTarget | null {
  const out = document.createPrimitiveTarget(),
    count = prim.getAttribute('POSITION')?.getCount() ?? 0;
  for (const of of MOVED) {
    const [a, b] = halves.map((half) => deltaOf(half, of));
    if (!a && !b) continue;
    const sum = new Float32Array(count * 3);
    for (let i = 0; i < sum.length; i++) sum[i] = (a?.[i] ?? 0) + (b?.[i] ?? 0);
    putDelta(document, out, of, sum);
  }
  return out.listSemantics().length ? out : null;
}
