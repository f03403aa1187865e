import type { Document } from '@gltf-transform/core';
import {
  createDeformer,
  jointRoles,
  poseSkeleton,
  RANGE_OF_MOTION,
  roleIndex,
  samplePositions,
  sampleSurface,
} from '@dimetra/core';
import { BufferAttribute, BufferGeometry, Vector3 } from 'three';
import { MeshBVH } from 'three-mesh-bvh';

/** A surface as three-mesh-bvh holds it, with the shapes it takes and the samples on each. */
function prepare(document: Document, samples: number) {
  const deformer = createDeformer(document),
    roles = roleIndex(jointRoles(document, deformer.skeleton));
  const shapes = [undefined, ...RANGE_OF_MOTION].map((pose) =>
    deformer.evaluate(
      new Float32Array(deformer.vertices * 3),
      {},
      pose && poseSkeleton(deformer.skeleton, roles, pose),
    ),
  );
  const on = sampleSurface(shapes[0], deformer.indices, samples, 1);
  const points = shapes.map((shape) =>
    samplePositions(new Float64Array(on.triangle.length * 3), shape, deformer.indices, on),
  );
  const attribute = new BufferAttribute(new Float32Array(shapes[0]), 3),
    geometry = new BufferGeometry()
      .setAttribute('position', attribute)
      .setIndex(new BufferAttribute(deformer.indices.slice(), 1));
  return { shapes, points, attribute, geometry };
}

/**
 * What measuring two surfaces against each other can't do without, by a well-kept library: two trees, refitted for the
 * rest pose and the range of motion, and asked for the nearest point to as many samples as parity takes on each side.
 * Bending, morphs, colours and what clothes cover are left out, so the comparison is to our disadvantage.
 */
export function bareMeasuring(source: Document, result: Document, samples = 20_000): () => Promise<number> {
  const a = prepare(source, samples),
    b = prepare(result, samples),
    point = new Vector3();
  return async () => {
    let squares = 0;
    const trees = [a, b].map(({ geometry, attribute, shapes }) => {
      attribute.array.set(shapes[0]);
      return new MeshBVH(geometry);
    });
    a.shapes.forEach((_, i) => {
      for (const [own, other, tree] of [
        [a, b, trees[1]],
        [b, a, trees[0]],
      ] as const) {
        other.attribute.array.set(other.shapes[i]);
        tree.refit();
        const points = own.points[i];
        for (let p = 0; p < points.length; p += 3)
          squares += (tree.closestPointToPoint(point.set(points[p], points[p + 1], points[p + 2]))?.distance ?? 0) ** 2;
      }
    });
    return squares;
  };
}
