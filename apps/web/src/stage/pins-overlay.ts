import * as THREE from 'three';
import type { PinMark } from '../figure/pins.ts';

const HUES = { pin: 0xf2ead6, draft: 0x8fd3ff, chosen: 0xffffff, region: 0xe3b341 } as const;

/** Pinned places, curves and regions of one figure, drawn over it. */
export class PinsOverlay {
  readonly group = new THREE.Group();

  show(marks: readonly PinMark[] | null): void {
    this.clear();
    this.group.visible = Boolean(marks?.length);
    for (const { places, kind } of marks ?? []) {
      const geometry = new THREE.BufferGeometry().setFromPoints(places.map((at) => new THREE.Vector3(...at)));
      this.add(new THREE.Points(geometry, dots(0x11161d, kind === 'chosen' ? 15 : 11)), 10);
      this.add(new THREE.Points(geometry, dots(HUES[kind], kind === 'chosen' ? 10 : 7)), 12);
      if (places.length > 1)
        this.add(
          new THREE.Line(
            geometry,
            new THREE.LineBasicMaterial({ color: HUES[kind], depthTest: false, transparent: true }),
          ),
          11,
        );
    }
  }

  dispose(): void {
    this.clear();
  }

  private add(thing: THREE.Points | THREE.Line, order: number): void {
    thing.renderOrder = order;
    thing.frustumCulled = false;
    this.group.add(thing);
  }

  private clear(): void {
    for (const thing of [...this.group.children] as (THREE.Points | THREE.Line)[]) {
      this.group.remove(thing);
      thing.geometry.dispose();
      (thing.material as THREE.Material).dispose();
    }
  }
}

const dots = (color: number, size: number) =>
  new THREE.PointsMaterial({ color, size, sizeAttenuation: false, depthTest: false, transparent: true });
