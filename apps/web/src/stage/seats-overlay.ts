import * as THREE from 'three';
import type { SeatsShown } from '../figure/seats.ts';
import { SIDE_COLOR } from './state.ts';

/** Outlines of eyes and bite where they would stand, and the dots that move them, drawn over the result. */
export class SeatsOverlay {
  readonly group = new THREE.Group();
  private readonly lines = new THREE.LineSegments(
    new THREE.BufferGeometry(),
    new THREE.LineBasicMaterial({ color: SIDE_COLOR.result, depthTest: false, transparent: true, opacity: 0.9 }),
  );
  /** Under every dot, so that it shows on light and dark. */
  private readonly rims = new THREE.Points(new THREE.BufferGeometry(), dots(0x11161d, 12));
  private readonly dots = new THREE.Points(new THREE.BufferGeometry(), dots(0xf2ead6, 8));

  constructor() {
    [this.lines, this.rims, this.dots].forEach((thing, i) => {
      thing.renderOrder = 10 + i;
      thing.frustumCulled = false;
      this.group.add(thing);
    });
    this.group.visible = false;
  }

  show(seats: SeatsShown | null): void {
    this.group.visible = seats !== null;
    if (!seats) return;
    put(this.lines.geometry, seats.lines);
    const places = seats.handles.map(({ at }) => at);
    put(this.rims.geometry, places);
    put(this.dots.geometry, places);
  }

  dispose(): void {
    for (const { geometry, material } of [this.lines, this.rims, this.dots]) {
      geometry.dispose();
      (material as THREE.Material).dispose();
    }
  }
}

function dots(color: number, size: number): THREE.PointsMaterial {
  return new THREE.PointsMaterial({ color, size, sizeAttenuation: false, depthTest: false, transparent: true });
}

function put(geometry: THREE.BufferGeometry, places: readonly (readonly number[])[]): void {
  if (geometry.getAttribute('position')?.count !== places.length) geometry.dispose();
  geometry.setAttribute('position', new THREE.BufferAttribute(Float32Array.from(places.flat()), 3));
}
