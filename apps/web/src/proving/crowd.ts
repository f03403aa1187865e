import { clone } from 'three/addons/utils/SkeletonUtils.js';
import type { Object3D, Scene, Vector3 } from 'three';
import { Actor } from './actor.ts';
import { LevelSwitch, type LevelView } from './levels.ts';
import { LADDER, POSTS, QUAY, START } from './plan.ts';
import type { Motion } from './motions.ts';

export const MOST_IN_CROWD = 400;

/** Many of one figure on the quay: surfaces and maps are shared, joints and motions are each one's own. */
export class Crowd {
  private readonly people: { actor: Actor; level: LevelSwitch }[] = [];

  constructor(
    private readonly scene: Scene,
    private readonly model: Object3D,
  ) {}

  get size(): number {
    return this.people.length;
  }

  /** Brings as many as asked for; who is there stays. */
  fill(count: number, motion: Motion | null): void {
    const wanted = Math.max(0, Math.min(MOST_IN_CROWD, Math.round(count)));
    while (this.people.length > wanted) this.people.pop()?.actor.dispose();
    while (this.people.length < wanted) {
      const i = this.people.length,
        actor = new Actor(clone(this.model)),
        { x, z, heading } = placeOf(i);
      actor.place.position.set(x, 0, z);
      actor.place.rotation.y = heading;
      actor.root.traverse((object) => {
        object.castShadow = false;
      });
      this.scene.add(actor.place);
      this.people.push({ actor, level: new LevelSwitch(actor.root) });
      this.turnTo(actor, i, motion);
    }
  }

  /** Everybody does something else. */
  play(motion: Motion | null): void {
    this.people.forEach(({ actor }, i) => this.turnTo(actor, i, motion));
  }

  private turnTo(actor: Actor, i: number, motion: Motion | null): void {
    actor.play(motion);
    actor.begin((i * GOLDEN) % 1);
  }

  update(seconds: number): void {
    for (const { actor } of this.people) actor.update(seconds);
  }

  /** Everybody at the level of where they stand. @returns how many show each */
  look(view: LevelView, eye: Vector3): number[] {
    const shown: number[] = [];
    for (const { actor, level } of this.people) {
      const n = view.look(level, actor.place.position, eye);
      shown[n] = (shown[n] ?? 0) + 1;
    }
    return shown;
  }

  dispose(): void {
    while (this.people.length) this.people.pop()?.actor.dispose();
  }
}

/** No two of a row are in the same moment. */
const GOLDEN = 0.618034;

/** Rows behind where a figure is put in, then before it, from the middle outwards; the way to the ladder and things on the quay are left free. */
export function placeOf(i: number): { x: number; z: number; heading: number } {
  const { x, z } = PLACES[i % PLACES.length];
  return { x, z, heading: ((i * GOLDEN) % 1) * 0.8 - 0.4 };
}

const COLUMNS = 26,
  PLACES = Array.from({ length: 24 * COLUMNS }, (_, i) => {
    const row = Math.floor(i / COLUMNS),
      column = i % COLUMNS,
      x = LADDER.x + (column % 2 ? 1 : -1) * (1.1 + Math.floor(column / 2) * 0.95),
      behind = START.z - 1.1 - row * 0.6;
    return { x, z: behind > QUAY.north + 0.4 ? behind : START.z + 1.8 + (row - 6) * 0.6 };
  }).filter(
    ({ x, z }) => z < QUAY.south && POSTS.every((post) => Math.hypot(post.x - x, post.z - z) > post.radius + 0.3),
  );
