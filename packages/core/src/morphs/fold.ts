import type { Document, Primitive, PrimitiveTarget } from '@gltf-transform/core';
import { floatsOf, morphNamesOf, trianglesOf } from '../character/index.ts';
import { surfaceTurns, turned } from '../rig/index.ts';
import { deltaOf, MOVED, morphedPrimitives, putDelta, summed } from './deltas.ts';
import { clipsPlaying, kept, type MorphEntry, rewriteMorphs } from './rewrite.ts';

export interface Folding {
  /** Morph → weight, any number. */
  weights: Readonly<Record<string, number>>;
  /** `base` for the shape at rest, or the name of the morph that the mix becomes. */
  into: string;
  /** Folded morphs stay and reach the same shapes from the new one; otherwise they go. */
  keep: boolean;
}
export const BASE = 'base';

export interface Folded {
  /** Morphs of the mix that the character has. */
  morphs: string[];
  /** Vertices whose place at rest changed, and by how much at most, millimetres. */
  vertices: number;
  farthestMm: number;
  /** Clips that played what is folded, and no longer do. */
  clips: string[];
}

/**
 * Makes a mix of morphs the shape at rest, or one morph of its own. Positions: p' = p + Σ wᵢ dᵢ. Morphs that stay keep
 * their movements, so that from the new shape they reach what the mix and they reached together; one that is folded with
 * weight w and kept moves (1 − w) d, so that in full it is in full again. Unit normals: with n' = (n + Σ wᵢ nᵢ) ÷ l, l
 * its length, the movements of normals that stay become d ÷ l; the direction at any dialling is then exactly what it was.
 * Where morphs say nothing of normals, these turn as the surface does.
 */
export function foldMorphs(document: Document, { weights, into, keep }: Folding): Folded {
  const mixed = new Map(Object.entries(weights).filter(([, weight]) => weight !== 0)),
    out: Folded = { morphs: [], vertices: 0, farthestMm: 0, clips: [] },
    found = new Set<string>(),
    sheets: TurningSheet[] = [];
  for (const { prim, targets } of morphedPrimitives(document)) {
    const dialled = [...mixed].flatMap(([name, weight]) => {
      const target = targets.get(name);
      if (target) found.add(name);
      return target ? [{ target, weight }] : [];
    });
    if (!dialled.length || into !== BASE) continue;
    const sheet = moveBase(document, prim, dialled, out);
    if (sheet) sheets.push(sheet);
  }
  turnNormals(document, sheets);
  out.morphs = [...mixed.keys()].filter((name) => found.has(name));
  const clips = new Set<string>();
  for (const mesh of document.getRoot().listMeshes()) {
    const names = morphNamesOf(mesh);
    if (!names.some((name) => mixed.has(name))) continue;
    for (const clip of clipsPlaying(document, mesh, mixed)) clips.add(clip);
    rewriteMorphs(document, mesh, entriesAfter(document, names, mixed, into, keep));
  }
  out.clips = keep ? [] : [...clips];
  return out;
}

/** The list of a mesh's morphs once some are folded: those that stay, in their order, and the mix behind them. */
function entriesAfter(
  document: Document,
  names: readonly string[],
  mixed: ReadonlyMap<string, number>,
  into: string,
  keep: boolean,
): MorphEntry[] {
  const stays = names.flatMap((name, i): MorphEntry[] => {
    const weight = mixed.get(name);
    if (weight === undefined) return name === into ? [] : [kept(name, i)];
    if (!keep || name === into) return [];
    if (into !== BASE) return [kept(name, i)];
    return weight === 1
      ? []
      : [{ name, follows: i, target: (_, old) => old[i] && scaledTarget(document, old[i], 1 - weight) }];
  });
  if (into === BASE) return stays;
  const mix: MorphEntry = {
    name: into,
    follows: -1,
    target: (prim, old) => {
      const dialled = names.flatMap((name, i) => {
          const weight = mixed.get(name);
          return weight !== undefined && old[i] ? [{ target: old[i], weight }] : [];
        }),
        count = prim.getAttribute('POSITION')?.getCount() ?? 0,
        target = document.createPrimitiveTarget(into);
      for (const of of MOVED) {
        const sum = summed(dialled, of, count);
        if (sum) putDelta(document, target, of, sum);
      }
      return target.listSemantics().length ? target : null;
    },
  };
  return [...stays, mix];
}

