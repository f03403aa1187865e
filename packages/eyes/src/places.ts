import { asReached } from './as-reached.ts';
import { meshesOf, placesOf } from './body.ts';
import { atLevel } from './levels.ts';
import { loadModel } from './loader.ts';
import { type DeliveredFile, openRaw } from './raw.ts';

/**
 * World places of all vertices of a .glb or .gltf at rest as the library we draw with puts them, metres, in the file's order.
 * @param wanted which level of detail, where the file holds several
 */
export async function placesDrawn(
  delivered: DeliveredFile,
  all: readonly DeliveredFile[],
  { level = 0 }: { level?: number } = {},
): Promise<Float64Array> {
  const { model, files } = asReached(delivered, all),
    asset = openRaw(model, files),
    { scene } = await loadModel(model, asset, atLevel(asset.json, level));
  scene.updateMatrixWorld(true);
  const places = meshesOf(scene).map(placesOf),
    out = new Float64Array(places.reduce((sum, { length }) => sum + length, 0));
  let at = 0;
  for (const mesh of places) {
    out.set(mesh, at);
    at += mesh.length;
  }
  return out;
}
