import type { Document, Primitive } from '@gltf-transform/core';
import {
  createDeformer,
  type Eyeball,
  eyeballs,
  far,
  floatsOf,
  type Lid,
  liftOff,
  lidOver,
  standsOff,
  trianglesOf,
} from '../character/index.ts';

/**
 * Lifts lids off the eyeballs that a coarser lid lets through: in each morph, whatever of a lid's triangles would dip into
 * the ball is moved outwards by what is missing. At rest nothing is moved, nor is a lid that lies inside already there.
 * @returns vertices of morphs that were lifted, and by how much at most, millimetres
 */
export function liftLids(document: Document): { vertices: number; mostMm: number } {
  const deformer = createDeformer(document, () => true, false),
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    balls = eyeballs(deformer, rest),
    told = { vertices: 0, mostMm: 0 },
    seen = new Set<Primitive>();
  if (!balls.length) return told;
  for (const { part, firstVertex, vertices } of deformer.ranges) {
    const { prim } = part,
      position = prim.getAttribute('POSITION');
    if (part.kind !== 'skin' || seen.has(prim) || !position) continue;
    seen.add(prim);
    const own = floatsOf(position);
    const there = rest.slice(firstVertex * 3, (firstVertex + vertices) * 3);
    if (!standsOff(own, there)) continue;
    for (const ball of balls) {
      const lid = lidOver(ball, trianglesOf(prim), there);
      if (lid.triangles.length) liftMorphs(document, prim, lid, ball, told);
    }
  }
  return told;
}

function liftMorphs(
  document: Document,
  prim: Primitive,
  lid: Lid,
  ball: Eyeball,
  told: { vertices: number; mostMm: number },
): void {
  for (const target of prim.listTargets()) {
    const accessor = target.getAttribute('POSITION'),
      delta = accessor && floatsOf(accessor);
    if (!delta) continue;
    const lifted = delta.slice(),
      touched = liftOff(lid, lifted, ball);
    if (!touched.size) continue;
    told.vertices += touched.size;
    for (const v of touched) {
      const mm = far(lifted.subarray(v * 3, v * 3 + 3), delta.subarray(v * 3, v * 3 + 3)) * 1000;
      told.mostMm = Math.max(told.mostMm, mm);
    }
    target.setAttribute(
      'POSITION',
      document.createAccessor().setType('VEC3').setArray(lifted).setSparse(accessor.getSparse()),
    );
  }
}
