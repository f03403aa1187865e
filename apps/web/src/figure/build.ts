import {
  copyDocument,
  createDeformer,
  floatsOf,
  influencesOf,
  isSeenThrough,
  jointRoles,
  listParts,
  mapsOf,
  ownOf,
  playableClips,
  readDossier,
  roleIndex,
  skeletonOf,
  takeHome,
  trianglesOf,
  vertexNormals,
  type Part,
  type PlayableClip,
  type Skeleton,
  type HumanoidRole,
} from '@dimetra/core';
import * as THREE from 'three';
import { addBeyondGltf } from './beyond-gltf.ts';
import { Dials } from './dials.ts';
import type { LoadedFigure } from './load.ts';
import { FigureTextures } from './textures.ts';

/** One part on the stage. */
export interface StagePart {
  part: Part;
  mesh: THREE.Mesh;
  /** The part's own material, kept while another look is on. */
  own: THREE.MeshPhysicalMaterial;
  dials: Dials;
}
/** A character on the stage. */
export interface StageFigure {
  group: THREE.Group;
  parts: StagePart[];
  skeleton: Skeleton;
  roles: Map<HumanoidRole, number>;
  /** What a conversion called the source's joints. */
  renamed: Record<string, string> | undefined;
  bones: THREE.Bone[];
  /** The skeleton in the pose the character came in, where its rest pose was changed. */
  home: Skeleton | null;
  /** Made when first asked for. */
  clips(): PlayableClip[];
  bounds: THREE.Box3;
  /** Settles when every map has arrived or failed. */
  ready: Promise<unknown>;
  dispose(): void;
}

/** Builds three.js objects for a document. Four strongest influences are shown; steps and measures use all. */
export function buildFigure(figure: LoadedFigure, onImage: () => void): StageFigure {
  const { document } = figure;
  const skeleton = skeletonOf(document);
  const roles = roleIndex(jointRoles(document, skeleton));
  const group = new THREE.Group();
  const bones = skeleton.joints.map(() => new THREE.Bone());
  bones.forEach((bone, i) => {
    bone.matrixAutoUpdate = false;
    bone.matrixWorld.fromArray(skeleton.global, i * 16);
  });
  const textures = new FigureTextures(figure, onImage);
  const materials = new Map<unknown, THREE.MeshPhysicalMaterial>();
  const parts: StagePart[] = [];
  for (const part of listParts(document)) {
    if (!part.prim.getAttribute('POSITION') || !part.triangles) continue;
    let own = materials.get(part.material);
    if (!own) {
      own = ownMaterial(part, textures);
      materials.set(part.material, own);
    }
    const { mesh, dials } = partMesh(part, own, skeleton, bones);
    mesh.name = part.id;
    mesh.renderOrder = own.transparent ? 2 : 0;
    group.add(mesh);
    parts.push({ part, mesh, own, dials });
  }
  const deformer = createDeformer(document);
  const positions = deformer.evaluate(new Float32Array(deformer.vertices * 3));
  const bounds = new THREE.Box3().setFromArray(positions as unknown as number[]);
  let clips: PlayableClip[] | null = null;
  return {
    group,
    parts,
    skeleton,
    roles,
    renamed: readDossier(document).renamedJoints,
    bones,
    bounds,
    home: homeOf(document, skeleton),
    clips: () => (clips ??= playableClips(document)),
    ready: Promise.all(textures.loads),
    dispose() {
      for (const { mesh } of parts) {
        mesh.geometry.dispose();
        // Its joints' matrices lie in a texture of their own.
        if (mesh instanceof THREE.SkinnedMesh) mesh.skeleton.dispose();
      }
      for (const material of materials.values()) material.dispose();
      textures.dispose();
    },
  };
}

function homeOf(document: LoadedFigure['document'], skeleton: Skeleton): Skeleton | null {
  const copy = copyDocument(document);
  return takeHome(copy) ? { ...skeleton, global: skeletonOf(copy).global } : null;
}

function partMesh(
  part: Part,
  material: THREE.Material,
  skeleton: Skeleton,
  bones: THREE.Bone[],
): Pick<StagePart, 'mesh' | 'dials'> {
  const { prim } = part;
  const geometry = new THREE.BufferGeometry();
  const positions = floatsOf(prim.getAttribute('POSITION') as never);
  const indices = trianglesOf(prim);
  const shown = new THREE.BufferAttribute(positions.slice(), 3);
  geometry.setAttribute('position', shown);
  const normal = prim.getAttribute('NORMAL');
  geometry.setAttribute(
    'normal',
    new THREE.BufferAttribute(normal ? floatsOf(normal) : vertexNormals(positions, indices), 3),
  );
  for (const [set, name] of [
    [0, 'uv'],
    [1, 'uv1'],
  ] as const) {
    const uv = prim.getAttribute(`TEXCOORD_${set}`);
    if (uv) geometry.setAttribute(name, new THREE.BufferAttribute(floatsOf(uv), 2));
  }
  geometry.setIndex(new THREE.BufferAttribute(indices, 1));
  return {
    mesh: skinnedMesh(part, geometry, material, skeleton, bones),
    dials: new Dials(part, positions, shown),
  };
}

