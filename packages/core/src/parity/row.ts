import type { Deformer } from '../character/index.ts';
import type { Pair, Side } from './pair.ts';
import type { Distance } from './surface-distance.ts';

/** How far a result is from its source in one state. */
export interface ParityRow {
  name: string;
  rmsMm: number;
  p99Mm: number;
  maxMm: number;
  /** Part in which the largest distance lies. */
  where?: string;
  /** Where that is at rest, metres. */
  point?: [number, number, number];
  /** Of poses, where most vertices of the result are the source's own: how far each is from itself. Sliding along the surface, which the distance of surfaces hides, shows here. */
  vertex?: { rmsMm: number; maxMm: number };
}

/** A distance that was measured, with the part in which it is largest. */
export const rowOf = ({ source, result }: Pair, name: string, { rmsMm, p99Mm, maxMm, at }: Distance): ParityRow => ({
  name,
  rmsMm,
  p99Mm,
  maxMm,
  ...(at && maxMm > 0 ? placeOf(at.side === 'source' ? source : result, at.triangle) : {}),
});

function placeOf({ deformer }: Side, triangle: number): Pick<ParityRow, 'where' | 'point'> {
  const rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    corners = [0, 1, 2].map((k) => deformer.indices[triangle * 3 + k] * 3),
    point = [0, 1, 2].map(
      (axis) => Math.round(corners.reduce((sum, at) => sum + rest[at + axis], 0) * (1e4 / 3)) / 1e4,
    ) as [number, number, number];
  return { where: partAt(deformer, triangle), point };
}

const partAt = (deformer: Deformer, triangle: number): string | undefined =>
  deformer.ranges.find((range) => triangle < range.firstTriangle + range.triangles)?.part.name;