function scaledTarget(document: Document, target: PrimitiveTarget, by: number): PrimitiveTarget {
  const out = document.createPrimitiveTarget();
  for (const of of MOVED) {
    const delta = deltaOf(target, of);
    if (delta)
      putDelta(
        document,
        out,
        of,
        delta.map((value) => value * by),
      );
  }
  return out;
}

interface TurningSheet {
  prim: Primitive;
  before: Float32Array;
  after: Float32Array;
}

/** Moves a primitive's vertices; its normals too where the morphs say how. @returns what has to be turned by the surface yet */
function moveBase(
  document: Document,
  prim: Primitive,
  dialled: readonly { target: PrimitiveTarget; weight: number }[],
  told: Folded,
): TurningSheet | null {
  const position = prim.getAttribute('POSITION'),
    count = position?.getCount() ?? 0,
    moved = position && summed(dialled, 'POSITION', count);
  if (position && moved) {
    const before = floatsOf(position),
      after = new Float32Array(before.length);
    for (let i = 0; i < after.length; i += 3) {
      const d = Math.hypot(moved[i], moved[i + 1], moved[i + 2]) * 1000;
      if (d > 0) told.vertices++;
      if (d > told.farthestMm) told.farthestMm = d;
      for (let k = i; k < i + 3; k++) after[k] = before[k] + moved[k];
    }
    prim.setAttribute('POSITION', vec3(document, after));
    if (!dialled.some(({ target }) => target.getAttribute('NORMAL'))) return { prim, before, after };
  }
  moveNormals(document, prim, dialled, count);
  return null;
}

const vec3 = (document: Document, array: Float32Array) =>
  document
    .createAccessor()
    .setType('VEC3')
    .setArray(array as Float32Array<ArrayBuffer>);

/** n' = (n + Σ w d) ÷ l for normals and tangents, and d ÷ l for every morph of theirs. */
function moveNormals(
  document: Document,
  prim: Primitive,
  dialled: readonly { target: PrimitiveTarget; weight: number }[],
  count: number,
): void {
  for (const of of ['NORMAL', 'TANGENT'] as const) {
    const accessor = prim.getAttribute(of),
      moved = accessor && summed(dialled, of, count);
    if (!accessor || !moved) continue;
    const size = of === 'TANGENT' ? 4 : 3,
      out = Float32Array.from(floatsOf(accessor)),
      length = new Float32Array(count);
    for (let v = 0; v < count; v++) {
      const o = v * size,
        x = out[o] + moved[v * 3],
        y = out[o + 1] + moved[v * 3 + 1],
        z = out[o + 2] + moved[v * 3 + 2],
        l = Math.hypot(x, y, z) || 1;
      length[v] = l;
      out[o] = x / l;
      out[o + 1] = y / l;
      out[o + 2] = z / l;
    }
    prim.setAttribute(
      of,
      document
        .createAccessor()
        .setType(size === 4 ? 'VEC4' : 'VEC3')
        .setArray(out),
    );
    for (const target of prim.listTargets()) {
      const delta = deltaOf(target, of);
      if (delta)
        putDelta(
          document,
          target,
          of,
          delta.map((value, i) => value / length[Math.floor(i / 3)]),
        );
    }
  }
}

/** Normals, tangents and what morphs say of them turn as the surface around each vertex turned; seams stay closed over all primitives. */
function turnNormals(document: Document, sheets: readonly TurningSheet[]): void {
  const turns = surfaceTurns(
    sheets.map(({ prim, before, after }) => {
      const normal = prim.getAttribute('NORMAL');
      return { before, after, normals: normal && floatsOf(normal), indices: trianglesOf(prim) };
    }),
  );
  sheets.forEach(({ prim }, s) => {
    for (const of of ['NORMAL', 'TANGENT'] as const) {
      const accessor = prim.getAttribute(of);
      if (!accessor) continue;
      const size = of === 'TANGENT' ? 4 : 3;
      prim.setAttribute(
        of,
        document
          .createAccessor()
          .setType(size === 4 ? 'VEC4' : 'VEC3')
          .setArray(turned(turns[s], floatsOf(accessor), size)),
      );
      for (const target of prim.listTargets()) {
        const delta = deltaOf(target, of);
        if (delta) putDelta(document, target, of, turned(turns[s], delta, 3));
      }
    }
  });
}
