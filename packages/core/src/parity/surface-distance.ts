import { sampleSurface, samplePositions, TriangleTree, type SurfaceSamples } from '../geometry/index.ts';

export interface Distance {
  rmsMm: number;
  p99Mm: number;
  maxMm: number;
  /** Where the largest distance lies: triangle on the surface that was sampled, and which surface that was. */
  at: { side: 'source' | 'result'; triangle: number } | null;
}

/** One of the two surfaces: its samples and its tree, refitted for every shape it takes. */
export class MeasuredSurface {
  readonly samples: SurfaceSamples;
  readonly tree: TriangleTree;
  readonly points: Float64Array;
  /** Triangle of the *other* surface nearest to each sample last time: where to look first. */
  readonly hints: Int32Array;

  constructor(private positions: Float32Array, readonly indices: Uint32Array, count: number, seed: number) {
    this.samples = sampleSurface(positions, indices, count, seed);
    this.tree = new TriangleTree(positions, indices);
    this.points = new Float64Array(this.samples.triangle.length * 3);
    this.hints = new Int32Array(this.samples.triangle.length).fill(-1);
  }

  /** Takes another shape of the same surface. */
  move(positions: Float32Array): void {
    this.positions = positions;
    this.tree.refit(positions);
  }

  locate(): Float64Array {
    return samplePositions(this.points, this.positions, this.indices, this.samples);
  }
}

/**
 * Two-sided distance between two surfaces at seeded, area-weighted samples (after Cignoni, Rocchini & Scopigno
 * 1998). Positions in metres, distances in millimetres. `each`, where given, hears every sample's distance.
 */
export function surfaceDistance(source: MeasuredSurface, result: MeasuredSurface, each?: (side: 'source' | 'result', sample: number, millimetres: number) => void): Distance {
  const distances = new Float64Array(source.points.length / 3 + result.points.length / 3);
  let n = 0, squares = 0, largest = -1;
  let at: Distance['at'] = null;
  for (const side of ['source', 'result'] as const) {
    const [from, to] = side === 'source' ? [source, result] : [result, source];
    const points = from.locate();
    for (let i = 0; i < points.length / 3; i++) {
      const d = to.tree.closest(points[i * 3], points[i * 3 + 1], points[i * 3 + 2], from.hints[i]) * 1000;
      from.hints[i] = to.tree.hit.triangle;
      if (!Number.isFinite(d)) continue;
      distances[n++] = d;
      squares += d * d;
      if (d > largest) { largest = d; at = { side, triangle: from.samples.triangle[i] }; }
      each?.(side, i, d);
    }
  }
  if (!n) return { rmsMm: 0, p99Mm: 0, maxMm: 0, at: null };
  const sorted = distances.subarray(0, n).sort();
  return { rmsMm: round(Math.sqrt(squares / n)), p99Mm: round(sorted[Math.min(n - 1, Math.floor(n * 0.99))]), maxMm: round(largest), at };
}

/** To a tenth of a micrometre: float noise of a surface against itself is far below. */
const round = (mm: number): number => Math.round(mm * 1e4) / 1e4;
