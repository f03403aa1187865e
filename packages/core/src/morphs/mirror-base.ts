import type { Document } from '@gltf-transform/core';
import { floatsOf } from '../character/index.ts';
import { intoCharacter, intoMesh, inverseTransposed } from './frames.ts';
import { type MirrorPairs, sideOfVertex } from './mirror-pairs.ts';
import { moveVertices } from './move-vertices.ts';
import type { Side } from './sides.ts';
import type { Sheet } from './standing.ts';
import { combined } from './stencil.ts';

export interface MirroredBase {
  /** Vertices that stand elsewhere now, and how far the farthest went, millimetres. */
  vertices: number;
  farthestMm: number;
}

/**
 * Gives the other side of the shape at rest the mirror image of one side; the middle goes onto the plane. Normals with a
 * partner are its mirrored ones, others and tangents turn as the surface does.
 * @param share how much of it every vertex takes; all where left out
 */
export function mirrorBase(
  document: Document,
  pairs: MirrorPairs,
  from: Side,
  share: Float32Array | null = null,
): MirroredBase {
  const { rest, corner, middle } = pairs,
    place = new Float64Array(3),
    s = from === 'left' ? 1 : -1,
    moved = new Float32Array(rest.length),
    told: MirroredBase = { vertices: 0, farthestMm: 0 };
  for (let v = 0; v < rest.length / 3; v++) {
    const side = sideOfVertex(pairs, v);
    if (side === s || corner[v * 3] < 0) continue;
    combined(place, pairs, v, rest);
    place[0] = side === 0 ? middle : 2 * middle - place[0];
    const w = share ? share[v] : 1;
    for (let c = 0; c < 3; c++) moved[v * 3 + c] = w * (place[c] - rest[v * 3 + c]);
    const d = Math.hypot(moved[v * 3], moved[v * 3 + 1], moved[v * 3 + 2]) * 1000;
    if (d > 1e-3) told.vertices++;
    told.farthestMm = Math.max(told.farthestMm, d);
  }
  // Taken before any is changed: a part may have its partners in another.
  const normals = gatherNormals(pairs);
  moveVertices(document, pairs.sheets, moved, (sheet, own) => mirroredNormals(pairs, sheet, own, normals, s, share));
  return told;
}

/** Unit normals of every vertex in character space. */
function gatherNormals({ sheets, rest }: MirrorPairs): Float32Array {
  const out = new Float32Array(rest.length),
    d = new Float64Array(3);
  for (const { part, first, vertices, frames } of sheets) {
    const normal = part.prim.getAttribute('NORMAL'),
      values = normal && floatsOf(normal),
      upright = frames && inverseTransposed(frames);
    if (!values) continue;
    for (let v = 0; v < vertices; v++) {
      intoCharacter(d, upright, v, values[v * 3], values[v * 3 + 1], values[v * 3 + 2]);
      out.set(d, (first + v) * 3);
    }
  }
  return out;
}

function mirroredNormals(
  pairs: MirrorPairs,
  { first, vertices, frames }: Sheet,
  own: Float32Array,
  all: Float32Array,
  s: number,
  share: Float32Array | null,
): Float32Array {
  const upright = frames && inverseTransposed(frames),
    d = new Float64Array(3);
  for (let v = 0; v < vertices; v++) {
    const side = sideOfVertex(pairs, first + v);
    if (side === s || !pairs.paired[first + v]) continue;
    const u = pairs.corner[(first + v) * 3] * 3;
    d[0] = side === 0 ? 0 : -all[u];
    d[1] = all[u + 1];
    d[2] = all[u + 2];
    intoMesh(d, upright, v);
    const w = share ? share[first + v] : 1;
    if (w < 1) for (let k = 0; k < 3; k++) d[k] = w * d[k] + (1 - w) * own[v * 3 + k];
    const l = Math.hypot(d[0], d[1], d[2]);
    if (l > 0) for (let k = 0; k < 3; k++) own[v * 3 + k] = d[k] / l;
  }
  return own;
}
