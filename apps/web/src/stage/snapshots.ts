import * as THREE from 'three';
import type { StageFigure } from '../figure/build.ts';
import type { OnStage } from './picking.ts';
import { type Shot, shotOf } from './shots.ts';
import type { Side } from './state.ts';

/** Pictures of single figures and parts; the stage is drawn anew after each. */
export class Snapshots {
  constructor(private readonly on: OnStage) {}

  /** A small picture of one part under the testing light, for swatches and the cast page. */
  portrait(side: Side, part: string | null, width: number, height: number): string | null {
    const figure = this.on.figures[side];
    if (!figure || !this.on.state) return null;
    const visible = figure.parts.map(({ mesh }) => mesh.visible),
      materials = figure.parts.map(({ mesh }) => mesh.material);
    const box = new THREE.Box3();
    figure.parts.forEach((item) => {
      item.mesh.visible = part === null || item.part.id === part;
      item.mesh.material = item.own;
      if (item.mesh.visible) {
        item.mesh.geometry.computeBoundingBox();
        box.union(item.mesh.geometry.boundingBox as THREE.Box3);
      }
    });
    const things = this.hideAllBut(figure, side);
    const centre = box.getCenter(new THREE.Vector3()),
      size = box.getSize(new THREE.Vector3());
    const camera = new THREE.PerspectiveCamera(24, width / height, 0.01, 40);
    if (part === null) {
      // Head and shoulders, found by the joints: a figure that arrives torn has a box of any size.
      const { target, direction, distance } = shotOf(figure, 'head');
      camera.position.copy(target).addScaledVector(direction, distance * 1.75);
      centre.copy(target).y -= distance * 0.09;
    } else {
      const patch = frontPatch(figure.parts.find((item) => item.part.id === part)?.mesh as THREE.Mesh, centre);
      camera.position
        .copy(patch.at)
        .addScaledVector(patch.normal, Math.max(0.09, Math.min(0.75, Math.min(size.x, size.y) * 1.5)));
      centre.copy(patch.at);
    }
    camera.lookAt(centre);
    const url = this.snapshot(side, camera, width, height);
    figure.parts.forEach(({ mesh }, i) => {
      mesh.visible = visible[i];
      mesh.material = materials[i];
    });
    for (const thing of things) thing.visible = true;
    return url;
  }

  /** A figure as it is shown now (look, pose, morphs, hidden parts), from a shot; without floor, scale and joints. */
  photograph(side: Side, shot: Shot, width: number, height: number): string | null {
    const figure = this.on.figures[side];
    if (!figure || !this.on.state) return null;
    const { target, direction, distance, width: wide, height: high } = shotOf(figure, shot),
      aspect = width / height;
    const camera = new THREE.PerspectiveCamera(28, aspect, distance / 40, distance * 12 + 20),
      whole = shot === 'figure' || shot === 'behind' || shot === 'side';
    camera.position
      .copy(target)
      .addScaledVector(direction, distance * (whole ? Math.max(0.94, (0.96 * wide) / high / aspect) : 1));
    camera.lookAt(target);
    const things = this.hideAllBut(figure, side);
    const url = this.snapshot(side, camera, width, height);
    for (const thing of things) thing.visible = true;
    return url;
  }

  /** Takes floor, scale and joints out of the picture. @returns what was shown before */
  private hideAllBut(figure: StageFigure, side: Side): THREE.Object3D[] {
    const things = this.on.scenes[side].children.filter(
      (child) => child.visible && child !== figure.group && !(child instanceof THREE.Light),
    );
    for (const thing of things) thing.visible = false;
    return things;
  }

  private snapshot(side: Side, camera: THREE.Camera, width: number, height: number): string {
    const before = this.on.renderer.getSize(new THREE.Vector2());
    this.on.renderer.setSize(width, height, false);
    this.on.renderer.setViewport(0, 0, width, height);
    this.on.renderer.setScissor(0, 0, width, height);
    this.on.renderer.autoClear = true;
    this.on.renderer.render(this.on.scenes[side], camera);
    const url = this.on.canvas.toDataURL('image/png');
    this.on.renderer.setSize(before.x, before.y, false);
    return url;
  }
}

/** A place on a part that faces the front, on its left where it has two sides, and its normal: what a swatch is cut at. */
function frontPatch(mesh: THREE.Mesh, centre: THREE.Vector3): { at: THREE.Vector3; normal: THREE.Vector3 } {
  const position = mesh.geometry.getAttribute('position'),
    normal = mesh.geometry.getAttribute('normal');
  const middle = new THREE.Vector3(),
    p = new THREE.Vector3();
  let n = 0;
  for (let i = 0; i < position.count; i++)
    if (position.getX(i) > centre.x) {
      middle.add(p.fromBufferAttribute(position, i));
      n++;
    }
  middle.divideScalar(n || 1);
  let best = 0,
    worst = Infinity;
  for (let i = 0; i < position.count; i++) {
    const off = p.fromBufferAttribute(position, i).distanceTo(middle) + (normal.getZ(i) > 0.35 ? 0 : 0.25);
    if (off < worst) {
      worst = off;
      best = i;
    }
  }
  return {
    at: new THREE.Vector3().fromBufferAttribute(position, best),
    normal: new THREE.Vector3().fromBufferAttribute(normal, best).normalize(),
  };
}
