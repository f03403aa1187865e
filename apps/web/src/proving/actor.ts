import { type AnimationAction, AnimationMixer, Group, type Object3D, Vector3 } from 'three';
import { meshesIn } from './soles.ts';
import type { Motion } from './motions.ts';
import { movementOf, type Movement } from './movements.ts';

const FADE = 0.22;

/** A figure that plays one motion after the other, stays where it is put, and keeps its feet on the ground. */
export class Actor {
  /** Where it stands and looks. */
  readonly place = new Group();
  private readonly inner = new Group();
  private readonly mixer: AnimationMixer;
  private readonly actions = new Map<Motion, AnimationAction>();
  private now: Motion | null = null;

  constructor(
    readonly root: Object3D,
    /** Whether motions that ship are set on the ground by the soles. */
    private readonly grounded = true,
  ) {
    this.place.add(this.inner);
    this.inner.add(root);
    this.mixer = new AnimationMixer(root);
  }

  /** Blends over to a motion; null lets it stand as it is at rest. */
  play(motion: Motion | null, rate = 1): void {
    if (motion !== this.now) {
      const before = this.now && this.actions.get(this.now);
      if (motion) {
        const action = this.actions.get(motion) ?? this.mixer.clipAction(motion.clip);
        this.actions.set(motion, action);
        action.reset().setEffectiveWeight(1).play();
        if (before) action.crossFadeFrom(before, FADE, false);
      } else before?.fadeOut(FADE);
      this.now = motion;
    }
    if (motion) this.actions.get(motion)?.setEffectiveTimeScale(rate);
  }

  /** Sets the motion to a part of its way, 0 … 1, so that a crowd doesn't march in step. */
  begin(part: number): void {
    const action = this.now && this.actions.get(this.now);
    if (action && this.now) action.time = part * this.now.clip.duration;
  }

  update(seconds: number): void {
    this.mixer.update(seconds);
    // What the motion leads away is taken back: somebody else says where the figure goes.
    offset.set(0, 0, 0);
    for (const [{ clip, drift, lowest, own }, action] of this.actions) {
      const weight = action.getEffectiveWeight();
      if (!action.isRunning() && !action.paused) continue;
      if (weight <= 0) continue;
      offset.addScaledVector(drift, (-weight * action.time) / clip.duration);
      if (!own && this.grounded && lowest !== null && movementOf(clip.name) !== 'climb') offset.y -= weight * lowest;
    }
    this.inner.position.copy(offset);
  }

  /** Dials morphs by name, on every part that has them. */
  dial(weights: Readonly<Record<string, number>>): void {
    for (const { morphTargetDictionary: places, morphTargetInfluences: dials } of meshesIn(this.root))
      if (places && dials) for (const [name, at] of Object.entries(places)) dials[at] = weights[name] ?? 0;
  }

  dispose(): void {
    this.mixer.stopAllAction();
    this.mixer.uncacheRoot(this.root);
    this.place.removeFromParent();
  }
}
const offset = new Vector3();

/** Which motion somebody has for what they do. */
export type Chosen = Partial<Record<Movement, Motion>>;
