import type { Document, PrimitiveTarget } from '@gltf-transform/core';
import { createDeformer, type Deformer, morphNamesOf, type Part } from '../character/index.ts';
import { deltaOf, type Moved } from './deltas.ts';
import { intoCharacter, intoMesh, restFrames } from './frames.ts';

/** One part among the vertices of its figure. */
export interface Sheet {
  part: Part;
  /** First of its vertices, and how many. */
  first: number;
  vertices: number;
  /** Directions of the mesh in the character, see `restFrames`. */
  frames: Float64Array | null;
}

/** A figure as it stands at rest, all parts as one list of vertices in character space. */
export interface Standing {
  deformer: Deformer;
  /** xyz of every vertex, metres. */
  rest: Float32Array;
  sheets: readonly Sheet[];
}

export function standing(document: Document): Standing {
  const deformer = createDeformer(document, () => true, false);
  return {
    deformer,
    rest: deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    sheets: deformer.ranges.map(({ part, firstVertex, vertices }) => ({
      part,
      first: firstVertex,
      vertices,
      frames: restFrames(part, deformer.skeleton),
    })),
  };
}

/** A part's target for a morph, by name; asked of the mesh as it is now, since its list may have changed. */
export const targetOf = ({ part }: Sheet, name: string): PrimitiveTarget | undefined =>
  part.prim.listTargets()[morphNamesOf(part.mesh).indexOf(name)];

/** What a morph moves, over all vertices in character space; null where no part has it. Written into `out`. */
export function movementOf(
  { rest, sheets }: Pick<Standing, 'rest' | 'sheets'>,
  name: string,
  of: Moved = 'POSITION',
  out: Float32Array = new Float32Array(rest.length),
): Float32Array | null {
  const d = new Float64Array(3);
  let found = false;
  out.fill(0);
  for (const sheet of sheets) {
    const delta = deltaOf(targetOf(sheet, name), of),
      { first, vertices, frames } = sheet;
    if (!delta) continue;
    found = true;
    if (!frames) {
      out.set(delta, first * 3);
      continue;
    }
    for (let v = 0; v < vertices; v++) {
      intoCharacter(d, frames, v, delta[v * 3], delta[v * 3 + 1], delta[v * 3 + 2]);
      out.set(d, (first + v) * 3);
    }
  }
  return found ? out : null;
}

/** A part's stretch of movements in character space, back in its mesh; the caller's own. */
export const inMesh = (sheet: Sheet, all: Float32Array): Float32Array =>
  intoSheet(sheet, all.slice(sheet.first * 3, (sheet.first + sheet.vertices) * 3));

/** Movements of a part's own vertices from character space into its mesh, in place. */
export function intoSheet({ vertices, frames }: Sheet, own: Float32Array): Float32Array {
  const d = new Float64Array(3);
  if (frames)
    for (let v = 0; v < vertices; v++) {
      d.set(own.subarray(v * 3, v * 3 + 3));
      intoMesh(d, frames, v);
      own.set(d, v * 3);
    }
  return own;
}

/** Movements of a whole figure as its parts' meshes have them: part id → xyz by vertex. */
export const movementsByPart = ({ sheets }: Pick<Standing, 'sheets'>, all: Float32Array): Map<string, Float32Array> =>
  new Map(sheets.map((sheet) => [sheet.part.id, inMesh(sheet, all)]));
