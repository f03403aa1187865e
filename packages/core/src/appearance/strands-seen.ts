import type { Document } from '@gltf-transform/core';
import { CLEAR_KINDS, type Part, STRAND_KINDS } from '../character/index.ts';
import { camerasAround, SIZE, sceneAround } from './around.ts';
import { PLAIN } from './material.ts';
import { Raster } from './raster.ts';
import { middlesOf } from './scene.ts';

/** Layers of strands on a pixel that count: what lies deeper is hardly seen through those. */
export const STRAND_LAYERS = 4;

/**
 * What shows of a part's strands: for each pixel that shows any, over ten sides of the figure and of its head, the
 * triangles of the part that lie on it, {@link STRAND_LAYERS} a pixel from the front on, −1 where there are no more.
 */
export type StrandPixels = Int32Array;

/** Materials of {@link sceneAround}'s parts here: solid, and to be seen through. */
const SOLID = { ...PLAIN, doubleSided: true },
  STRANDS = { ...SOLID, mode: 'MASK' as const, solid: false };

/** Looks at all strands of a figure at rest. @returns by the id of the part */
export function strandsSeen(document: Document): Map<string, StrandPixels> {
  const { scene, deformer, partOf } = sceneAround(document, ({ kind }) => !CLEAR_KINDS.includes(kind)),
    found = new Map<string, number[]>();
  if (!scene) return new Map();
  const areStrands = (part: Part) => STRAND_KINDS.includes(part.kind),
    drawn = {
      ...scene,
      parts: scene.parts.map((part, id) => ({ ...part, material: +areStrands(deformer.ranges[id].part) })),
      materials: [SOLID, STRANDS],
    };
  const raster = new Raster(SIZE),
    middles = middlesOf(drawn);
  for (const camera of camerasAround(drawn)) {
    raster.draw(drawn, camera, middles);
    for (let at = 0; at < SIZE * SIZE; at++) {
      if (raster.last[at] < 0) continue;
      const layers = layersAt(raster, at);
      let row: number[] | undefined,
        room = 0;
      // A pixel belongs to the strands in front; those of other parts hide what is behind them.
      for (const triangle of layers) {
        const { part, firstTriangle } = deformer.ranges[partOf[triangle]];
        if (!row) {
          row = found.get(part.id);
          if (!row) found.set(part.id, (row = []));
          room = STRAND_LAYERS;
        } else if (found.get(part.id) !== row) break;
        if (room-- <= 0) break;
        row.push(triangle - firstTriangle);
      }
      for (; row && room > 0; room--) row.push(-1);
    }
  }
  return new Map([...found].map(([id, row]) => [id, Int32Array.from(row)]));
}

/** Triangles to be seen through on a pixel, from the front on. */
function layersAt({ last, layerBefore, layerDepth, layerTriangle, depth }: Raster, at: number): number[] {
  const layers: { triangle: number; depth: number }[] = [];
  for (let layer = last[at]; layer >= 0; layer = layerBefore[layer])
    if (layerDepth[layer] < depth[at]) layers.push({ triangle: layerTriangle[layer], depth: layerDepth[layer] });
  layers.sort((a, b) => a.depth - b.depth || a.triangle - b.triangle);
  return layers.map(({ triangle }) => triangle);
}
