import { type Bone, type Mesh, type Object3D, Skeleton, type SkinnedMesh, type Vector3 } from 'three';
import { meshesIn } from './soles.ts';

/** A level of detail that a package holds, its surfaces hanging nowhere yet or under joints of their own file. */
export interface LevelFound {
  /** 1 for the first behind the nearest. */
  n: number;
  /** Shown from here on, metres. */
  fromM: number;
  surfaces: { object: Object3D; under: string }[];
  triangles: number;
}

/** How much nearer than where it began somebody has to come for a level to give way again: who stands on the line sees no flicker. */
const GIVES_WAY = 0.94;

/**
 * Which level is shown at a distance.
 * @param from where each level behind the nearest begins, metres, the nearest of them first
 * @param now the level that is shown
 */
export function levelAt(metres: number, from: readonly number[], now: number): number {
  const begun = from.filter((at) => metres >= at).length;
  if (begun >= now) return begun;
  return Math.max(begun, from.slice(0, now).filter((at) => metres >= at * GIVES_WAY).length);
}

/** What a file calls an object; loaders take blanks and dots out of names. */
export const nameOf = (object: Object3D): string =>
  typeof object.userData.name === 'string' && object.userData.name ? object.userData.name : object.name;

export const trianglesOf = (root: Object3D): number =>
  meshesIn(root).reduce(
    (sum, { geometry }) => sum + (geometry.index?.count ?? geometry.attributes.position?.count ?? 0) / 3,
    0,
  );

/** Surfaces of a figure from another file, on their way to joints of the same names. */
export const surfacesOf = (scene: Object3D): LevelFound['surfaces'] =>
  meshesIn(scene).map((mesh) => ({ object: mesh, under: mesh.parent ? nameOf(mesh.parent) : '' }));

const isBone = (object: Object3D): boolean => (object as Bone).isBone === true;

/** Hangs surfaces that came from another file onto a figure: on its joints, known by name. */
export function hangOn(root: Object3D, surfaces: LevelFound['surfaces'], level?: number): void {
  const named = new Map<string, Object3D>();
  // A mesh may be called as the joint is that moves it: the joint is meant.
  root.traverse((object) => {
    const known = named.get(nameOf(object));
    if (!known || (isBone(object) && !isBone(known))) named.set(nameOf(object), object);
  });
  for (const { object, under } of surfaces) {
    for (const mesh of meshesIn(object)) {
      const skinned = mesh as SkinnedMesh;
      if (!skinned.isSkinnedMesh) continue;
      const { bones, boneInverses } = skinned.skeleton;
      skinned.skeleton = new Skeleton(
        bones.map((bone) => (named.get(nameOf(bone)) as typeof bone) ?? bone),
        boneInverses,
      );
    }
    const parent = (under && named.get(under)) || root;
    parent.add(object);
    if (level !== undefined) mark(object, level);
  }
}

/** Says of surfaces that they are shown at one level only. */
export function mark(object: Object3D, level: number): void {
  for (const mesh of meshesIn(object)) {
    mesh.userData = { ...mesh.userData, level };
    mesh.castShadow = true;
    mesh.frustumCulled = false;
    mesh.visible = level === 0;
  }
}

/** Shows one level of a figure. */
export class LevelSwitch {
  private readonly byLevel = new Map<number, Mesh[]>();
  private now = 0;

  constructor(root: Object3D) {
    for (const mesh of meshesIn(root)) {
      const level: unknown = mesh.userData.level;
      if (typeof level !== 'number') continue;
      const known = this.byLevel.get(level) ?? [];
      known.push(mesh);
      this.byLevel.set(level, known);
    }
  }

  get level(): number {
    return this.now;
  }

  show(level: number): void {
    if (level === this.now || !this.byLevel.has(level)) return;
    this.now = level;
    for (const [n, meshes] of this.byLevel) for (const mesh of meshes) mesh.visible = n === level;
  }
}

/** The nearest with the others hung on it: from here on one of them is shown. What a file says is shown at every level stays so. */
export function joinLevels(root: Object3D, levels: readonly LevelFound[]): void {
  if (!levels.length) return;
  const told = meshesIn(root).some((mesh) => mesh.userData.level === 0);
  for (const mesh of meshesIn(root)) if (!told || mesh.userData.level === 0) mark(mesh, 0);
  for (const { n, surfaces } of levels) hangOn(root, surfaces, n);
}

/** Which level each figure shows: as far as it is from whoever looks, or one that is held. */
export class LevelView {
  /** One level, whatever the distance; null: by distance. */
  held: number | null = null;

  constructor(private readonly from: readonly number[]) {}

  /** @returns the level that is shown now */
  look(figure: LevelSwitch, place: Vector3, eye: Vector3): number {
    if (this.from.length) figure.show(this.held ?? levelAt(place.distanceTo(eye), this.from, figure.level));
    return figure.level;
  }
}
