import { layerAtLevel, levelsIn } from '@dimetra/eyes/usd-level';
import { unzipSync } from 'fflate';
import { LoadingManager, type Material, type Mesh, type Object3D } from 'three';
import { type LevelFound, surfacesOf, trianglesOf } from './levels.ts';
import { meshesIn } from './soles.ts';

/** The text of the layer that a .usda is, or a .usdz holds first; null where it isn't text. */
function textOf(bytes: Uint8Array, isPacked: boolean): string | null {
  const layer = isPacked ? Object.values(unzipSync(bytes))[0] : bytes,
    text = layer && new TextDecoder().decode(layer);
  return text?.trimStart().startsWith('#usda') ? text : null;
}

/** Each level's text; none where somebody writes them in a way that can't be made out: the nearest is shown all the same. */
function writtenOut(text: string): { n: number; fromM: number; layer: string }[] {
  try {
    return levelsIn(text).map((level) => ({ ...level, layer: layerAtLevel(text, level.n) }));
  } catch {
    return [];
  }
}

/**
 * Levels that lie in one USD as variants, each opened by the library's own loader from the text written out for it, in the
 * materials of the nearest: no map is held twice.
 */
export async function usdLevels(bytes: Uint8Array, isPacked: boolean, nearest: Object3D): Promise<LevelFound[]> {
  const text = textOf(bytes, isPacked),
    layers = text === null ? [] : writtenOut(text);
  if (!layers.length) return [];
  const { USDLoader } = await import('three/addons/loaders/USDLoader.js'),
    worn = new Map<string, Material>();
  for (const mesh of meshesIn(nearest)) for (const material of materialsOf(mesh)) worn.set(material.name, material);
  const silent = new LoadingManager();
  silent.setURLModifier(() => 'data:,');
  return layers.map(({ n, fromM, layer }) => {
    const scene = new USDLoader(silent).parse(new TextEncoder().encode(layer).buffer) as Object3D;
    scene.updateMatrixWorld(true);
    for (const mesh of meshesIn(scene)) {
      const own = materialsOf(mesh).map((material) => worn.get(material.name) ?? material);
      mesh.material = own.length === 1 ? own[0] : own;
    }
    return { n, fromM, surfaces: surfacesOf(scene), triangles: Math.round(trianglesOf(scene)) };
  });
}

const materialsOf = ({ material }: Mesh): Material[] => (Array.isArray(material) ? material : [material]);
