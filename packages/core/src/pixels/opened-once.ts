import type { Texture } from '@gltf-transform/core';
import type { ImageCodec, Pixels } from './codec.ts';

/** Images of textures at full size, each opened once; null where one can't be opened. */
export class OpenedOnce {
  private readonly known = new Map<Texture, Promise<Pixels | null>>();
  constructor(private readonly images: ImageCodec) {}

  of(texture: Texture): Promise<Pixels | null> {
    let found = this.known.get(texture);
    if (!found) {
      const image = texture.getImage();
      found = image?.length ? this.images.decode(image).catch(() => null) : Promise.resolve(null);
      this.known.set(texture, found);
    }
    return found;
  }
  /** What was made here needs no opening. */
  keep(texture: Texture, pixels: Pixels): void {
    this.known.set(texture, Promise.resolve(pixels));
  }
}
