import { ImageLoader } from 'three';

/** Loads without images: in Node nothing could show them; they are looked at apart. */
export function withoutImages<T>(read: () => T): T {
  const { load } = ImageLoader.prototype;
  ImageLoader.prototype.load = (() => null) as never;
  try {
    return read();
  } finally {
    ImageLoader.prototype.load = load;
  }
}
