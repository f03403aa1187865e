import type { HumanoidRole } from '@dimetra/core';
import { type Box3, type Material, type MeshStandardMaterial, type Object3D, type Texture, Vector3 } from 'three';
import type { Cost, Facts } from './faults.ts';
import type { Loaded } from './load-model.ts';
import { type Motion, unboundIn } from './motions.ts';
import type { Puppet } from './skeleton.ts';
import { meshesIn } from './soles.ts';

export interface Seen {
  loaded: Loaded;
  /** At rest, before anything was played: its corners, and where its front looks. */
  extent: Box3;
  ahead: number | null;
  puppet: Puppet | null;
  motions: readonly Motion[];
}

/** What another loader made of the package, told for {@link faultsOf}. */
export function factsOf({ loaded, extent, ahead, puppet, motions }: Seen): Facts {
  const { scene, clips, missing } = loaded;
  return {
    sizeM: extent.isEmpty() ? [0, 0, 0] : extent.getSize(new Vector3()).toArray(),
    lowestM: extent.isEmpty() ? 0 : extent.min.y,
    ahead,
    joints: puppet?.bones.length ?? 0,
    roles: [...(puppet?.roles.keys() ?? [])],
    clips: clips.map((clip) => ({ name: clip.name, unbound: unboundIn(clip, scene).length })),
    morphs: morphsIn(scene),
    materials: materialsIn(scene).map((material) => ({ name: material.name, maps: mapsOf(material) })),
    shows: loaded.shows,
    levels: loaded.levels.map(({ n, fromM, triangles }) => ({ n, fromM, triangles })),
    missingFiles: missing,
    soles: motions.flatMap(({ own, clip, lowest }) =>
      own && lowest !== null ? [{ motion: clip.name, lowestM: lowest }] : [],
    ),
    cost: costOf(scene),
  };
}

/** Where the front is, as it stands now: across the hips or shoulders, and up. 1 straight ahead, −1 backwards. */
export function aheadOf({ bones, roles }: Puppet): number | null {
  const place = (role: HumanoidRole): Vector3 | null => {
    const joint = roles.get(role);
    return joint === undefined ? null : new Vector3().setFromMatrixPosition(bones[joint].matrixWorld);
  };
  for (const name of ['UpperLeg', 'UpperArm'] as const) {
    const left = place(`left${name}`),
      right = place(`right${name}`);
    if (!left || !right) continue;
    const across = left.sub(right);
    across.y = 0;
    if (across.length() < 1e-4) continue;
    // Left is at +X where the front is at +Z.
    return across.normalize().x;
  }
  return null;
}

export const materialsIn = (root: Object3D): Material[] => [
  ...new Set(meshesIn(root).flatMap((mesh) => (Array.isArray(mesh.material) ? mesh.material : [mesh.material]))),
];

/** Slots as our report calls them, and what this library does. */
const SLOTS = { baseColor: 'map', normal: 'normalMap', emissive: 'emissiveMap', occlusion: 'aoMap' } as const;

function mapsOf(material: Material): Facts['materials'][number]['maps'] {
  const own = material as unknown as Record<string, Texture | null | undefined>;
  return Object.entries(SLOTS).flatMap(([slot, key]) => {
    const image = own[key]?.image as { width?: number; height?: number } | null | undefined;
    return own[key] ? [{ slot, width: image?.width ?? 0, height: image?.height ?? 0 }] : [];
  });
}

export function morphsIn(root: Object3D): string[] {
  const names = new Set<string>();
  for (const { morphTargetDictionary } of meshesIn(root))
    for (const name of Object.keys(morphTargetDictionary ?? {})) names.add(name);
  return [...names];
}

/** What a figure asks of a machine: as many draws as it has surfaces with a material, every map with its mip levels. */
export function costOf(root: Object3D): Cost {
  const maps = new Set<Texture>();
  let triangles = 0,
    drawCalls = 0;
  for (const mesh of meshesIn(root)) {
    const { geometry } = mesh,
      corners = geometry.index?.count ?? geometry.attributes.position?.count ?? 0;
    triangles += corners / 3;
    drawCalls += Array.isArray(mesh.material) ? Math.max(1, geometry.groups.length) : 1;
  }
  const materials = materialsIn(root);
  for (const material of materials)
    for (const value of Object.values(material as MeshStandardMaterial))
      if ((value as Texture | null)?.isTexture) maps.add(value as Texture);
  // One image may be shown by several textures.
  const images = new Map([...maps].map((map) => [map.source?.uuid ?? map.uuid, map]));
  return {
    triangles: Math.round(triangles),
    materials: materials.length,
    drawCalls,
    textureMB: [...images.values()].reduce((sum, map) => sum + bytesOf(map), 0) / 1048576,
  };
}

function bytesOf(map: Texture): number {
  const levels = (map as { mipmaps?: { data?: ArrayBufferView }[] }).mipmaps ?? [];
  // What is packed for graphics processors stays so in memory.
  if ((map as { isCompressedTexture?: boolean }).isCompressedTexture)
    return levels.reduce((sum, level) => sum + (level.data?.byteLength ?? 0), 0);
  const { width = 0, height = 0 } = (map.image ?? {}) as { width?: number; height?: number };
  return (width * height * 4 * 4) / 3;
}