function skinnedMesh(
  part: Part,
  geometry: THREE.BufferGeometry,
  material: THREE.Material,
  skeleton: Skeleton,
  bones: THREE.Bone[],
): THREE.Mesh {
  const skin = part.node.getSkin();
  const influences = skin && influencesOf(part.prim);
  if (!skin || !influences) {
    const mesh = new THREE.Mesh(geometry, material);
    mesh.matrixAutoUpdate = false;
    mesh.matrix.fromArray(part.node.getWorldMatrix());
    return mesh;
  }
  strongestFour(geometry, influences.joints, influences.weights, influences.perVertex);
  const mesh = new THREE.SkinnedMesh(geometry, material);
  const binds = skin.getInverseBindMatrices()?.getArray();
  const joints = skin.listJoints();
  const inverses = joints.map((_, i) =>
    binds ? new THREE.Matrix4().fromArray(binds as unknown as number[], i * 16) : new THREE.Matrix4(),
  );
  mesh.bind(
    new THREE.Skeleton(
      joints.map((joint) => bones[skeleton.index.get(joint) ?? 0]),
      inverses,
    ),
    new THREE.Matrix4(),
  );
  mesh.frustumCulled = false;
  return mesh;
}

function strongestFour(
  geometry: THREE.BufferGeometry,
  joints: Uint16Array,
  weights: Float32Array,
  perVertex: number,
): void {
  const count = joints.length / perVertex;
  const j = new Uint16Array(count * 4),
    w = new Float32Array(count * 4);
  const order: number[] = [];
  for (let v = 0; v < count; v++) {
    order.length = 0;
    for (let k = v * perVertex; k < (v + 1) * perVertex; k++) if (weights[k] > 0) order.push(k);
    order.sort((a, b) => weights[b] - weights[a]);
    let sum = 0;
    for (let k = 0; k < 4 && k < order.length; k++) sum += weights[order[k]];
    for (let k = 0; k < 4 && k < order.length; k++) {
      j[v * 4 + k] = joints[order[k]];
      w[v * 4 + k] = weights[order[k]] / (sum || 1);
    }
  }
  geometry.setAttribute('skinIndex', new THREE.BufferAttribute(j, 4));
  geometry.setAttribute('skinWeight', new THREE.BufferAttribute(w, 4));
}

function ownMaterial(part: Part, textures: FigureTextures): THREE.MeshPhysicalMaterial {
  const m = part.material;
  const out = new THREE.MeshPhysicalMaterial({
    roughness: m?.getRoughnessFactor() ?? 0.8,
    metalness: m?.getMetallicFactor() ?? 0,
  });
  if (!m) return out;
  const maps = new Map(mapsOf(m).map((use) => [use.channel, use.texture]));
  const [r, g, b, a] = m.getBaseColorFactor();
  out.color.setRGB(r, g, b);
  out.opacity = a;
  out.map = textures.get(maps.get('baseColor') ?? maps.get('diffuse') ?? null, true);
  out.normalMap = textures.get(maps.get('normal') ?? null, false);
  out.roughnessMap = out.metalnessMap = textures.get(maps.get('metallicRoughness') ?? null, false);
  out.aoMap = textures.get(maps.get('occlusion') ?? null, false);
  if (out.aoMap) out.aoMap.channel = 0;
  out.emissive.setRGB(...m.getEmissiveFactor());
  out.emissiveMap = textures.get(maps.get('emissive') ?? null, true);
  out.side = m.getDoubleSided() ? THREE.DoubleSide : THREE.FrontSide;
  // Skin or cloth that is blended by accident still hides what lies behind it; only what is meant to be seen through doesn't.
  if (m.getAlphaMode() === 'BLEND') {
    out.transparent = true;
    out.depthWrite = !isSeenThrough(part.kind);
  }
  if (m.getAlphaMode() === 'MASK') out.alphaTest = m.getAlphaCutoff();
  const beyond = ownOf(m, 'beyond');
  if (beyond) addBeyondGltf(out, beyond, ownOf(m, 'strands')?.degrees ?? 90);
  return out;
}
