import { nthSmallest, sampleSurface, samplePositions, TriangleForest, type SurfaceSamples } from '../geometry/index.ts';

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
  readonly tree: TriangleForest;
  readonly points: Float64Array;
  /** By triangle: the one of the *other* surface that a sample on it lay nearest to last, -1 before any: where to look first. */
  readonly hints: Int32Array;
  /** By sample: the triangle of the *other* surface it was nearest to at rest (-1 before that was measured), and how far, metres squared. */
  readonly known: { nearest: Int32Array; squared: Float64Array };
  /** Positions at rest, and which triangles lie elsewhere in the pose taken. */
  private readonly restPositions: Float32Array;
  readonly moved: Uint8Array;

  /**
   * @param only triangles that samples lie on, ascending; all where left out. The trees hold the whole surface
   * @param groups groups that are measured against their like; all is one where left out
   */
  constructor(
    private positions: Float32Array,
    readonly indices: Uint32Array,
    count: number,
    seed: number,
    only?: Uint32Array,
    groups: { of: Uint16Array; count: number } = { of: new Uint16Array(indices.length / 3), count: 1 },
  ) {
    this.samples = only
      ? samplesOn(positions, indices, only, count, seed)
      : sampleSurface(positions, indices, count, seed);
    this.tree = new TriangleForest(positions, indices, groups.of, groups.count);
    this.points = new Float64Array(this.samples.triangle.length * 3);
    this.hints = new Int32Array(indices.length / 3).fill(-1);
    const laid = this.samples.triangle.length;
    this.known = { nearest: new Int32Array(laid).fill(-1), squared: new Float64Array(laid).fill(Infinity) };
    this.restPositions = positions;
    this.moved = new Uint8Array(indices.length / 3);
  }

  /** Takes a pose; {@link moved} says which triangles it moves from where they lie at rest, by however little. */
  pose(positions: Float32Array): void {
    const { moved, indices, restPositions: rest } = this,
      list = new Uint32Array(moved.length);
    let n = 0;
    for (let t = 0; t < moved.length; t++) {
      moved[t] = 0;
      for (let k = 0; k < 3 && !moved[t]; k++) {
        const o = indices[t * 3 + k] * 3;
        if (positions[o] !== rest[o] || positions[o + 1] !== rest[o + 1] || positions[o + 2] !== rest[o + 2])
          moved[t] = 1;
      }
      if (moved[t]) list[n++] = t;
    }
    this.moveSome(positions, list.subarray(0, n));
  }

  /** Takes the rest pose back after {@link pose}. */
  stand(): void {
    this.moved.fill(0);
    this.moveBack(this.restPositions);
  }

  /** Positions of the vertices as the surface is now. */
  corners(): Float32Array {
    return this.positions;
  }

  locate(): Float64Array {
    return samplePositions(this.points, this.positions, this.indices, this.samples);
  }

  /** Takes another shape in which only the triangles in `moved` differ from the last one. */
  moveSome(positions: Float32Array, moved: Uint32Array): void {
    this.positions = positions;
    this.tree.refitAbove(positions, moved);
  }

  /** Takes the shape back that {@link moveSome} was called on. */
  moveBack(positions: Float32Array): void {
    this.positions = positions;
    this.tree.restore(positions);
  }

  /** Seeded samples on the triangles in `only` alone, placed where the surface is now. */
  sampleSome(only: Uint32Array, count: number, seed: number): { triangle: Uint32Array; points: Float64Array } {
    const samples = samplesOn(this.positions, this.indices, only, count, seed);
    return {
      triangle: samples.triangle,
      points: samplePositions(new Float64Array(samples.triangle.length * 3), this.positions, this.indices, samples),
    };
  }
}

/** Samples on some of the triangles, numbered as in the whole. */
function samplesOn(
  positions: Float32Array,
  indices: Uint32Array,
  only: Uint32Array,
  count: number,
  seed: number,
): SurfaceSamples {
  const part = new Uint32Array(only.length * 3);
  for (let i = 0, to = 0; i < only.length; i++)
    for (let k = 0, from = only[i] * 3; k < 3; k++) part[to++] = indices[from++];
  const samples = sampleSurface(positions, part, count, seed),
    { triangle } = samples;
  for (let i = 0; i < triangle.length; i++) triangle[i] = only[triangle[i]];
  return samples;
}

