import { Box3, type Bone, type Mesh, type Object3D, type SkinnedMesh, Vector3 } from 'three';

/** A morph target as the loaded scene shows it at rest: over all parts that have it. */
export interface MorphSeen {
  name: string;
  /** Vertices moved by more than a hundredth of a millimetre. */
  vertices: number;
  /** Largest movement, millimetres. */
  farthestMm: number;
}

/** A hundredth of a millimetre, metres. */
const MOVES = 1e-5;

export const meshesOf = (scene: Object3D): Mesh[] => {
  const out: Mesh[] = [];
  scene.traverse((object) => {
    if ((object as Mesh).isMesh) out.push(object as Mesh);
  });
  return out;
};
const skinned = (mesh: Mesh): SkinnedMesh | null =>
  (mesh as SkinnedMesh).isSkinnedMesh ? (mesh as SkinnedMesh) : null;

/** Joints of the meshes shown that don't hang in the scene shown: they stay where they were made while the rest moves. */
export function jointsOutside(scene: Object3D): { joints: number; outside: string[] } {
  const bones = new Set<Bone>();
  for (const mesh of meshesOf(scene)) for (const bone of skinned(mesh)?.skeleton.bones ?? []) bones.add(bone);
  const hangs = (bone: Object3D): boolean => {
    for (let at: Object3D | null = bone; at; at = at.parent) if (at === scene) return true;
    return false;
  };
  return { joints: bones.size, outside: [...bones].filter((bone) => !hangs(bone)).map((bone) => bone.name) };
}

/** Corners of the scene at rest, metres; null where nothing is drawn. */
export function extentOf(scene: Object3D): { low: [number, number, number]; high: [number, number, number] } | null {
  scene.updateMatrixWorld(true);
  const box = new Box3();
  for (const mesh of meshesOf(scene)) {
    const at = placesOf(mesh);
    for (let i = 0; i < at.length; i += 3) box.expandByPoint(point.set(at[i], at[i + 1], at[i + 2]));
  }
  return box.isEmpty() ? null : { low: box.min.toArray(), high: box.max.toArray() };
}
const point = new Vector3();

/** World positions of a mesh's vertices at rest, as its joints and default morph weights put them; three numbers each. */
export function placesOf(mesh: Mesh): Float64Array {
  const { position } = mesh.geometry.attributes,
    out = new Float64Array(position.count * 3);
  const base = new Float64Array(position.count * 3);
  for (let i = 0; i < position.count; i++) {
    base[i * 3] = position.getX(i);
    base[i * 3 + 1] = position.getY(i);
    base[i * 3 + 2] = position.getZ(i);
  }
  (mesh.morphTargetInfluences ?? []).forEach((weight, k) => {
    const delta = mesh.geometry.morphAttributes.position?.[k];
    if (weight && delta)
      for (let i = 0; i < delta.count; i++) {
        base[i * 3] += weight * delta.getX(i);
        base[i * 3 + 1] += weight * delta.getY(i);
        base[i * 3 + 2] += weight * delta.getZ(i);
      }
  });
  const turn = turnerOf(mesh);
  for (let i = 0; i < position.count; i++) turn(i, base[i * 3], base[i * 3 + 1], base[i * 3 + 2], 1, out, i * 3);
  return out;
}

/** Writes the world place (`w` 1) or direction (`w` 0) of vertex i into `out`. */
type Turner = (i: number, x: number, y: number, z: number, w: 0 | 1, out: Float64Array, at: number) => void;

function turnerOf(mesh: Mesh): Turner {
  const skin = skinned(mesh),
    { skinIndex, skinWeight } = mesh.geometry.attributes;
  if (!skin || !skinIndex || !skinWeight) {
    const m = mesh.matrixWorld.elements;
    return (_i, x, y, z, w, out, at) => put(m, 0, 1, x, y, z, w, out, at);
  }
  // As it is loaded a skin is bound where it stands, so that its joints alone place it.
  skin.skeleton.update();
  const m = skin.skeleton.boneMatrices as Float32Array,
    joints = new Uint16Array(skinIndex.count * 4),
    weights = new Float32Array(skinWeight.count * 4);
  // Attributes may lie interleaved: only their own readers know where.
  for (let i = 0; i < skinWeight.count; i++)
    for (let k = 0; k < 4; k++) {
      joints[i * 4 + k] = skinIndex.getComponent(i, k);
      weights[i * 4 + k] = skinWeight.getComponent(i, k);
    }
  return (i, x, y, z, w, out, at) => {
    out[at] = out[at + 1] = out[at + 2] = 0;
    for (let k = i * 4; k < i * 4 + 4; k++) if (weights[k]) add(m, joints[k] * 16, weights[k], x, y, z, w, out, at);
  };
}

function put(
  m: ArrayLike<number>,
  o: number,
  weight: number,
  x: number,
  y: number,
  z: number,
  w: number,
  out: Float64Array,
  at: number,
): void {
  out[at] = out[at + 1] = out[at + 2] = 0;
  add(m, o, weight, x, y, z, w, out, at);
}
function add(
  m: ArrayLike<number>,
  o: number,
  weight: number,
  x: number,
  y: number,
  z: number,
  w: number,
  out: Float64Array,
  at: number,
): void {
  out[at] += weight * (m[o] * x + m[o + 4] * y + m[o + 8] * z + m[o + 12] * w);
  out[at + 1] += weight * (m[o + 1] * x + m[o + 5] * y + m[o + 9] * z + m[o + 13] * w);
  out[at + 2] += weight * (m[o + 2] * x + m[o + 6] * y + m[o + 10] * z + m[o + 14] * w);
}

/** What each morph target moves once it is drawn, by name. */
export function morphsOf(scene: Object3D): MorphSeen[] {
  const rows = new Map<string, MorphSeen>(),
    moved = new Float64Array(3);
  for (const mesh of meshesOf(scene)) {
    const deltas = mesh.geometry.morphAttributes.position ?? [];
    if (!deltas.length) continue;
    const turn = turnerOf(mesh),
      names = Object.entries(mesh.morphTargetDictionary ?? {});
    for (const [name, k] of names) {
      const delta = deltas[k],
        row = rows.get(name) ?? { name, vertices: 0, farthestMm: 0 };
      rows.set(name, row);
      if (!delta) continue;
      for (let i = 0; i < delta.count; i++) {
        const x = delta.getX(i),
          y = delta.getY(i),
          z = delta.getZ(i);
        if (x === 0 && y === 0 && z === 0) continue;
        turn(i, x, y, z, 0, moved, 0);
        const far = Math.hypot(moved[0], moved[1], moved[2]);
        if (far > MOVES) row.vertices++;
        row.farthestMm = Math.max(row.farthestMm, far * 1000);
      }
    }
  }
  return [...rows.values()];
}
