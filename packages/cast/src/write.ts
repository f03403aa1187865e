import { Document, type Texture } from '@gltf-transform/core';
import { KHRMaterialsIOR } from '@gltf-transform/extensions';
import {
  localRotation,
  poseSkeleton,
  RANGE_OF_MOTION,
  roleIndex,
  jointRoles,
  skeletonOf,
  writeInfluences,
} from '@dimetra/core';
import type { Figure, FigurePart } from './figure.ts';
import type { Bitmaps, MaterialSpec } from './textures.ts';

/** Writes a figure as one glTF document: skinned parts, morphs, materials, a range-of-motion clip. */
export function writeFigure(
  figure: Figure,
  images: Bitmaps,
  specs: ReadonlyMap<string, MaterialSpec>,
  name: string,
): Document {
  const document = new Document();
  const root = document.getRoot();
  Object.assign(root.getAsset(), {
    generator: 'Dimetra cast',
    copyright: 'Saltmarsh, made up for the Vell Sund scenario. Free to use with Dimetra.',
  });
  const scene = document.createScene(name);
  root.setDefaultScene(scene);
  const joints = new Map(figure.joints.map((spec) => [spec.name, document.createNode(spec.name)]));
  const at = new Map(figure.joints.map((spec) => [spec.name, spec.at]));
  for (const spec of figure.joints) {
    const node = joints.get(spec.name) as ReturnType<typeof document.createNode>;
    const above = spec.parent ? (at.get(spec.parent) as number[]) : [0, 0, 0];
    node.setTranslation([spec.at[0] - above[0], spec.at[1] - above[1], spec.at[2] - above[2]]);
    if (spec.parent) joints.get(spec.parent)?.addChild(node);
    else scene.addChild(node);
  }
  const skin = document.createSkin('Tessel');
  const binds = new Float32Array(figure.joints.length * 16);
  figure.joints.forEach((spec, i) => {
    skin.addJoint(joints.get(spec.name) as never);
    binds.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, -spec.at[0], -spec.at[1], -spec.at[2], 1], i * 16);
  });
  skin.setInverseBindMatrices(document.createAccessor().setType('MAT4').setArray(binds));
  const materials = createMaterials(document, images, specs);
  for (const part of figure.parts) {
    const node = document
      .createNode(part.name)
      .setMesh(partMesh(document, part, materials))
      .setSkin(skin);
    scene.addChild(node);
  }
  addRangeOfMotion(document);
  document.createBuffer();
  return document;
}

function partMesh(document: Document, part: FigurePart, materials: ReturnType<typeof createMaterials>) {
  const accessor = (type: 'VEC2' | 'VEC3', array: Float32Array) =>
    document
      .createAccessor()
      .setType(type)
      .setArray(array as Float32Array<ArrayBuffer>);
  const { surface } = part;
  const count = surface.origin.length;
  const indices = count < 65_536 ? Uint16Array.from(surface.indices) : surface.indices;
  const prim = document
    .createPrimitive()
    .setMaterial(materials.get(part.material) ?? null)
    .setAttribute('POSITION', accessor('VEC3', surface.positions))
    .setAttribute('NORMAL', accessor('VEC3', surface.normals))
    .setAttribute('TEXCOORD_0', accessor('VEC2', surface.uv))
    .setIndices(
      document
        .createAccessor()
        .setType('SCALAR')
        .setArray(indices as Uint32Array<ArrayBuffer>),
    );
  writeInfluences(document, prim, part.bound);
  const mesh = document
    .createMesh(part.name)
    .addPrimitive(prim)
    .setExtras({ targetNames: [...part.morphs.keys()] });
  for (const [name, delta] of part.morphs) {
    const moved = delta.reduce((sum, d) => sum + (d === 0 ? 0 : 1), 0);
    prim.addTarget(
      document
        .createPrimitiveTarget(name)
        .setAttribute('POSITION', accessor('VEC3', delta).setSparse(moved > 0 && moved < delta.length / 3)),
    );
  }
  return mesh;
}

function createMaterials(document: Document, images: Bitmaps, specs: ReadonlyMap<string, MaterialSpec>) {
  const textures = new Map<string, Texture>();
  const texture = (file: string | undefined): Texture | null => {
    if (!file) return null;
    const image = images.get(file);
    if (!image) throw new Error(`writeFigure: expected image ${file}, received none`);
    if (!textures.has(file))
      textures.set(
        file,
        document
          .createTexture(file.replace(/\.[^.]+$/, ''))
          .setImage(image.bytes as Uint8Array<ArrayBuffer>)
          .setMimeType(image.mimeType)
          .setURI(file),
      );
    return textures.get(file) as Texture;
  };
  const ior = document.createExtension(KHRMaterialsIOR);
  return new Map(
    [...specs].map(([name, row]) => {
      const material = document
        .createMaterial(name)
        .setMetallicFactor(0)
        .setRoughnessFactor(row.surface ? 1 : (row.roughness ?? 1))
        .setBaseColorFactor(row.factor ?? [1, 1, 1, 1])
        .setAlphaMode(row.alpha ?? 'OPAQUE')
        .setBaseColorTexture(texture(row.color))
        .setNormalTexture(texture(row.normal))
        .setMetallicRoughnessTexture(texture(row.surface))
        .setOcclusionTexture(texture(row.surface));
      if (row.index) material.setExtension('KHR_materials_ior', ior.createIOR().setIOR(row.index));
      return [name, material] as const;
    }),
  );
}

/** The range-of-motion set as a clip, a second from pose to pose, with rest between. */
function addRangeOfMotion(document: Document): void {
  const skeleton = skeletonOf(document);
  const roles = roleIndex(jointRoles(document, skeleton));
  const times = Float32Array.from({ length: RANGE_OF_MOTION.length * 2 + 1 }, (_, i) => i * 0.6);
  const frames = Array.from(times, (_, i) =>
    poseSkeleton(skeleton, roles, RANGE_OF_MOTION[Math.min(RANGE_OF_MOTION.length - 1, Math.floor(i / 2))], i % 2),
  );
  const clip = document.createAnimation('Range of motion');
  const input = document.createAccessor().setType('SCALAR').setArray(times);
  skeleton.joints.forEach((joint, j) => {
    const values = new Float32Array(times.length * 4);
    const identity = new Float64Array(16);
    for (let k = 0; k < 16; k += 5) identity[k] = 1;
    let moves = false;
    frames.forEach((posed, f) => {
      const parent = skeleton.parent[j];
      const q = localRotation(
        parent >= 0 ? posed.slice(parent * 16, parent * 16 + 16) : identity,
        posed.slice(j * 16, j * 16 + 16),
      );
      const sign =
        f > 0 &&
        q[0] * values[f * 4 - 4] + q[1] * values[f * 4 - 3] + q[2] * values[f * 4 - 2] + q[3] * values[f * 4 - 1] < 0
          ? -1
          : 1;
      values.set(
        q.map((c) => c * sign),
        f * 4,
      );
      if (Math.abs(q[3]) < 0.99999) moves = true;
    });
    if (!moves) return;
    const sampler = document
      .createAnimationSampler()
      .setInput(input)
      .setOutput(document.createAccessor().setType('VEC4').setArray(values))
      .setInterpolation('LINEAR');
    clip
      .addSampler(sampler)
      .addChannel(document.createAnimationChannel().setTargetNode(joint).setTargetPath('rotation').setSampler(sampler));
  });
}