/**
 * Two-sided distance between two surfaces at rest, at seeded, area-weighted samples (after Cignoni, Rocchini & Scopigno
 * 1998). Positions in metres, distances in millimetres.
 */
export function surfaceDistance(source: MeasuredSurface, result: MeasuredSurface): Distance {
  const gather = new DistanceGatherer(source.points.length / 3 + result.points.length / 3);
  gather.add('source', source.locate(), source.samples.triangle, source, result, source.known);
  gather.add('result', result.locate(), result.samples.triangle, result, source, result.known);
  return gather.finish();
}

/**
 * As {@link surfaceDistance}, in a pose that both have taken, after they were measured at rest. What was nearest there
 * tells where to look; where neither the sample nor that was moved, only what was moved can have come nearer.
 */
export function posedDistance(source: MeasuredSurface, result: MeasuredSurface): Distance {
  const gather = new DistanceGatherer(source.points.length / 3 + result.points.length / 3);
  gather.addPosed('source', source, result);
  gather.addPosed('result', result, source);
  return gather.finish();
}

/** As {@link surfaceDistance}, sampled only on the triangles named, `count` samples on each side. */
export function distanceWithin(
  source: MeasuredSurface,
  result: MeasuredSurface,
  inSource: Uint32Array,
  inResult: Uint32Array,
  count: number,
  seed: number,
): Distance {
  const a = source.sampleSome(inSource, count, seed),
    b = result.sampleSome(inResult, count, seed);
  const gather = new DistanceGatherer(a.triangle.length + b.triangle.length);
  gather.add('source', a.points, a.triangle, source, result);
  gather.add('result', b.points, b.triangle, result, source);
  return gather.finish();
}

export class DistanceGatherer {
  private readonly distances: Float64Array;
  private n = 0;
  private squares = 0;
  private largest = -1;
  private at: Distance['at'] = null;

  constructor(most: number) {
    this.distances = new Float64Array(most);
  }

  /** @param known takes the nearest triangle and the squared distance of each point */
  add(
    side: 'source' | 'result',
    points: Float64Array,
    triangle: Uint32Array,
    { hints, tree: { groupOf } }: MeasuredSurface,
    { tree }: MeasuredSurface,
    known?: MeasuredSurface['known'],
  ): void {
    tree.measure({
      points,
      groupAt: (i) => groupOf[triangle[i]],
      hintAt: (i) => hints[triangle[i]],
      enough: SAME,
      take: (i, nearest, squared) => {
        hints[triangle[i]] = nearest;
        if (known) {
          known.nearest[i] = nearest;
          known.squared[i] = squared;
        }
        this.take(side, triangle[i], Math.sqrt(squared) * 1000);
      },
    });
  }

  addPosed(side: 'source' | 'result', own: MeasuredSurface, other: MeasuredSurface): void {
    const { triangle } = own.samples,
      { groupOf } = own.tree,
      { nearest, squared } = own.known;
    other.tree.measure({
      points: own.locate(),
      groupAt: (i) => groupOf[triangle[i]],
      hintAt: (i) => nearest[i],
      knownAt: (i) => (nearest[i] >= 0 && !own.moved[triangle[i]] && !other.moved[nearest[i]] ? squared[i] : NaN),
      enough: SAME,
      take: (i, _, found) => this.take(side, triangle[i], Math.sqrt(found) * 1000),
    });
  }

  /** Takes one distance, millimetres; one that is no number is left out. */
  take(side: 'source' | 'result', triangle: number, d: number): void {
    if (!Number.isFinite(d)) return;
    this.distances[this.n++] = d;
    this.squares += d * d;
    if (d > this.largest) {
      this.largest = d;
      this.at = { side, triangle };
    }
  }

  finish(): Distance {
    const { n } = this;
    if (!n) return { rmsMm: 0, p99Mm: 0, maxMm: 0, at: null };
    const p99 = nthSmallest(this.distances.subarray(0, n), Math.min(n - 1, Math.floor(n * 0.99)));
    return { rmsMm: round(Math.sqrt(this.squares / n)), p99Mm: round(p99), maxMm: round(this.largest), at: this.at };
  }
}

/** Metres, half of what is rounded away: there the surfaces are one. */
const SAME = 5e-8;

/** To a tenth of a micrometre: float noise of a surface against itself is far below. */
const round = (mm: number): number => Math.round(mm * 1e4) / 1e4;
