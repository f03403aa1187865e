import type { Camera } from './camera.ts';
import { clearPicture, createPicture, type Picture } from './picture.ts';
import { Raster } from './raster.ts';
import { resolve } from './resolve.ts';
import { middlesOf, type Scene } from './scene.ts';
import { Shader } from './shader.ts';

/** What is drawn into: what the materials mean, and what a usual engine makes of them. */
export interface Wanted {
  meant?: Picture;
  drawn?: Picture;
}

/** Draws one figure after the other, from one side after the other, in pictures of one size. */
export class Painter {
  private readonly raster: Raster;
  private readonly middles = new WeakMap<Scene, Float64Array>();
  shaded = 0;

  constructor(readonly size: number) {
    this.raster = new Raster(size);
  }

  /** A picture that a scene can be drawn into, again and again. */
  picture(scene: Scene): Picture {
    return createPicture(this.size, scene.materials.length);
  }

  draw(scene: Scene, camera: Camera, { meant, drawn }: Wanted): void {
    const { raster, size } = this;
    let middles = this.middles.get(scene);
    if (!middles) this.middles.set(scene, (middles = middlesOf(scene)));
    raster.draw(scene, camera, middles);
    for (const picture of [meant, drawn]) if (picture) clearPicture(picture);
    const shader = new Shader(scene, camera, raster.clipped, size);
    this.shaded += resolve(scene, raster, shader, meant ?? null, drawn ?? null);
  }
}
