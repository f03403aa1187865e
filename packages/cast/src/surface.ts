import { cross, dot, sub, unit, vertexNormals } from '@dimetra/core';
import { partIslands } from './islands.ts';
import { keepTogether, neighboursOf, type Unrolled } from './unrolled.ts';

/** A finished part surface: vertices split where the texture has a seam; metres. */
export interface Surface {
  positions: Float32Array;
  normals: Float32Array;
  uv: Float32Array;
  indices: Uint32Array;
  /** For each vertex, the vertex it was before splitting: morphs and weights are made there. */
  origin: Uint32Array;
}

/** Where a face lies in the texture: a cylinder about an axis, unrolled into a rectangle. */
export interface Chart {
  from: readonly [number, number, number];
  to: readonly [number, number, number];
  /** Direction at which the cylinder is cut open. */
  cutAt: readonly [number, number, number];
  /** Texture rectangle: left, top, width, height. */
  rect: readonly [number, number, number, number];
  /** Where faces lie that look towards the axis (a collar's inside, nostrils): as high as their part of the axis. Without it they find what room is left. */
  back?: readonly [number, number, number, number];
}

/**
 * Unrolls a closed surface chart by chart. Faces that cross a cut get vertices of their own on its far side, so
 * that nothing in the texture is drawn backwards over its whole width.
 */
export function unroll(
  positions: ArrayLike<number>,
  triangles: ArrayLike<number>,
  charts: readonly Chart[],
  chartOf: (x: number, y: number, z: number, corners: readonly number[]) => number,
): Surface {
  const smooth = vertexNormals(positions, triangles);
  const frames = charts.map((chart) => {
    const axis = unit(sub(chart.to, chart.from));
    const cutAt = unit(
      sub(
        chart.cutAt,
        axis.map((x) => x * dot(chart.cutAt, axis)),
      ),
    );
    return { ...chart, axis, cutAt, side: cross(axis, cutAt), length: Math.hypot(...sub(chart.to, chart.from)) };
  });
  const place = (v: number, f: (typeof frames)[number]): [number, number] => {
    const d = sub([positions[v * 3], positions[v * 3 + 1], positions[v * 3 + 2]], f.from);
    const angle = Math.atan2(dot(d, f.side), dot(d, f.cutAt));
    return [
      (angle < 0 ? angle + 2 * Math.PI : angle) / (2 * Math.PI),
      Math.max(0, Math.min(1, dot(d, f.axis) / f.length)),
    ];
  };
  const faces = Array.from({ length: triangles.length / 3 }, (_, t): Unrolled => {
    const corners = [triangles[t * 3], triangles[t * 3 + 1], triangles[t * 3 + 2]];
    const centre = [0, 1, 2].map((k) => corners.reduce((sum, v) => sum + positions[v * 3 + k] / 3, 0));
    const chart = chartOf(centre[0], centre[1], centre[2], corners),
      f = frames[chart],
      at = corners.map((v) => place(v, f));
    const high = Math.max(...at.map((p) => p[0])),
      wrapped = at.map((p) => (high - p[0] > 0.5 ? 1 : 0));
    const [a, b, c] = at.map((p, k) => [p[0] + wrapped[k], p[1]]);
    const reach = Math.hypot(
      ...sub(
        sub(centre, f.from),
        f.axis.map((x) => x * dot(sub(centre, f.from), f.axis)),
      ),
    );
    return {
      corners,
      chart,
      at,
      wrapped,
      reach,
      layer: f.back && (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1]) < 0 ? 1 : 0,
    };
  });
  const neighbours = neighboursOf(faces);
  keepTogether(faces, neighbours);
  /** The part of each axis that the faces within take up. */
  const spans = frames.map((_, i) =>
    faces
      .filter((face) => face.chart === i && face.layer)
      .flatMap((face) => face.at.map((p) => p[1]))
      .reduce(([low, high], v) => [Math.min(low, v), Math.max(high, v)], [1, 0]),
  );
  const places = new Float64Array(faces.length * 6);
  faces.forEach(({ chart, at, wrapped, layer }, f) => {
    const frame = frames[chart],
      within = layer ? frame.back : undefined,
      [low, high] = within ? spans[chart] : [0, 1],
      [left, top, width, height] = within ?? frame.rect;
    // A twentieth of the width is left free for faces that reach past the cut; few large ones near an end of the axis would reach further, into the neighbouring chart.
    const across = (x: number) => {
      const share = Math.min(1, 0.94 * x);
      return left + width * (within ? 1 - share : share);
    };
    // What looks towards the axis is seen from within, the right way round.
    at.forEach((p, k) =>
      places.set(
        [across(p[0] + wrapped[k]), top + height * (1 - Math.max(0, Math.min(1, (p[1] - low) / (high - low || 1))))],
        f * 6 + k * 2,
      ),
    );
  });
  const islands = partIslands(positions, faces, neighbours, places);
  const index = new Map<string, number>();
  const origin: number[] = [],
    uv: number[] = [],
    indices: number[] = [];
  faces.forEach(({ corners, chart, wrapped, layer }, f) =>
    corners.forEach((v, k) => {
      const key = islands.of[f] < 0 ? `${v}/${chart}/${wrapped[k]}/${layer}` : `${v}/island ${islands.of[f]}`;
      let i = index.get(key);
      if (i === undefined) {
        i = origin.length;
        index.set(key, i);
        origin.push(v);
        uv.push(islands.places[f * 6 + k * 2], islands.places[f * 6 + k * 2 + 1]);
      }
      indices.push(i);
    }),
  );
  return finish(positions, smooth, origin, uv, indices);
}

