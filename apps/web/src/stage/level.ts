import * as THREE from 'three';
import type { StageFigure } from '../figure/build.ts';
import type { Jump } from '../store/view-slice.ts';
import type { OnStage } from './picking.ts';
import { isWhole, movedNear, shotOf } from './shots.ts';
import type { Side } from './state.ts';

/** Nobody sees less, and one camera is kept for both, metres. */
const NOTHING = 0.01;
/** What lies so near to a place tells where that has gone, shares of the height. */
const AROUND = 0.04;

/** Where close views look at each of two figures: side by side they are compared eye to eye, whatever their heights. */
export class Level {
  /** From the source's place to the result's. */
  readonly away = new THREE.Vector3();
  constructor(private readonly on: Pick<OnStage, 'figures' | 'state'>) {}

  /** Where a view's place is on a figure, as others mixed in or another height have moved it. */
  placeOf(figure: StageFigure, to: Jump): THREE.Vector3 {
    const { target, height } = shotOf(figure, to),
      mixed = figure === this.on.figures.source ? this.on.state?.mixed : null;
    return mixed && !isWhole(to) ? target.add(movedNear(figure, mixed, target, height * AROUND)) : target;
  }

  /** Side by side and close up the result is seen from where its own place is; else both from where the camera stands. */
  put(to: Jump): void {
    const { source, result } = this.on.figures;
    this.off();
    if (!source || !result || isWhole(to) || this.on.state?.view !== 'pair') return;
    this.away.copy(this.placeOf(result, to)).sub(this.placeOf(source, to));
    if (this.away.length() < NOTHING) this.off();
  }

  off(): void {
    this.away.set(0, 0, 0);
  }

  /** Looks at a side with the camera where that side is seen from. */
  at<T>(side: Side, camera: THREE.Camera, look: () => T): T {
    if (side === 'source') return look();
    camera.position.add(this.away);
    camera.updateMatrixWorld();
    try {
      return look();
    } finally {
      camera.position.sub(this.away);
      camera.updateMatrixWorld();
    }
  }
}
