import type { Material, Texture } from '@gltf-transform/core';
import { type Deformer, mapsOf } from '../character/index.ts';
import { textureState } from '../pixels/index.ts';
import { Footing } from './footing.ts';
import { uvSets } from './from-document.ts';
import { PLAIN, slotOf } from './material.ts';
import { levelFor } from './mips.ts';
import { Raster } from './raster.ts';
import { middlesOf, type Scene, type SceneMaterial, type Slot } from './scene.ts';
import { cameraOf, standardViews } from './views.ts';

/** Pixels along a view, as the proof of appearance has them. */
const SIZE = 384;
/** Levels that are told apart: 32,768 texels to a side down to one. */
const LEVELS = 16;

interface Use {
  slot: Slot;
  counts: Float64Array;
}

/** Pixels for which what no view shows counts all the same, and the level they ask for: what moves may show it. */
const UNSHOWN = { pixels: 300, level: 2 };

/** A figure's joints, as far as views ask for them. */
export interface Posing {
  /** Position of the joint that plays a role, at rest. */
  joint(role: string): [number, number, number] | null;
  /** Joint matrices of a pose; null where the figure can't take it. */
  posed(name: string): Float64Array | null;
}

/**
 * How finely a viewer sees each map: pixels of all standard views, by the mip level that they ask for, 0 being the map as
 * it is. Of what lies over one another on a pixel each gets its share.
 * @param nearestM how near the viewer comes, metres
 */
export function levelsSeen(deformer: Deformer, { joint, posed }: Posing, nearestM: number): Map<Texture, Float64Array> {
  const out = new Map<Texture, Float64Array>(),
    { ranges, indices, vertices } = deformer;
  if (!vertices) return out;
  const places = new Map<Material | null, number>(),
    uses: Use[][] = [],
    materials: SceneMaterial[] = [],
    partOf = new Uint16Array(indices.length / 3);
  const parts = ranges.map(({ part, ...range }, id) => {
    let material = places.get(part.material);
    if (material === undefined) {
      uses.push(part.material ? usesOf(part.material, out) : []);
      material = materials.push(drawnAs(part.material, uses[uses.length - 1])) - 1;
      places.set(part.material, material);
    }
    partOf.fill(id, range.firstTriangle, range.firstTriangle + range.triangles);
    return { name: part.name, role: part.role, material, ...range };
  });
  const scene: Scene = {
    vertices,
    position: deformer.evaluate(new Float32Array(vertices * 3)),
    normal: new Float32Array(0),
    uv: uvSets(deformer, materials),
    color: null,
    index: indices,
    partOf,
    parts,
    materials,
  };
  const raster = new Raster(SIZE),
    middles = middlesOf(scene);
  for (const view of standardViews(scene, joint, nearestM)) {
    // Lids that close show no map finer than open ones do.
    if (view.shut) continue;
    const pose = view.pose === undefined ? undefined : posed(view.pose);
    if (pose === null) continue;
    if (pose) deformer.evaluate(scene.position, {}, pose);
    raster.draw(scene, cameraOf(view), middles);
    count(scene, raster, uses);
    if (pose) deformer.evaluate(scene.position);
  }
  for (const counts of out.values())
    if (counts.reduce((sum, n) => sum + n, 0) < UNSHOWN.pixels) counts[UNSHOWN.level] += UNSHOWN.pixels;
  return out;
}

function usesOf(material: Material, out: Map<Texture, Float64Array>): Use[] {
  return mapsOf(material).flatMap(({ texture, info }) => {
    const { width, height } = textureState(texture);
    if (!info || !width || !height) return [];
    const counts = out.get(texture) ?? new Float64Array(LEVELS);
    out.set(texture, counts);
    return [{ slot: slotOf([{ width, height, data: new Uint8Array(0) }], info), counts }];
  });
}

const drawnAs = (material: Material | null, uses: readonly Use[]): SceneMaterial => ({
  ...PLAIN,
  mode: material?.getAlphaMode() ?? 'OPAQUE',
  doubleSided: material?.getDoubleSided() ?? false,
  solid: (material?.getAlphaMode() ?? 'OPAQUE') === 'OPAQUE',
  sets: uses.reduce((sets, { slot }) => sets | (1 << slot.set), 0),
});

function count(scene: Scene, raster: Raster, uses: readonly (readonly Use[])[]): void {
  const { size, solid, last, depth, layerBefore, layerDepth, layerTriangle } = raster,
    footing = new Footing(scene, raster.clipped, size);
  const look = (triangle: number, x: number, y: number, share: number) => {
    const { material } = scene.parts[scene.partOf[triangle]],
      { sets } = scene.materials[material];
    if (!sets) return;
    footing.stand(triangle, x, y, sets);
    for (const { slot, counts } of uses[material]) counts[levelFor(counts, footing.footprint(slot))] += share;
  };
  for (let y = 0, at = 0; y < size; y++)
    for (let x = 0; x < size; x++, at++) {
      let layers = solid[at] < 0 ? 0 : 1;
      for (let layer = last[at]; layer >= 0; layer = layerBefore[layer]) if (layerDepth[layer] < depth[at]) layers++;
      if (!layers) continue;
      if (solid[at] >= 0) look(solid[at], x, y, 1 / layers);
      for (let layer = last[at]; layer >= 0; layer = layerBefore[layer])
        if (layerDepth[layer] < depth[at]) look(layerTriangle[layer], x, y, 1 / layers);
    }
}
