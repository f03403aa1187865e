import { type VRM, VRMLoaderPlugin } from '@pixiv/three-vrm';
import type { GLTF, GLTFLoader, GLTFParser } from 'three/addons/loaders/GLTFLoader.js';
import { meshesOf, placesOf } from './body.ts';

/** What the open loader for VRM finds in a file. */
export interface VrmSeen {
  bones: string[];
  /** Each expression at full weight: how far it moves what is drawn, millimetres. */
  expressions: { name: string; preset: boolean; farthestMm: number }[];
  /** How eyes are turned, where they are. */
  looksBy: 'bone' | 'expression' | null;
  /** The look ahead as the loader understands it: where the eyes are, seen from the head's joint, metres. */
  eyesAt: [number, number, number] | null;
  springs: number;
  authors: string[];
}

/** Lets a loader understand VRM. */
export function understandVrm(loader: GLTFLoader): void {
  loader.register((parser: GLTFParser) => new VRMLoaderPlugin(parser));
}

/** @returns null where the loader found no VRM in the file */
export function vrmSeen(loaded: GLTF): VrmSeen | null {
  const vrm = loaded.userData.vrm as VRM | undefined;
  if (!vrm) return null;
  const { humanoid, expressionManager, lookAt, springBoneManager, meta } = vrm,
    applier = (lookAt?.applier?.constructor as { type?: string } | undefined)?.type;
  return {
    bones: Object.entries(humanoid.rawHumanBones).flatMap(([name, bone]) => (bone?.node ? [name] : [])),
    expressions: (expressionManager?.expressions ?? []).map((expression) => ({
      name: expression.expressionName,
      preset: expressionManager?.presetExpressionMap[expression.expressionName as never] === expression,
      farthestMm: farthestOf(vrm, expression.expressionName),
    })),
    looksBy: applier === 'bone' || applier === 'expression' ? applier : null,
    eyesAt: lookAt ? (lookAt.offsetFromHeadBone.toArray() as [number, number, number]) : null,
    springs: springBoneManager?.joints.size ?? 0,
    authors: meta.metaVersion === '1' ? [...meta.authors] : [],
  };
}

/** How far an expression moves a vertex at most, with the weights that the loader gives its morphs. */
function farthestOf({ scene, expressionManager }: VRM, name: string): number {
  if (!expressionManager) return 0;
  const meshes = meshesOf(scene),
    still = meshes.map(placesOf);
  expressionManager.setValue(name, 1);
  expressionManager.update();
  let far = 0;
  meshes.forEach((mesh, m) => {
    if (!(mesh.morphTargetInfluences ?? []).some(Boolean)) return;
    const at = placesOf(mesh),
      before = still[m];
    for (let i = 0; i < at.length; i += 3)
      far = Math.max(far, Math.hypot(at[i] - before[i], at[i + 1] - before[i + 1], at[i + 2] - before[i + 2]));
  });
  expressionManager.setValue(name, 0);
  expressionManager.update();
  return far * 1000;
}
