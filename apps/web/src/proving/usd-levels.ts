import { layerAtLevel, levelsIn } from '@dimetra/eyes/usd-level';
import { unzipSync } from 'fflate';
import { LoadingManager, type Mesh, type Object3D } from 'three';
import { type LevelFound, nameOf, surfacesOf, trianglesOf } from './levels.ts';
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
    worn = new Map<string, Mesh['material']>();
  for (const mesh of meshesIn(nearest)) worn.set(nameOf(mesh), mesh.material);
  const silent = new LoadingManager();
  silent.setURLModifier(() => 'data:,');
  return layers.map(({ n, fromM, layer }) => {
    const scene = new USDLoader(silent).parse(new TextEncoder().encode(layer).buffer) as Object3D;
    scene.updateMatrixWorld(true);
    // The loader keeps no names of materials: a mesh wears what that wears for which it stands in.
    for (const mesh of meshesIn(scene)) mesh.material = worn.get(standsFor(nameOf(mesh))) ?? mesh.material;
    return { n, fromM, surfaces: surfacesOf(scene), triangles: Math.round(trianglesOf(scene)) };
  });
}

const standsFor = (name: string): string => name.replace(/_lod\d+(_\d+)?$/i, '');
