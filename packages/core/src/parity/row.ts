import type { Deformer } from '../character/index.ts';
import type { Pair } from './pair.ts';
import type { Distance } from './surface-distance.ts';

/** How far a result is from its source in one state. */
export interface ParityRow {
  name: string;
  rmsMm: number;
  p99Mm: number;
  maxMm: number;
  /** Part in which the largest distance lies. */
  where?: string;
  /** Of poses, where most vertices of the result are the source's own: how far each is from itself. Sliding along the surface, which the distance of surfaces hides, shows here. */
  vertex?: { rmsMm: number; maxMm: number };
}

/** A distance that was measured, with the part in which it is largest. */
export const rowOf = ({ source, result }: Pair, name: string, { rmsMm, p99Mm, maxMm, at }: Distance): ParityRow => ({
  name,
  rmsMm,
  p99Mm,
  maxMm,
  where: at && maxMm > 0 ? partAt(at.side === 'source' ? source.deformer : result.deformer, at.triangle) : undefined,
});

const partAt = (deformer: Deformer, triangle: number): string | undefined =>
  deformer.ranges.find((range) => triangle < range.firstTriangle + range.triangles)?.part.name;
