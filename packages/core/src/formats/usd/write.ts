import type { Document, Material, Texture } from '@gltf-transform/core';
import {
  globalMatrix,
  inverseBindsOf,
  listParts,
  type Part,
  type Skeleton,
  skeletonOf,
} from '../../character/index.ts';
import { compose, invertAffine } from '../../geometry/index.ts';
import { writeAlignedArchive } from '../archive/archive.ts';
import type { InputFile } from '../files.ts';
import { newPrim, type UsdLayer, type UsdPrim, type UsdValue } from './layer.ts';
import { surfaceOf } from './write-surface.ts';
import { meshOf } from './write-mesh.ts';
import { motionOf } from './write-motion.ts';
import { add, set, word } from './write-prims.ts';
import { writeUsdText } from './write-text.ts';

export interface UsdOptions {
  unitMetres: number;
  upAxis: 'Y' | 'Z';
  imagePath(texture: Texture): string /** Frames per second that times are counted in. */;
  rate: number;
  /** Levels of detail behind the nearest, as variants: who doesn't know of them sees the nearest. */
  levels: readonly UsdLevel[];
}

/** A further level: its meshes stand in for all of the nearest's, in the same materials and on the same joints. */
export interface UsdLevel {
  n: number;
  /** Shown from here on, metres. */
  fromM: number;
  document: Document;
}

/** Writes the character as one text layer with its images: meshes, morphs, skeleton, weights, preview surfaces, clips. */
export function writeUsd(document: Document, name: string, options: Partial<UsdOptions> = {}): InputFile[] {
  const imagePath =
    options.imagePath ??
    ((texture: Texture) =>
      `textures/${texture.getName() || 'image'}.${texture.getMimeType() === 'image/jpeg' ? 'jpg' : 'png'}`);
  const layer = usdLayerOf(document, name, { ...options, imagePath });
  return [
    { path: `${name}.usda`, bytes: writeUsdText(layer) },
    ...document
      .getRoot()
      .listTextures()
      .flatMap((texture) => {
        const bytes = texture.getImage();
        return bytes ? [{ path: imagePath(texture), bytes }] : [];
      }),
  ];
}

/** The same, packed as .usdz: stored, each file on a 64-byte boundary, the layer first. */
export const writeUsdz = (document: Document, name: string, options: Partial<UsdOptions> = {}): Uint8Array =>
  writeAlignedArchive(writeUsd(document, name, options));

/** The character as a layer, before it takes a form. */
export function usdLayerOf(document: Document, name: string, options: Partial<UsdOptions> = {}): UsdLayer {
  const {
    unitMetres = 1,
    upAxis = 'Y',
    rate = 30,
    imagePath = (texture: Texture) => texture.getURI() || `${texture.getName()}.png`,
    levels = [],
  } = options;
  const root = newPrim('', 'def'),
    top = word(name);
  const unique = (text: string, taken: Set<string>): string => {
    const base = word(text);
    let out = base;
    for (let n = 2; taken.has(out); n++) out = `${base}_${n}`;
    taken.add(out);
    return out;
  };
  const figure = add(root, newPrim(top, 'def', 'SkelRoot'));
  figure.meta.set('kind', 'component');
  const materials = new Map<Material, string>(),
    takenLooks = new Set<string>(),
    takenParts = new Set(['Materials', 'Skeleton']),
    looks = newPrim('Materials', 'def', 'Scope');
  for (const material of document.getRoot().listMaterials()) {
    const own = unique(material.getName() || 'material', takenLooks);
    materials.set(material, `/${top}/Materials/${own}`);
    add(looks, surfaceOf(material, own, `/${top}/Materials/${own}`, imagePath));
  }
  const skeleton = skeletonOf(document),
    paths = jointPaths(skeleton);
  const parts = listParts(document);
  for (const part of parts)
    add(figure, meshOf(part, unique(part.name, takenParts), `/${top}`, materials, skeleton, paths));
  if (skeleton.joints.length) {
    const prim = add(figure, newPrim('Skeleton', 'def', 'Skeleton'));
    prim.meta.set('apiSchemas', ['SkelBindingAPI']);
    set(prim, 'joints', 'token[]', paths, true);
    set(prim, 'bindTransforms', 'matrix4d[]', bindsOf(skeleton, parts), true);
    set(prim, 'restTransforms', 'matrix4d[]', restOf(skeleton), true);
    for (const [i, clip] of document.getRoot().listAnimations().entries()) {
      const motion = motionOf(clip, unique(clip.getName() || `clip_${i + 1}`, takenParts), skeleton, paths, rate);
      add(figure, motion);
      if (i === 0) prim.relations.set('skel:animationSource', [`/${top}/${motion.name}`]);
    }
  }
  add(figure, looks);
  if (levels.length) {
    const named = new Map([...materials].map(([material, path]) => [material.getName(), path])),
      nearest = [...figure.children.values()].filter(({ type }) => type === 'Mesh').map(({ name: own }) => own);
    figure.selection.set(LEVEL_SET, `${LEVEL_SET}0`);
    figure.variants.set(
      LEVEL_SET,
      new Map([
        [`${LEVEL_SET}0`, newPrim(`${LEVEL_SET}0`)],
        ...levels.map((level): [string, UsdPrim] => [
          `${LEVEL_SET}${level.n}`,
          levelOf(level, nearest, (part) => {
            const wears = part.material && named.get(part.material.getName()),
              own = unique(`${part.name}_lod${level.n}`, takenParts);
            return { own, top: `/${top}`, materials: new Map(part.material && wears ? [[part.material, wears]] : []) };
          }),
        ]),
      ]),
    );
  }
  const meta = new Map<string, UsdValue>([
    ['defaultPrim', top],
    ['metersPerUnit', unitMetres],
    ['upAxis', upAxis],
    ['timeCodesPerSecond', rate],
  ]);
  return { path: `${name}.usda`, meta, subLayers: [], root };
}

