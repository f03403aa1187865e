import * as THREE from 'three';
import type { WrapSurface } from '../figure/watch-wrap.ts';
import { SIDE_COLOR } from './state.ts';

/** A figure's polygons on their way to the source's shape, drawn over it. */
export class WrapOverlay {
  readonly group = new THREE.Group();
  private readonly mesh = new THREE.Mesh(
    new THREE.BufferGeometry(),
    new THREE.MeshBasicMaterial({ color: SIDE_COLOR.result, wireframe: true, transparent: true, opacity: 0.55 }),
  );
  private corners: Uint32Array | null = null;

  constructor() {
    this.mesh.frustumCulled = false;
    this.group.add(this.mesh);
    this.group.visible = false;
  }

  show(surface: WrapSurface | null): void {
    this.group.visible = surface !== null;
    if (!surface) return;
    const { geometry } = this.mesh;
    if (this.corners !== surface.corners) {
      geometry.dispose();
      geometry.setIndex(new THREE.BufferAttribute(surface.corners, 1));
      this.corners = surface.corners;
    }
    geometry.setAttribute('position', new THREE.BufferAttribute(surface.places, 3));
  }

  dispose(): void {
    this.mesh.geometry.dispose();
    this.mesh.material.dispose();
  }
}