/** Puts an unrolled surface where its points are on another form; normals follow. Changes `surface`. */
export function placeAt(surface: Surface, points: Float32Array, triangles: Uint32Array): void {
  const normals = vertexNormals(points, triangles);
  surface.origin.forEach((from, v) => {
    for (let k = 0; k < 3; k++) {
      surface.positions[v * 3 + k] = points[from * 3 + k];
      surface.normals[v * 3 + k] = normals[from * 3 + k];
    }
  });
}

/** A surface that brings its own texture places, one per vertex. */
export function withUv(positions: ArrayLike<number>, triangles: ArrayLike<number>, uv: ArrayLike<number>): Surface {
  return finish(
    positions,
    vertexNormals(positions, triangles),
    Array.from({ length: positions.length / 3 }, (_, i) => i),
    Array.from(uv),
    Array.from(triangles),
  );
}

function finish(
  positions: ArrayLike<number>,
  normals: ArrayLike<number>,
  origin: number[],
  uv: number[],
  indices: number[],
): Surface {
  const out: Surface = {
    positions: new Float32Array(origin.length * 3),
    normals: new Float32Array(origin.length * 3),
    uv: Float32Array.from(uv),
    indices: Uint32Array.from(indices),
    origin: Uint32Array.from(origin),
  };
  origin.forEach((v, i) => {
    for (let k = 0; k < 3; k++) {
      out.positions[i * 3 + k] = positions[v * 3 + k];
      out.normals[i * 3 + k] = normals[v * 3 + k];
    }
  });
  return out;
}

/** Two triangles per quad, along the shorter diagonal; a quad with two equal corners gives one. */
export function triangulate(positions: ArrayLike<number>, quads: ArrayLike<number>): Uint32Array {
  const out: number[] = [];
  const d = (a: number, b: number) =>
    Math.hypot(
      positions[a * 3] - positions[b * 3],
      positions[a * 3 + 1] - positions[b * 3 + 1],
      positions[a * 3 + 2] - positions[b * 3 + 2],
    );
  for (let q = 0; q < quads.length; q += 4) {
    const [a, b, c, e] = [quads[q], quads[q + 1], quads[q + 2], quads[q + 3]];
    const faces =
      d(a, c) <= d(b, e)
        ? [
            [a, b, c],
            [a, c, e],
          ]
        : [
            [a, b, e],
            [b, c, e],
          ];
    for (const f of faces) if (f[0] !== f[1] && f[1] !== f[2] && f[0] !== f[2]) out.push(...f);
  }
  return Uint32Array.from(out);
}
