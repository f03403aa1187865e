import type { Document, Texture } from '@gltf-transform/core';
import { freeName } from '../../character/index.ts';
import { ProblemError, type Finding } from '../../problem.ts';
import { TILE_SIGN } from '../../maps/index.ts';
import { baseName, findFile, type InputFile } from '../files.ts';
import { readBmp } from './bmp.ts';
import { writePng } from './png.ts';
import { readTga } from './tga.ts';

/** Image formats by their first bytes. */
export function imageType(
  bytes: Uint8Array,
): 'image/png' | 'image/jpeg' | 'image/webp' | 'image/ktx2' | 'image/tiff' | 'bmp' | null {
  const is = (...wanted: number[]) => wanted.every((byte, i) => byte < 0 || bytes[i] === byte);
  if (is(0x89, 0x50, 0x4e, 0x47)) return 'image/png';
  if (is(0xff, 0xd8, 0xff)) return 'image/jpeg';
  if (is(0x52, 0x49, 0x46, 0x46, -1, -1, -1, -1, 0x57, 0x45, 0x42, 0x50)) return 'image/webp';
  if (is(0xab, 0x4b, 0x54, 0x58, 0x20, 0x32, 0x30)) return 'image/ktx2';
  if (is(0x42, 0x4d)) return 'bmp';
  return is(0x49, 0x49, 0x2a, 0) || is(0x4d, 0x4d, 0, 0x2a) ? 'image/tiff' : null;
}

/** The images of what arrived, each made a texture once, however often and however oddly it is named. */
export class ImageShelf {
  private readonly made = new Map<InputFile, Texture | null>();
  private readonly missing = new Set<string>();
  /** Names of textures: kept maps find theirs by it, and two folders may hold images of one name. */
  private readonly taken = new Set<string>();

  constructor(
    private readonly document: Document,
    private readonly files: readonly InputFile[],
    private readonly folder: string,
    private readonly used: string[],
    private readonly findings: Finding[],
  ) {}

  /** @returns null, with a finding, where the image did not arrive or can't be read */
  get(reference: string): Texture | null {
    const found = findFile(this.files, this.folder, fileReference(reference));
    if (!found || !found.file.bytes.length) {
      const tiles = this.tilesFor(reference);
      if (!this.missing.has(reference))
        this.findings.push(
          tiles
            ? {
                code: 'intake.tiles',
                severity: 'info',
                message: `“${reference}” stands for ${tiles} images, one a texture tile; each goes to the material that lies on its tile.`,
                where: reference,
                measured: tiles,
                repair: 'intake.find-maps',
              }
            : {
                code: 'intake.missing-image',
                severity: 'error',
                message: `The image “${reference}” did not arrive. What used it shows without a map.`,
                where: reference,
                repair: 'intake.find-textures',
              },
        );
      this.missing.add(reference);
      return null;
    }
    const known = this.made.get(found.file);
    if (known !== undefined) return known;
    if (!found.exact)
      this.findings.push({
        code: 'intake.found-by-name',
        severity: 'info',
        message: `“${reference}” was found by its name at “${found.file.path}”.`,
        where: found.file.path,
      });
    const texture = this.make(found.file);
    if (texture) this.taken.add(texture.getName());
    this.made.set(found.file, texture);
    this.used.push(found.file.path);
    return texture;
  }

  /** How many images a reference with the sign for a tile's number stands for. */
  private tilesFor(reference: string): number {
    if (!TILE_SIGN.test(reference)) return 0;
    const [before, after] = baseName(fileReference(reference))
      .split(TILE_SIGN)
      .map((text) => text.toLowerCase());
    return this.files.filter((file) => {
      const name = baseName(file.path).toLowerCase();
      return (
        name.startsWith(before) &&
        name.endsWith(after) &&
        /^1\d{3}$/.test(name.slice(before.length, name.length - after.length))
      );
    }).length;
  }

  private make(file: InputFile): Texture | null {
    const { path } = file;
    try {
      const { bytes, mimeType } = asGltfImage(file);
      return this.document
        .createTexture(freeName(baseName(path).replace(/\.[^.]+$/, ''), this.taken))
        .setImage(bytes as Uint8Array<ArrayBuffer>)
        .setURI(imagePath(path, mimeType))
        .setMimeType(mimeType);
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      this.findings.push({ code: error.code, severity: 'error', message: error.message, where: path });
      return null;
    }
  }
}

/** The path under which an image goes on: with the ending of what it has become, since readers of glTF go by that. */
export const imagePath = (path: string, mimeType: string): string =>
  /\.(tga|icb|vda|vst|bmp|dib)$/i.test(path) && mimeType === 'image/png' ? path.replace(/\.[^.]+$/, '.png') : path;

/** An image in a format glTF knows, or TIFF, which is opened later; others are turned into PNG without loss. @throws ProblemError image.unreadable */
export function asGltfImage(file: InputFile): { bytes: Uint8Array; mimeType: string } {
  const type = imageType(file.bytes);
  if (type?.startsWith('image/')) return { bytes: file.bytes, mimeType: type };
  if (type === 'bmp') return { bytes: writePng(readBmp(file.bytes, file.path)), mimeType: 'image/png' };
  if (/\.(tga|icb|vda|vst)$/i.test(file.path))
    return { bytes: writePng(readTga(file.bytes, file.path)), mimeType: 'image/png' };
  throw new ProblemError(
    'image.unreadable',
    `“${file.path}” is no image that Dimetra knows. Export it as PNG, JPEG, WebP, TIFF, TGA or BMP.`,
    file.path,
  );
}

/** Paths of other machines (`file:///`, drive letters, backslashes) as something that can be looked for by name. */
function fileReference(reference: string): string {
  let text = reference
    .trim()
    .replace(/^file:\/*/i, '')
    .replace(/\\/g, '/');
  if (/^[a-z]:\//i.test(text) || text.startsWith('/')) text = text.replace(/^([a-z]:)?\/+/i, '');
  return text;
}
