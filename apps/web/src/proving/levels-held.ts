import type { Mesh, Object3D } from 'three';
import type { GLTF } from 'three/addons/loaders/GLTFLoader.js';
import { type LevelFound, mark, nameOf, trianglesOf } from './levels.ts';

interface WrittenNode {
  extensions?: { MSFT_lod?: { ids?: unknown } };
  extras?: { MSFT_screencoverage?: unknown };
}
const numbers = (value: unknown): number[] =>
  Array.isArray(value) ? value.filter((one): one is number => typeof one === 'number') : [];

/** Half the angle that a viewer's picture shows from top to bottom: 50°. And how tall a figure is thought to be, metres. */
const HALF_ANGLE = (25 * Math.PI) / 180,
  USUAL_M = 1.75;
/** Where a level begins that covers less than this share of the height. */
const farAs = (share: number | undefined, n: number): number =>
  share && share > 0 ? USUAL_M / (2 * share * Math.tan(HALF_ANGLE)) : 4 * n;

/** Levels that lie in one glTF (MSFT_lod), as the library's own parser builds their nodes. */
export async function levelsHeld({ parser, scene }: GLTF): Promise<LevelFound[]> {
  const nodes = (parser.json.nodes ?? []) as WrittenNode[],
    levels = new Map<number, LevelFound>(),
    objects = new Map<number, Object3D>();
  scene.traverse((object) => {
    const index = parser.associations.get(object)?.nodes;
    if (index !== undefined && !objects.has(index)) objects.set(index, object);
  });
  for (const [index, object] of objects) {
    const { extensions, extras } = nodes[index] ?? {},
      ids = numbers(extensions?.MSFT_lod?.ids).filter((id) => nodes[id] && !objects.has(id)),
      shares = numbers(extras?.MSFT_screencoverage);
    // What has no level of its own is shown at all of them.
    if (ids.length) for (const mesh of ownMeshes(object)) mark(mesh, 0);
    for (const [i, id] of ids.entries()) {
      const standIn = (await parser.getDependency('node', id)) as Object3D,
        known = levels.get(i + 1) ?? { n: i + 1, fromM: farAs(shares[i], i + 1), surfaces: [], triangles: 0 };
      known.surfaces.push({ object: standIn, under: object.parent ? nameOf(object.parent) : '' });
      known.triangles += Math.round(trianglesOf(standIn));
      levels.set(i + 1, known);
    }
  }
  return [...levels.values()].sort((a, b) => a.n - b.n);

  /** Surfaces of a node itself: the library makes of several a group. */
  function ownMeshes(object: Object3D): Mesh[] {
    return [object, ...object.children].filter(
      (one): one is Mesh =>
        (one as Mesh).isMesh && (one === object || parser.associations.get(one)?.nodes === undefined),
    );
  }
}
