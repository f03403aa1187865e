import type { Document } from '@gltf-transform/core';
import { surfaceTurns, turned } from '../../rig/index.ts';
import { intoMeshNormals } from '../frames.ts';
import { moveVertices } from '../move-vertices.ts';
import { type JointMoved, moveJoints } from '../refit-joints.ts';
import { combined } from '../stencil.ts';
import { trianglesOf } from '../../character/index.ts';
import type { Sheet } from '../standing.ts';
import type { PreparedMix } from './prepare.ts';
import { mixedJointShifts } from './mix-joints.ts';
import type { Moving } from './mix-worn.ts';

/** Gives a document the mixed shape at rest; joints, where asked, go along. */
export function putMix(document: Document, prepared: PreparedMix, mix: Moving, joints: boolean): JointMoved[] {
  const shifts = joints ? mixedJointShifts(prepared, mix) : null;
  moveVertices(document, prepared.own.sheets, mix.moved, (sheet, own) => mixedNormals(prepared, mix, sheet, own));
  return shifts ? moveJoints(document, prepared.own.skeleton, shifts) : [];
}

/** Nearer than this to where the other has it a vertex stands as there, metres. */
const STILL = 1e-7;

/**
 * A part's normals: those of every figure, turned as its surface turns to become the mix, by their shares; at the ends
 * each figure's own.
 */
function mixedNormals(prepared: PreparedMix, { moved, shares }: Moving, sheet: Sheet, own: Float32Array): Float32Array {
  const { others, own: me } = prepared,
    index = me.sheets.indexOf(sheet),
    { first, vertices, part, frames } = sheet,
    stretch = <A extends Float32Array>(all: A) => all.slice(first * 3, (first + vertices) * 3),
    after = stretch(me.rest).map((value, i) => value + moved[first * 3 + i]),
    indices = trianglesOf(part.prim),
    place = new Float64Array(3),
    theirs = others.map(({ person, matches, places }, k) => {
      const match = matches[index];
      if (!match || !shares[k].subarray(first, first + vertices).some(Boolean)) return null;
      const normals = new Float32Array(vertices * 3);
      for (let v = 0; v < vertices; v++) normals.set(combined(place, match, v, person.normals), v * 3);
      const before = stretch(places),
        [turns] = surfaceTurns([{ before, after, normals, indices }]);
      // Where nothing moved nothing turned, whatever rounding makes of slivers.
      for (let v = 0; v < vertices; v++)
        if ([0, 1, 2].every((c) => Math.abs(after[v * 3 + c] - before[v * 3 + c]) < STILL))
          turns.fill(Number.NaN, v * 9, v * 9 + 9);
      return intoMeshNormals(turned(turns, normals, 3), frames);
    });
  for (let v = 0; v < vertices; v++) {
    let left = 1;
    for (let k = 0; k < others.length; k++) if (theirs[k]) left -= shares[k][first + v];
    if (left === 1) continue;
    const n = [0, 1, 2].map((c) =>
        theirs.reduce(
          (sum, their, k) => sum + (their ? shares[k][first + v] * their[v * 3 + c] : 0),
          left * own[v * 3 + c],
        ),
      ),
      l = Math.hypot(n[0], n[1], n[2]);
    if (l > 0) for (let c = 0; c < 3; c++) own[v * 3 + c] = n[c] / l;
  }
  return own;
}
