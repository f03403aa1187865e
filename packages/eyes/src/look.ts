import type { Object3D } from 'three';
import type { GLTF } from 'three/addons/loaders/GLTFLoader.js';
import { asReached } from './as-reached.ts';
import { extentOf, jointsOutside, morphsOf } from './body.ts';
import { lookAtBvh } from './bvh.ts';
import { clipsBound } from './clips.ts';
import { codedBuffers, codedViews, notFiniteDecoded } from './coded.ts';
import { openImages, packedShown } from './images.ts';
import { loadModel } from './loader.ts';
import {
  listOf,
  notFiniteIn,
  notFinitePaths,
  numbersOf,
  openRaw,
  type DeliveredFile,
  type Json,
  type RawAsset,
} from './raw.ts';
import { lookAtDae } from './dae.ts';
import { atLevel, standIns } from './levels.ts';
import { lookAtObj } from './obj.ts';
import { nothingSeen, type Seen } from './seen.ts';
import { lookAtUsd } from './usd.ts';
import { validate } from './validate.ts';
import { vrmSeen } from './vrm.ts';

/**
 * Sees a delivered model: `.glb`, `.vrm`, `.usdz`, `.bvh`, or `.gltf`, `.usda`, `.dae` or `.obj` with its files. Imports no reader of ours.
 * @param wanted which level of detail, where a glTF holds several
 */
export async function look(
  delivered: DeliveredFile,
  all: readonly DeliveredFile[],
  { level = 0 }: { level?: number } = {},
): Promise<Seen> {
  const { model, files } = asReached(delivered, all);
  if (/\.usd[az]$/i.test(model.path)) return lookAtUsd(model, files, level);
  if (/\.bvh$/i.test(model.path)) return lookAtBvh(model);
  if (/\.obj$/i.test(model.path)) return lookAtObj(model, files);
  if (/\.dae$/i.test(model.path)) return lookAtDae(model, files);
  const empty = nothingSeen();
  const validator = await validate(model, files);
  let asset: RawAsset;
  try {
    asset = openRaw(model, files);
  } catch (error) {
    return { ...empty, validator, refused: (error as Error).message };
  }
  const images = await openImages(asset),
    packed = packedShown(asset),
    notFinite = notFiniteNumbers(asset);
  const json = atLevel(asset.json, level);
  let loaded: GLTF;
  try {
    loaded = await loadModel(model, asset, json);
  } catch (error) {
    return { ...empty, validator, images, packed, notFinite, refused: (error as Error).message };
  }
  const scene: Object3D | undefined = loaded.scene;
  if (!scene)
    return { ...empty, validator, images, packed, notFinite, refused: 'it holds no scene that could be shown' };
  const extent = extentOf(scene);
  return {
    validator,
    images,
    packed,
    coded: { views: codedViews(asset.json), buffers: codedBuffers(asset.json) },
    standIns: standIns(asset.json).size,
    notFinite: [...notFinite, ...notFiniteDecoded(asset.json, scene)],
    joints: withRaw(jointsOutside(scene), json),
    hidden: hiddenMeshes(asset.json),
    clips: clipsBound(scene, loaded.animations, json),
    sizeMm: extent && ([0, 1, 2].map((k) => (extent.high[k] - extent.low[k]) * 1000) as [number, number, number]),
    morphs: morphsOf(scene),
    ...(/\.vrm$/i.test(model.path) && { vrm: vrmSeen(loaded) }),
  };
}

function notFiniteNumbers(asset: RawAsset): Seen['notFinite'] {
  const out = notFinitePaths(asset.json).map((where) => ({ where, count: 1 }));
  listOf(asset.json.accessors).forEach((accessor, i) => {
    const count = notFiniteIn(asset, accessor);
    if (count) out.push({ where: `/accessors/${i}`, count });
  });
  return out;
}

/** Nodes below the roots of the scene that is shown. */
function shownNodes(json: Json): Set<number> {
  const nodes = listOf(json.nodes),
    scene = listOf(json.scenes)[typeof json.scene === 'number' ? json.scene : 0];
  const shown = new Set<number>(),
    stack = numbersOf(scene?.nodes);
  while (stack.length) {
    const at = stack.pop() as number;
    if (shown.has(at) || !nodes[at]) continue;
    shown.add(at);
    stack.push(...numbersOf(nodes[at].children));
  }
  return shown;
}
const titleOf = (json: Json, node: number): string => String(listOf(json.nodes)[node]?.name ?? `node ${node}`);

/** A skin that no mesh shown uses has joints too. */
function withRaw(found: Seen['joints'], json: Json): Seen['joints'] {
  const shown = shownNodes(json),
    all = new Set(listOf(json.skins).flatMap((skin) => numbersOf(skin.joints)));
  const outside = new Set([
    ...found.outside,
    ...[...all].filter((joint) => !shown.has(joint)).map((joint) => titleOf(json, joint)),
  ]);
  return { joints: Math.max(found.joints, all.size), outside: [...outside] };
}

function hiddenMeshes(json: Json): string[] {
  const shown = shownNodes(json),
    further = standIns(json);
  return listOf(json.nodes).flatMap((node, i) =>
    typeof node.mesh === 'number' && !shown.has(i) && !further.has(i) ? [titleOf(json, i)] : [],
  );
}
