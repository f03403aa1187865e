import { type Deformer, isSeenThrough } from '../character/index.ts';

/** A part as it is drawn: where it lies in the whole, what it is, and whether one sees through it. */
export interface DrawnPart {
  role: string;
  through: boolean;
  firstVertex: number;
  vertices: number;
  firstTriangle: number;
  triangles: number;
}

/** A figure as it is drawn: plain data, which another thread can be given. */
export interface DrawnFigure {
  indices: Uint32Array;
  vertices: number;
  parts: DrawnPart[];
}

export const drawnFigure = ({ indices, vertices, ranges }: Deformer): DrawnFigure => ({
  indices,
  vertices,
  parts: ranges.map(({ part, ...where }) => ({
    role: part.role,
    through: part.material !== null && isSeenThrough(part.kind),
    firstVertex: where.firstVertex,
    vertices: where.vertices,
    firstTriangle: where.firstTriangle,
    triangles: where.triangles,
  })),
});
