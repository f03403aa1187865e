import type { Camera } from './camera.ts';
import { createPicture, type Picture } from './picture.ts';
import { Raster } from './raster.ts';
import { resolve } from './resolve.ts';
import { middlesOf, type Scene } from './scene.ts';
import { Shader } from './shader.ts';

/** Which pictures are wanted: what the materials mean, and what a usual engine makes of them. */
export interface Wanted {
  meant?: boolean;
  drawn?: boolean;
}

/** Draws one figure after the other, from one side after the other, in pictures of one size. */
export class Painter {
  private readonly raster: Raster;
  private readonly middles = new WeakMap<Scene, Float64Array>();
  shaded = 0;

  constructor(readonly size: number) {
    this.raster = new Raster(size);
  }

  draw(scene: Scene, camera: Camera, wanted: Wanted): { meant: Picture | null; drawn: Picture | null } {
    const { raster, size } = this,
      { length } = scene.materials;
    let middles = this.middles.get(scene);
    if (!middles) this.middles.set(scene, (middles = middlesOf(scene)));
    raster.draw(scene, camera, middles);
    const meant = wanted.meant ? createPicture(size, length) : null,
      drawn = wanted.drawn ? createPicture(size, length) : null;
    this.shaded += resolve(scene, raster, new Shader(scene, camera, raster.clipped, size), meant, drawn);
    return { meant, drawn };
  }
}
