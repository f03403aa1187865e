import { floatsOf, type Part, trianglesOf } from '../character/index.ts';
import { type PointSurface, pointSurface, weldByPlace } from '../geometry/index.ts';

/** A part with its vertices at one place as one. */
export interface WeldedPart {
  surface: PointSurface;
  /** Point of each vertex, and the vertices of each point. */
  pointOf: Uint32Array;
  vertices: number[][];
  normals: Float32Array | null;
}

/** @param weld without it every vertex is a point of its own */
export function weldedPart(part: Part, rest: Float32Array, weld = true): WeldedPart {
  const { points, pointOf } = weld ? weldByPlace(rest) : unwelded(rest.length / 3),
    positions = new Float32Array(points * 3),
    vertices: number[][] = Array.from({ length: points }, () => []);
  pointOf.forEach((point, v) => {
    vertices[point].push(v);
    positions.set(rest.subarray(v * 3, v * 3 + 3), point * 3);
  });
  const normal = part.prim.getAttribute('NORMAL');
  return {
    surface: pointSurface(
      positions,
      trianglesOf(part.prim).map((v) => pointOf[v]),
    ),
    pointOf,
    vertices,
    normals: normal && floatsOf(normal),
  };
}

const unwelded = (points: number) => ({ points, pointOf: Uint32Array.from({ length: points }, (_, i) => i) });
