import type { Document, Material, Texture } from '@gltf-transform/core';
import {
  floatsOf,
  globalMatrix,
  influencesOf,
  inverseBindsOf,
  listParts,
  morphNamesOf,
  type Part,
  skeletonOf,
  trianglesOf,
} from '../../character/index.ts';
import { compose, emptyBounds, growBounds, invertAffine } from '../../geometry/index.ts';
import { writeAlignedArchive } from '../archive/archive.ts';
import type { InputFile } from '../files.ts';
import { newAttribute, newPrim, type UsdLayer, type UsdPrim, type UsdValue } from './layer.ts';
import { surfaceOf } from './write-surface.ts';
import { add, called, set, word } from './write-prims.ts';
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

type Skeleton = ReturnType<typeof skeletonOf>;
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

function meshOf(
  part: Part,
  name: string,
  top: string,
  materials: ReadonlyMap<Material, string>,
  skeleton: Skeleton,
  paths: readonly string[],
): UsdPrim {
  const prim = called(newPrim(name, 'def', 'Mesh'), part.name),
    triangles = trianglesOf(part.prim),
    varying: [string, UsdValue][] = [['interpolation', 'vertex']];
  prim.meta.set('apiSchemas', ['MaterialBindingAPI', 'SkelBindingAPI']);
  const floats = (semantic: string) => {
    const accessor = part.prim.getAttribute(semantic);
    return accessor ? Float32Array.from(floatsOf(accessor)) : null;
  };
  const points = floats('POSITION') ?? new Float32Array(0),
    { min, max } = growBounds(emptyBounds(), points);
  set(prim, 'points', 'point3f[]', points);
  if (points.length) set(prim, 'extent', 'float3[]', Float32Array.of(...min, ...max));
  set(prim, 'faceVertexCounts', 'int[]', new Int32Array(triangles.length / 3).fill(3));
  set(prim, 'faceVertexIndices', 'int[]', Int32Array.from(triangles));
  set(prim, 'subdivisionScheme', 'token', 'none', true);
  if (part.material?.getDoubleSided()) set(prim, 'doubleSided', 'bool', true, true);
  const normal = floats('NORMAL');
  if (normal) set(prim, 'normals', 'normal3f[]', normal, false, varying);
  for (let i = 0; ; i++) {
    const uv = floats(`TEXCOORD_${i}`);
    if (!uv) break;
    for (let k = 1; k < uv.length; k += 2) uv[k] = 1 - uv[k];
    set(prim, i ? `primvars:st${i}` : 'primvars:st', 'texCoord2f[]', uv, false, varying);
  }
  const wears = part.material && materials.get(part.material);
  if (wears) prim.relations.set('material:binding', [wears]);
  const skin = part.node.getSkin(),
    influences = skin ? influencesOf(part.prim) : null;
  if (skin && influences) {
    const joints = skin.listJoints().map((joint) => skeleton.joints.indexOf(joint));
    const width: [string, UsdValue][] = [
      ['elementSize', influences.perVertex],
      ['interpolation', 'vertex'],
    ];
    set(
      prim,
      'primvars:skel:jointIndices',
      'int[]',
      Int32Array.from(influences.joints, (j) => Math.max(0, joints[j])),
      false,
      width,
    );
    set(prim, 'primvars:skel:jointWeights', 'float[]', Float32Array.from(influences.weights), false, width);
    set(prim, 'skel:joints', 'token[]', [...paths], true);
    prim.relations.set('skel:skeleton', [`${top}/Skeleton`]);
  } else {
    const matrix = globalMatrix(part.node);
    set(prim, 'xformOp:transform', 'matrix4d', Float64Array.from(matrix));
    set(prim, 'xformOpOrder', 'token[]', ['xformOp:transform'], true);
  }
  shapes(prim, part, `${top}/${name}`);
  return prim;
}

function shapes(prim: UsdPrim, part: Part, path: string): void {
  const names: string[] = [],
    targets: string[] = [];
  part.prim.listTargets().forEach((target, i) => {
    const delta = target.getAttribute('POSITION');
    if (!delta) return;
    const values = floatsOf(delta),
      normals = target.getAttribute('NORMAL'),
      turned = normals ? floatsOf(normals) : null,
      moved: number[] = [];
    for (let v = 0; v < values.length / 3; v++)
      if ([0, 1, 2].some((c) => values[v * 3 + c] !== 0 || (turned && turned[v * 3 + c] !== 0))) moved.push(v);
    let own = word(part.morphNames[i]);
    for (let n = 2; prim.children.has(own); n++) own = `${word(part.morphNames[i])}_${n}`;
    const shape = add(prim, newPrim(own, 'def', 'BlendShape'));
    const pick = (from: ArrayLike<number>) =>
      Float32Array.from(moved.flatMap((v) => [from[v * 3], from[v * 3 + 1], from[v * 3 + 2]]));
    set(shape, 'offsets', 'vector3f[]', pick(values), true);
    if (turned) set(shape, 'normalOffsets', 'vector3f[]', pick(turned), true);
    set(shape, 'pointIndices', 'int[]', Int32Array.from(moved), true);
    names.push(part.morphNames[i]);
    targets.push(`${path}/${own}`);
  });
  if (!names.length) return;
  set(prim, 'skel:blendShapes', 'token[]', names, true);
  prim.relations.set('skel:blendShapeTargets', targets);
}

