import { meshesOf, placesOf } from './body.ts';
import { atLevel } from './levels.ts';
import { loadModel } from './loader.ts';
import { type DeliveredFile, openRaw } from './raw.ts';

/**
 * World places of all vertices of a .glb or .gltf at rest as the library we draw with puts them, metres, in the file's order.
 * @param wanted which level of detail, where the file holds several
 */
export async function placesDrawn(
  model: DeliveredFile,
  files: readonly DeliveredFile[],
  { level = 0 }: { level?: number } = {},
): Promise<Float64Array> {
  const asset = openRaw(model, files),
    { scene } = await loadModel(model, asset, atLevel(asset.json, level));
  scene.updateMatrixWorld(true);
  const all = meshesOf(scene).map(placesOf),
    out = new Float64Array(all.reduce((sum, places) => sum + places.length, 0));
  let at = 0;
  for (const places of all) {
    out.set(places, at);
    at += places.length;
  }
  return out;
}
