import type { Document, Extension, Material, Texture } from '@gltf-transform/core';
import { createDeformer, type Deformer, textureFile } from '../character/index.ts';
import { encoded } from '../formats/index.ts';
import type { StepContext } from '../step.ts';
import { coveredTexels, type Heights, OpenedOnce, type Pixels, type StrandDirection } from '../pixels/index.ts';
import { type Laid, laidOut } from '../maps/index.ts';
import { Openness } from './openness.ts';
import { strandsOf } from './strands.ts';

/** Images made from others, each once. */
export class DerivedMaps {
  private readonly images = new Map<string, Texture>();
  private readonly numbers = new Map<Texture, number>();
  private readonly writing: Promise<void>[] = [];
  private readonly put = new Map<Texture, Texture>();
  private figure: { deformer: Deformer; rest: Float32Array } | null = null;
  private readonly opened: OpenedOnce;
  /** How much light comes to a surface, asked for where something shades it. */
  readonly openness: Openness;
  constructor(
    private readonly document: Document,
    private readonly context: StepContext,
  ) {
    this.opened = new OpenedOnce(context.images);
    this.openness = new Openness(document);
  }
  /** An extension of the document, made where it has none of that name. */
  extension<T extends Extension>(type: new (document: Document) => T): T {
    return this.document.createExtension(type);
  }
  /** What stands where an image stood, once it was made right; itself before. */
  latest(texture: Texture): Texture {
    return this.put.get(texture) ?? texture;
  }
  replaces(old: Texture, fresh: Texture): void {
    this.put.set(old, fresh);
  }
  /** Which of its texels some surface wears; null where all count. */
  covered(texture: Texture, { width, height }: Pixels): Uint8Array | null {
    return coveredTexels(this.document, texture, width, height);
  }
  /** Whether other images were made from it. */
  made(texture: Texture): boolean {
    return this.numbers.has(texture);
  }
  /** A number of its own for each texture; places in the document move when others go. */
  numberOf(texture: Texture | null): number {
    if (!texture) return -1;
    let number = this.numbers.get(texture);
    if (number === undefined) {
      number = this.numbers.size;
      this.numbers.set(texture, number);
    }
    return number;
  }
  /** How a material's maps lie on the figure, for those that ask. */
  laidOut(material: Material, set: number): Laid {
    if (!this.figure) {
      const deformer = createDeformer(this.document, () => true, false);
      this.figure = { deformer, rest: deformer.evaluate(new Float32Array(deformer.vertices * 3)) };
    }
    return laidOut(this.figure.deformer, this.figure.rest, material, set);
  }
  pixels(texture: Texture): Promise<Pixels | null> {
    return this.opened.of(texture);
  }
  /** Which way the strands of a material run. */
  strands(material: Material): Promise<StrandDirection | null> {
    return strandsOf(material, this.context.images);
  }
  /** An image's heights as fine as its file has them; in the 256 steps of its pixels where that can't be had. */
  async heights(texture: Texture): Promise<Heights | Pixels | null> {
    const image = texture.getImage(),
      { heights } = this.context.images;
    if (image?.length && heights && !this.made(texture)) {
      const fine = await heights(image).catch(() => null);
      if (fine) return fine;
    }
    return this.pixels(texture);
  }
  /** Once all that was made is written: files are packed while the next map is computed. */
  async written(): Promise<void> {
    await Promise.all(this.writing);
  }
  private async write(texture: Texture, pixels: Pixels): Promise<void> {
    texture.setImage(await encoded(this.context.images, pixels, { opaque: isOpaque(pixels) }));
  }
  async derived(texture: Texture, what: string, change: (pixels: Pixels) => Pixels): Promise<Texture | null> {
    const pixels = await this.pixels(texture);
    return pixels && this.image(texture, what, '', () => change(pixels));
  }
  /** An image called after `texture` and what it holds, made once for equal `from` (whatever else went into it). */
  image(texture: Texture, what: string, from: string, make: () => Pixels): Texture {
    const key = `${this.numberOf(texture)}/${what}/${from}`,
      known = this.images.get(key);
    if (known) return known;
    const name = `${(textureFile(texture) || 'map').replace(/^.*\//, '').replace(/\.[^.]+$/, '')}_${what}`;
    const fresh = this.fresh(name, make());
    this.images.set(key, fresh);
    return fresh;
  }
  /** An image made from nothing but its pixels. */
  fresh(name: string, pixels: Pixels): Texture {
    const fresh = this.document.createTexture(name).setMimeType('image/png').setURI(`${name}.png`);
    const writing = this.write(fresh, pixels);
    // Whoever is stopped before all is written doesn't wait for it.
    writing.catch(() => {});
    this.writing.push(writing);
    this.opened.keep(fresh, pixels);
    return fresh;
  }
}

function isOpaque({ data }: Pixels): boolean {
  for (let i = 3; i < data.length; i += 4) if (data[i] !== 255) return false;
  return true;
}
