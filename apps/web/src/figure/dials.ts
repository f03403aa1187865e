import { floatsOf, type Part } from '@dimetra/core';
import type * as THREE from 'three';

/**
 * The morphs of one part, added into the positions that are drawn. Not left to the graphics card: there every number of
 * morphs is a shader of its own to compile and every morph a texture to keep, though few are dialled at a time.
 */
export class Dials {
  private readonly dialled = new Map<string, number>();
  private offset: Float32Array | null = null;

  /** @param rest the part's positions with every morph at zero; not written */
  constructor(
    private readonly part: Part,
    private readonly rest: Float32Array,
    private readonly shown: THREE.BufferAttribute,
  ) {}

  /**
   * Draws the part with these morph weights by name; does nothing where none of its own has changed.
   * @param offset moved beside all morphs, xyz by vertex
   */
  set(weights: Readonly<Record<string, number>>, offset: Float32Array | null = null): void {
    const { morphNames } = this.part,
      changed = morphNames.some((name) => (weights[name] ?? 0) !== (this.dialled.get(name) ?? 0));
    if (!changed && offset === this.offset) return;
    this.offset = offset;
    const out = this.shown.array as Float32Array,
      targets = this.part.prim.listTargets();
    out.set(this.rest);
    if (offset?.length === out.length) addScaled(out, offset, 1);
    this.dialled.clear();
    morphNames.forEach((name, i) => {
      const weight = weights[name] ?? 0,
        delta = targets[i]?.getAttribute('POSITION');
      if (!weight) return;
      this.dialled.set(name, weight);
      if (delta) addScaled(out, floatsOf(delta), weight);
    });
    this.shown.needsUpdate = true;
  }
}

function addScaled(out: Float32Array, delta: Float32Array, weight: number): void {
  for (let i = 0; i < delta.length; i++) out[i] += delta[i] * weight;
}
