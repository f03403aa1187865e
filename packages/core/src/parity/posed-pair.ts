import type { DrawnFigure } from './drawn.ts';
import { sameVertices, vertexDistance } from './same-vertices.ts';
import { type Distance, MeasuredSurface, posedDistance, surfaceDistance } from './surface-distance.ts';

/** One of two surfaces that will be posed, as plain data. */
export interface SurfaceAtRest {
  figure: DrawnFigure;
  positions: Float32Array;
  /** Group of each triangle, and how many there are on both sides together. */
  groups: Uint16Array;
  groupCount: number;
  /** Triangles that samples lie on; all where left out. */
  open?: Uint32Array;
}

/** How far two surfaces are from each other in a pose. */
export interface Posed {
  distance: Distance;
  /** Of vertices that are the source's own, where most are. */
  vertex?: { rmsMm: number; maxMm: number };
}

export const measuredAtRest = (
  { figure, positions, groups, groupCount, open }: SurfaceAtRest,
  samples: number,
  seed: number,
): MeasuredSurface =>
  new MeasuredSurface(positions, figure.indices, samples, seed, open, { of: groups, count: groupCount });

/** Two surfaces that have been measured at rest, to be measured in one pose after the other, in any order. */
export class PosedPair {
  private readonly same: Int32Array | null;

  constructor(
    private readonly source: MeasuredSurface,
    private readonly result: MeasuredSurface,
    atRest: { source: SurfaceAtRest; result: SurfaceAtRest },
  ) {
    const same = sameVertices(
      atRest.source.positions,
      atRest.result.positions,
      groupOfVertices(atRest.source),
      groupOfVertices(atRest.result),
    );
    this.same = same.filter((v) => v >= 0).length > same.length / 2 ? same : null;
  }

  static of(source: SurfaceAtRest, result: SurfaceAtRest, samples: number, seed: number): PosedPair {
    const a = measuredAtRest(source, samples, seed),
      b = measuredAtRest(result, samples, seed);
    // What is nearest at rest is where poses begin to look.
    surfaceDistance(a, b);
    return new PosedPair(a, b, { source, result });
  }

  /** @param source positions of the vertices in the pose, and those of the result */
  at(source: Float32Array, result: Float32Array): Posed {
    this.source.pose(source);
    this.result.pose(result);
    const distance = posedDistance(this.source, this.result);
    this.source.stand();
    this.result.stand();
    return this.same ? { distance, vertex: vertexDistance(source, result, this.same) } : { distance };
  }
}

/** Group of each vertex. */
function groupOfVertices({ figure, groups }: SurfaceAtRest): Uint16Array {
  const out = new Uint16Array(figure.vertices);
  for (const { firstVertex, vertices, firstTriangle, triangles } of figure.parts)
    if (triangles) out.fill(groups[firstTriangle], firstVertex, firstVertex + vertices);
  return out;
}