function motionOf(clip: Clip, name: string, skeleton: Skeleton, paths: readonly string[], rate: number): UsdPrim {
  const prim = called(newPrim(name, 'def', 'SkelAnimation'), clip.getName()),
    all = new Set<number>();
  const channels = clip.listChannels().filter((channel) => skeleton.joints.includes(channel.getTargetNode() as never));
  for (const channel of channels)
    for (const time of floatsOf(channel.getSampler()?.getInput() as never))
      all.add(Math.round(time * rate * 1e4) / 1e4);
  const times = [...all].sort((a, b) => a - b);
  set(prim, 'joints', 'token[]', [...paths], true);
  for (const [property, target, width, type] of [
    ['translations', 'translation', 3, 'float3'],
    ['rotations', 'rotation', 4, 'quatf'],
    ['scales', 'scale', 3, 'half3'],
  ] as const) {
    const attribute = newAttribute(type, true);
    const of = new Map(
      channels
        .filter((channel) => channel.getTargetPath() === target)
        .map((channel) => [skeleton.joints.indexOf(channel.getTargetNode() as never), channel.getSampler()]),
    );
    attribute.samples = {
      times,
      values: times.map((time) => {
        const out = new Float32Array(skeleton.joints.length * width);
        skeleton.joints.forEach((joint, j) => {
          const sampler = of.get(j);
          out.set(
            sampler
              ? at(floatsOf(sampler.getInput() as never), floatsOf(sampler.getOutput() as never), width, time / rate)
              : target === 'translation'
                ? joint.getTranslation()
                : target === 'rotation'
                  ? joint.getRotation()
                  : joint.getScale(),
            j * width,
          );
        });
        return out;
      }),
    };
    prim.attributes.set(property, attribute);
  }
  weightsOf(prim, clip, rate);
  return prim;
}

/** Weights of morphs that a clip plays, by their names; a mesh's own weights where several meshes have one. */
function weightsOf(prim: UsdPrim, clip: Clip, rate: number): void {
  const all = new Set<number>(),
    played = new Map<string, (time: number) => number>();
  for (const channel of clip.listChannels()) {
    const mesh = channel.getTargetPath() === 'weights' && channel.getTargetNode()?.getMesh(),
      sampler = channel.getSampler(),
      [input, output] = [sampler?.getInput(), sampler?.getOutput()];
    if (!mesh || !input || !output) continue;
    const names = morphNamesOf(mesh),
      times = floatsOf(input),
      values = floatsOf(output);
    for (const time of times) all.add(Math.round(time * rate * 1e4) / 1e4);
    names.forEach((name, n) => {
      if (!played.has(name)) played.set(name, (time) => at(times, values, names.length, time)[n]);
    });
  }
  if (!played.size) return;
  const times = [...all].sort((a, b) => a - b),
    attribute = newAttribute('float', true);
  attribute.samples = {
    times,
    values: times.map((time) => Float32Array.from(played.values(), (weight) => weight(time / rate))),
  };
  set(prim, 'blendShapes', 'token[]', [...played.keys()], true);
  prim.attributes.set('blendShapeWeights', attribute);
}
type Clip = ReturnType<ReturnType<Document['getRoot']>['listAnimations']>[number];

/** Linear between keys. */
function at(times: ArrayLike<number>, values: ArrayLike<number>, width: number, time: number): number[] {
  let k = 0;
  while (k + 1 < times.length - 1 && times[k + 1] <= time) k++;
  const next = Math.min(times.length - 1, k + 1),
    t = next === k ? 0 : Math.max(0, Math.min(1, (time - times[k]) / (times[next] - times[k])));
  const out = Array.from({ length: width }, (_, c) => values[k * width + c] * (1 - t) + values[next * width + c] * t);
  const l = width === 4 ? Math.hypot(...out) : 1;
  return out.map((x) => x / (l || 1));
}
