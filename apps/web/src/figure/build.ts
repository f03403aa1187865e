import {
  copyDocument,
  createDeformer,
  floatsOf,
  influencesOf,
  jointRoles,
  listParts,
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
import { besideIt } from './beside-it.ts';
import { Dials } from './dials.ts';
import type { LoadedFigure } from './load.ts';
import { coreOf, type Drawing, drawingOf, ownMaterial } from './own-material.ts';
import { FigureTextures } from './textures.ts';

/** One part on the stage. */
export interface StagePart {
  part: Part;
  mesh: THREE.Mesh;
  /** The part's own material, kept while another look is on. */
  own: THREE.MeshPhysicalMaterial;
  /** The solid part of its strands, drawn before their soft edges; only with its own material. */
  core: THREE.Mesh | null;
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

/**
 * Builds three.js objects for a document. Four strongest influences are shown; steps and measures use all.
 * @param drawing whether layers are drawn as they are meant, or in the order in which a usual engine draws them
 */
export function buildFigure(figure: LoadedFigure, onImage: () => void, drawing: Drawing): StageFigure {
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
  const materials = new Map<unknown, THREE.MeshPhysicalMaterial>(),
    cores = new Map<THREE.Material, THREE.Material>();
  const parts: StagePart[] = [];
  for (const part of listParts(document)) {
    if (!part.prim.getAttribute('POSITION') || !part.triangles) continue;
    const drawn = drawingOf(part, drawing);
    let own = materials.get(part.material);
    if (!own) {
      own = ownMaterial(part, drawn, textures);
      materials.set(part.material, own);
    }
    const { mesh, dials } = partMesh(part, own, skeleton, bones);
    mesh.name = part.id;
    mesh.renderOrder = drawn.order;
    let core: THREE.Mesh | null = null;
    if (drawn.core) {
      const solid = cores.get(own) ?? coreOf(own);
      cores.set(own, solid);
      core = besideIt(mesh, solid);
      mesh.add(core);
    }
    group.add(mesh);
    parts.push({ part, mesh, own, core, dials });
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
      for (const material of [...materials.values(), ...cores.values()]) material.dispose();
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
