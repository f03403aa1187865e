import * as THREE from 'three';
import { OutputPass } from 'three/examples/jsm/postprocessing/OutputPass.js';
import type { StageFigure } from '../figure/build.ts';
import type { OnStage } from './picking.ts';
import { type Shot, shotOf } from './shots.ts';
import type { Side } from './state.ts';

/** Pictures of single figures and parts. */
export class Snapshots {
  private readonly lit = new THREE.WebGLRenderTarget(1, 1, { type: THREE.HalfFloatType, samples: 4 });
  private readonly toned = new THREE.WebGLRenderTarget(1, 1, { depthBuffer: false });
  private readonly tone = new OutputPass();

  constructor(private readonly on: OnStage) {}

  dispose(): void {
    this.lit.dispose();
    this.toned.dispose();
    this.tone.dispose();
  }

  /**
   * A small picture of one part under the testing light, for swatches and the cast page. Drawn beside the stage and
   * fetched when it is done, so that the stage stands as it is and the page goes on meanwhile.
   */
  async portrait(side: Side, part: string | null, width: number, height: number): Promise<string | null> {
    const figure = this.on.figures[side];
    if (!figure || !this.on.state) return null;
    const visible = figure.parts.map(({ mesh }) => mesh.visible),
      materials = figure.parts.map(({ mesh }) => mesh.material),
      cores = figure.parts.flatMap(({ core }) => (core && !core.visible ? [core] : []));
    const box = new THREE.Box3();
    for (const core of cores) core.visible = true;
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
    this.drawBeside(side, camera, width, height);
    figure.parts.forEach(({ mesh }, i) => {
      mesh.visible = visible[i];
      mesh.material = materials[i];
    });
    for (const core of cores) core.visible = false;
    for (const thing of things) thing.visible = true;
    const pixels = new Uint8Array(width * height * 4);
    await this.on.renderer.readRenderTargetPixelsAsync(this.toned, 0, 0, width, height, pixels);
    return pictureOf(pixels, width, height);
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

  /** Into a target of its own: lit in half floats, then toned as the stage is. */
  private drawBeside(side: Side, camera: THREE.Camera, width: number, height: number): void {
    const { renderer } = this.on;
    this.lit.setSize(width, height);
    this.toned.setSize(width, height);
    renderer.setScissorTest(false);
    renderer.autoClear = true;
    renderer.setRenderTarget(this.lit);
    renderer.render(this.on.scenes[side], camera);
    this.tone.render(renderer, this.toned, this.lit, 0, false);
    renderer.setRenderTarget(null);
    renderer.setScissorTest(true);
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

/** @param pixels RGBA, rows from below, colour multiplied by alpha, as blending leaves it. */
async function pictureOf(pixels: Uint8Array, width: number, height: number): Promise<string> {
  const canvas = document.createElement('canvas');
  canvas.width = width;
  canvas.height = height;
  const image = new ImageData(width, height);
  for (let y = 0; y < height; y++)
    for (let x = 0, from = (height - 1 - y) * width * 4, to = y * width * 4; x < width; x++, from += 4, to += 4) {
      const alpha = pixels[from + 3];
      for (let k = 0; k < 3; k++) image.data[to + k] = alpha ? (pixels[from + k] * 255) / alpha : 0;
      image.data[to + 3] = alpha;
    }
  // In plain memory, and packed beside the page: fetched from the graphics card and packed here, each swatch held it up.
  canvas.getContext('2d', { willReadFrequently: true })?.putImageData(image, 0, 0);
  const packed = await new Promise<Blob | null>((resolve) => canvas.toBlob(resolve, 'image/png'));
  return packed ? urlOf(packed) : canvas.toDataURL('image/png');
}

function urlOf(blob: Blob): Promise<string> {
  return new Promise((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => resolve(reader.result as string);
    reader.onerror = () => reject(reader.error ?? new Error('A picture could not be packed.'));
    reader.readAsDataURL(blob);
  });
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
