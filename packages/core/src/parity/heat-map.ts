import type { Document } from '@gltf-transform/core';
import type { Pose } from '../rig/index.ts';
import { hiddenOf, pairUp, shapeOf, showing, type Side } from './pair.ts';
import { measuredAtRest } from './posed-pair.ts';
import type { MeasuredSurface } from './surface-distance.ts';

/** Millimetres per vertex, by part id. */
export type VertexDistances = Map<string, Float32Array>;
/** What the heat map shows. */
export interface HeatMap {
  source: VertexDistances;
  result: VertexDistances;
  /** Millimetres at the samples that can be seen, each for as much surface as any other: how much lies beyond a limit is their share. */
  open: { source: Float32Array; result: Float32Array };
}

/** Value of a place that clothes cover in every pose looked at: it is marked, not coloured. */
export const COVERED = -1;
/** Samples on each surface for the heat map. */
const HEAT_SAMPLES = 60_000;

/**
 * What the heat map on the stage is coloured by: every place of either figure has its own distance to the like part of
 * the other. Area-weighted samples are measured, and a vertex takes the mean of those around it, weighed by how near
 * they lie; a vertex that none came near is measured itself. So the share of a surface that is painted beyond a limit is
 * the share that lies beyond it. Vertices alone would show nothing: reduction leaves them where they were.
 */
export function deviationByVertex(source: Document, result: Document, pose?: Pose): HeatMap {
  const pair = pairUp(source, result),
    { shapes } = showing(pair);
  const surfaceOf = (side: Side) =>
    measuredAtRest(
      { figure: side.figure, groups: side.groups, groupCount: pair.alike.groups, positions: shapeOf(side, pose) },
      HEAT_SAMPLES,
      1,
    );
  const a = surfaceOf(pair.source),
    b = surfaceOf(pair.result);
  const left = paint(pair.source, a, b, shapes.source),
    right = paint(pair.result, b, a, shapes.result);
  return { source: left.map, result: right.map, open: { source: left.open, result: right.open } };
}

function paint(
  side: Side,
  own: MeasuredSurface,
  other: MeasuredSurface,
  shapes: readonly Float32Array[],
): { map: VertexDistances; open: Float32Array } {
  const { indices, ranges, vertices } = side.deformer,
    hidden = hiddenOf(side, shapes),
    { values, samples } = meanAround(own, other, vertices),
    seen = new Uint8Array(vertices);
  for (let t = 0; t < hidden.length; t++) if (!hidden[t]) for (let k = 0; k < 3; k++) seen[indices[t * 3 + k]] = 1;
  for (let v = 0; v < values.length; v++) if (!seen[v]) values[v] = COVERED;
  return {
    map: new Map(
      ranges.map((range) => [range.part.id, values.slice(range.firstVertex, range.firstVertex + range.vertices)]),
    ),
    open: samples.filter((_, i) => !hidden[own.samples.triangle[i]]),
  };
}

/** Millimetres per vertex of `own`, and at its samples. */
function meanAround(
  own: MeasuredSurface,
  other: MeasuredSurface,
  vertices: number,
): { values: Float32Array; samples: Float32Array } {
  const points = own.locate(),
    { triangle, barycentric } = own.samples,
    { groupOf } = own.tree,
    sum = new Float64Array(vertices),
    weight = new Float64Array(vertices),
    samples = new Float32Array(triangle.length);
  let hint = -1;
  for (let i = 0; i < triangle.length; i++) {
    const t = triangle[i],
      v = barycentric[i * 2],
      w = barycentric[i * 2 + 1],
      d = other.tree.closest(groupOf[t], points[i * 3], points[i * 3 + 1], points[i * 3 + 2], hint) * 1000;
    hint = other.tree.hit.triangle;
    if (!Number.isFinite(d)) continue;
    samples[i] = d;
    [1 - v - w, v, w].forEach((share, k) => {
      const corner = own.indices[t * 3 + k];
      sum[corner] += d * share;
      weight[corner] += share;
    });
  }
  const out = new Float32Array(vertices),
    at = own.corners();
  for (let t = 0; t < own.indices.length / 3; t++)
    for (let k = 0; k < 3; k++) {
      const corner = own.indices[t * 3 + k];
      if (weight[corner] > 0) {
        out[corner] = sum[corner] / weight[corner];
        continue;
      }
      out[corner] = other.tree.closest(groupOf[t], at[corner * 3], at[corner * 3 + 1], at[corner * 3 + 2], hint) * 1000;
      weight[corner] = 1;
      sum[corner] = out[corner];
    }
  return { values: out, samples };
}
