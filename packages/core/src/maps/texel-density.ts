import type { Document, Material } from '@gltf-transform/core';
import { createDeformer, type Deformer, floatsOf } from '../character/index.ts';
import { triangleArea } from '../geometry/index.ts';

/** How a material's maps lie on the surface it covers. */
export interface Laid {
  /** Widths of the whole map in a metre of surface: times its side in texels, texels per metre. 0 where nothing tells. */
  mapsPerMetre: number;
  /** Whether the picture is repeated beyond its edges. */
  wraps: boolean;
}

/** A texture place outside 0 … 1 by more than this repeats the picture. */
const OUTSIDE = 1e-3;

/**
 * √(area in the map ÷ area on the surface), over all parts that wear the material.
 * @param rest positions of the deformer's vertices at rest, metres
 * @param set texture coordinate set of the map that is asked about
 */
export function laidOut({ ranges, indices }: Deformer, rest: Float32Array, material: Material, set: number): Laid {
  let inMap = 0,
    onSurface = 0,
    wraps = false;
  for (const range of ranges) {
    const places = range.part.prim.getAttribute(`TEXCOORD_${set}`);
    if (range.part.material !== material || !places) continue;
    const uv = floatsOf(places);
    wraps ||= !within(uv);
    for (let t = range.firstTriangle; t < range.firstTriangle + range.triangles; t++) {
      const a = indices[t * 3],
        b = indices[t * 3 + 1],
        c = indices[t * 3 + 2],
        first = range.firstVertex;
      inMap += areaInMap(uv, a - first, b - first, c - first);
      onSurface += triangleArea(rest, a, b, c);
    }
  }
  return { mapsPerMetre: inMap > 0 && onSurface > 0 ? Math.sqrt(inMap / onSurface) : 0, wraps };
}

function within(uv: Float32Array): boolean {
  for (let i = 0; i < uv.length; i++) if (!(uv[i] >= -OUTSIDE && uv[i] <= 1 + OUTSIDE)) return false;
  return true;
}
/** Area of a triangle in its map, of the whole map. @param uv two per vertex */
export const areaInMap = (uv: Float32Array, a: number, b: number, c: number): number =>
  Math.abs(
    (uv[b * 2] - uv[a * 2]) * (uv[c * 2 + 1] - uv[a * 2 + 1]) -
      (uv[b * 2 + 1] - uv[a * 2 + 1]) * (uv[c * 2] - uv[a * 2]),
  ) / 2;

/**
 * How densely the colour maps lie, vertex by vertex: √(texels ÷ area) over the triangles around each, on a figure at rest.
 * @param sizeOf the map's size as it is delivered, null where a material has none
 * @param metres metres per unit of the document
 * @returns texels on a centimetre by part id; a part without such a map isn't among them
 */
export function densityByVertex(
  document: Document,
  sizeOf: (material: Material) => { width: number; height: number } | null,
  metres = 1,
): Map<string, Float32Array> {
  const deformer = createDeformer(document, () => true, false),
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    out = new Map<string, Float32Array>();
  for (const { part, firstVertex, vertices, firstTriangle, triangles } of deformer.ranges) {
    const size = part.material && sizeOf(part.material),
      places = part.prim.getAttribute(`TEXCOORD_${part.material?.getBaseColorTextureInfo()?.getTexCoord() ?? 0}`);
    if (!size || !places) continue;
    const uv = floatsOf(places),
      inMap = new Float64Array(vertices),
      onSurface = new Float64Array(vertices);
    for (let t = firstTriangle; t < firstTriangle + triangles; t++) {
      const corners = [0, 1, 2].map((k) => deformer.indices[t * 3 + k]),
        [a, b, c] = corners.map((v) => v - firstVertex),
        map = areaInMap(uv, a, b, c),
        surface = triangleArea(rest, corners[0], corners[1], corners[2]);
      for (const v of [a, b, c]) {
        inMap[v] += map;
        onSurface[v] += surface;
      }
    }
    const texels = size.width * size.height;
    out.set(
      part.id,
      Float32Array.from(inMap, (map, v) =>
        onSurface[v] > 0 ? Math.sqrt((map * texels) / onSurface[v]) / (metres * 100) : 0,
      ),
    );
  }
  return out;
}
