import type { Verdict } from '../check/index.ts';

/** What the report of a package says of a grade that lies in it. */
export interface GradeRow {
  id: string;
  title: string;
  /** Where its package lies within the whole. */
  folder: string;
  verdict: Verdict;
  triangles: number;
  textureMemoryBytes: number;
  bytes: number;
}