/** What the set of levels is called, and with a number behind it each of them. */
export const LEVEL_SET = 'LOD';

/** Another level as a variant: the nearest's meshes are switched off and its own come in. */
function levelOf(
  { n, fromM, document }: UsdLevel,
  nearest: readonly string[],
  place: (part: Part) => { own: string; top: string; materials: ReadonlyMap<Material, string> },
): UsdPrim {
  const variant = newPrim(`${LEVEL_SET}${n}`),
    skeleton = skeletonOf(document),
    paths = jointPaths(skeleton);
  variant.meta.set('customData', new Map<string, UsdValue>([['fromMetres', fromM]]));
  for (const name of nearest) add(variant, newPrim(name)).meta.set('active', false);
  for (const part of listParts(document)) {
    const { own, top, materials } = place(part);
    add(variant, meshOf(part, own, top, materials, skeleton, paths));
  }
  return variant;
}

function jointPaths(skeleton: Skeleton): string[] {
  const out: string[] = [],
    taken = new Set<string>();
  skeleton.joints.forEach((joint, j) => {
    const parent = skeleton.parent[j] >= 0 ? `${out[skeleton.parent[j]]}/` : '';
    let path = parent + word(joint.getName());
    for (let n = 2; taken.has(path); n++) path = `${parent}${word(joint.getName())}_${n}`;
    taken.add(path);
    out.push(path);
  });
  return out;
}

function restOf(skeleton: Skeleton): Float64Array {
  const out = new Float64Array(skeleton.joints.length * 16);
  // A root joint rests where it stands in the scene, whatever nodes are above it.
  skeleton.joints.forEach((joint, j) => {
    if (skeleton.parent[j] >= 0) compose(out, j * 16, joint.getTranslation(), joint.getRotation(), joint.getScale());
    else out.set(globalMatrix(joint), j * 16);
  });
  return out;
}

function bindsOf(skeleton: Skeleton, parts: readonly Part[]): Float64Array {
  const out = new Float64Array(skeleton.joints.length * 16);
  skeleton.joints.forEach((joint, j) => {
    out.set(globalMatrix(joint), j * 16);
    for (const part of parts) {
      const skin = part.node.getSkin(),
        at = skin?.listJoints().indexOf(joint) ?? -1;
      if (skin && at >= 0) {
        invertAffine(out, j * 16, inverseBindsOf(skin), at * 16);
        break;
      }
    }
  });
  return out;
}
