import type { Document, Material, Primitive } from '@gltf-transform/core';
import { floatsOf, trianglesOf, listParts } from '../character/index.ts';
import { tileNumber } from './naming.ts';

/** So many triangles in a hundred may stray from the tile that a material is said to lie on. */
const STRAY = 0.01;

/** Tile that each triangle lies on, by the middle of its corners; null where the surface has no texture places. */
export function tilesOfTriangles(prim: Primitive): Uint16Array | null {
  const accessor = prim.getAttribute('TEXCOORD_0');
  if (!accessor) return null;
  const uv = floatsOf(accessor),
    indices = trianglesOf(prim),
    out = new Uint16Array(indices.length / 3);
  const middle = (t: number, k: number) =>
    (uv[indices[t * 3] * 2 + k] + uv[indices[t * 3 + 1] * 2 + k] + uv[indices[t * 3 + 2] * 2 + k]) / 3;
  // Places count from the top in glTF, tiles from the bottom.
  for (let t = 0; t < out.length; t++) {
    const column = Math.floor(middle(t, 0)),
      row = Math.floor(1 - middle(t, 1));
    out[t] = column >= 0 && column < 10 && row >= 0 && row < 100 ? tileNumber(column, row) : 0;
  }
  return out;
}

/** Triangles of each material by tile. */
export function tilesOfMaterials(document: Document): Map<Material, Map<number, number>> {
  const out = new Map<Material, Map<number, number>>(),
    seen = new Set<Primitive>();
  for (const { prim, material } of listParts(document)) {
    const tiles = material && !seen.has(prim) ? tilesOfTriangles(prim) : null;
    seen.add(prim);
    if (!material || !tiles) continue;
    const counts = out.get(material) ?? new Map<number, number>();
    for (const tile of tiles) counts.set(tile, (counts.get(tile) ?? 0) + 1);
    out.set(material, counts);
  }
  return out;
}

/** The one tile a material lies on, or null where it lies on several. */
export function tileOf(counts: ReadonlyMap<number, number> | undefined): number | null {
  if (!counts) return null;
  const total = [...counts.values()].reduce((sum, n) => sum + n, 0),
    [tile, most] = [...counts].reduce((best, entry) => (entry[1] > best[1] ? entry : best));
  return tile && most >= total * (1 - STRAY) ? tile : null;
}
