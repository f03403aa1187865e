import {
  MOST_PIXELS,
  bleedOutward,
  bleedUnderClear,
  type ImageMime,
  ProblemError,
  type ImageCodec,
  type ImageContent,
  type ImageOperation,
  imageError,
  isKtx2,
  type Pixels,
} from '@dimetra/core';
import sharp, { type Sharp } from 'sharp';
import { unpackKtx2 } from './ktx2.ts';
import { packPixels } from './ktx2-write.ts';
import { type Opened, openedOnce } from './opened-once.ts';

// A worker process runs several of these side by side; more threads each would only take memory.
sharp.concurrency(1);
sharp.cache(false);

/** How hard PNG is packed: for a file that is handed out, and for one that is read again at once. */
const SMALL = 6,
  DRAFT = 0;

const openFully = async (bytes: Uint8Array): Promise<Pixels> => {
  if (isKtx2(bytes)) return unpackKtx2(bytes);
  try {
    return await pixelsOf(sharp(bytes, { limitInputPixels: MOST_PIXELS }));
  } catch (error) {
    throw new ProblemError(
      'image.unreadable',
      `An image can't be read: ${(error as Error).message}. Save it again as PNG or JPEG.`,
    );
  }
};

/** Image reading and writing by libvips; what is asked for is opened anew each time. */
export const sharpCodec: ImageCodec = codecOf({ open: openFully, keep: () => {} });

/**
 * A codec for one run: an image is opened once for all steps, for measuring and for writing, as far as `mostBytes` of
 * pixels go.
 * @param heard is told of every image that is opened
 */
export const createRunCodec = (mostBytes = OPENED_BYTES, heard: (bytes: Uint8Array) => void = () => {}): ImageCodec =>
  codecOf(
    openedOnce((bytes) => {
      heard(bytes);
      return openFully(bytes);
    }, mostBytes),
  );
const OPENED_BYTES = 160 * 2 ** 20;

function codecOf(opened: Opened): ImageCodec {
  return {
    decode: async (bytes, maxSize) => shrunk(await opened.open(bytes), maxSize),
    async apply(bytes, operations, covered) {
      try {
        return await applyOperations(bytes, operations, covered, opened);
      } catch (error) {
        throw new ProblemError(
          'image.unreadable',
          `An image can't be converted: ${(error as Error).message}. Save it again as PNG or JPEG.`,
        );
      }
    },
    async heights(bytes) {
      try {
        const { depth, channels = 3 } = await sharp(bytes, { limitInputPixels: MOST_PIXELS }).metadata();
        if (depth !== 'ushort') {
          const { width, height, data } = await opened.open(bytes);
          return { width, height, data: Uint16Array.from({ length: width * height }, (_, i) => data[i * 4] * 257) };
        }
        const { data, info } = await sharp(bytes, { limitInputPixels: MOST_PIXELS })
            .toColourspace(channels < 3 ? 'grey16' : 'rgb16')
            .raw({ depth: 'ushort' })
            .toBuffer({ resolveWithObject: true }),
          all = new Uint16Array(data.buffer, data.byteOffset, data.byteLength / 2);
        return {
          width: info.width,
          height: info.height,
          data: Uint16Array.from({ length: info.width * info.height }, (_, i) => all[i * info.channels]),
        };
      } catch (error) {
        throw new ProblemError(
          'image.unreadable',
          `An image can't be read: ${(error as Error).message}. Save it again as PNG or TIFF.`,
        );
      }
    },
    pack: async (bytes, operation) => packPixels(await opened.open(bytes), operation),
    async encode({ width, height, data }, { mimeType = 'image/png', quality, opaque = false, draft = false } = {}) {
      const channels = opaque ? 3 : 4,
        picture = { width, height, channels, data: opaque ? await withoutAlpha(width, height, data) : data } as const;
      return encodePixels(picture, mimeType, quality, draft ? DRAFT : SMALL);
    },
  };
}

async function pixelsOf(image: Sharp): Promise<Pixels> {
  const { data, info } = await image
    .ensureAlpha()
    .toColourspace('srgb')
    .raw({ depth: 'uchar' })
    .toBuffer({ resolveWithObject: true });
  return {
    width: info.width,
    height: info.height,
    data: new Uint8Array(data.buffer, data.byteOffset, data.byteLength),
  };
}

/** Pixels of a format that libvips doesn't know, no longer than `most` on either side. */
async function shrunk(pixels: Pixels, most: number | undefined): Promise<Pixels> {
  const { width, height, data } = pixels;
  if (!most || Math.max(width, height) <= most) return pixels;
  const { data: small, info } = await sharp(data, { raw: { width, height, channels: 4 } })
    .resize({ width: most, height: most, fit: 'inside', kernel: 'mitchell' })
    .raw()
    .toBuffer({ resolveWithObject: true });
  return {
    width: info.width,
    height: info.height,
    data: new Uint8Array(small.buffer, small.byteOffset, small.byteLength),
  };
}

type Covered = (width: number, height: number) => Uint8Array | null;

async function applyOperations(
  bytes: Uint8Array,
  operations: readonly ImageOperation[],
  covered: Covered | undefined,
  opened: Opened,
) {
  const source = sharp(bytes, { limitInputPixels: MOST_PIXELS }),
    meta = await source.metadata();
  let pngEffort = SMALL;
  let mimeType: ImageMime = meta.format === 'jpeg' ? 'image/jpeg' : meta.format === 'webp' ? 'image/webp' : 'image/png';
  let quality = 90,
    error: { maxError?: number; content?: ImageContent } = {},
    raw: Raw | null = null;
  const open = async (): Promise<Raw> => (raw ??= await rawOf(await opened.open(bytes)));
  for (const operation of operations) {
    if (operation.op === 'draft') {
      mimeType = 'image/png';
      pngEffort = DRAFT;
    } else if (operation.op === 'encode') {
      mimeType = operation.mimeType;
      quality = operation.quality;
      error = operation;
    } else if (operation.op === 'invert') {
      const { data, channels } = await open();
      for (let i = 0; i < data.length; i++) if (channels === 3 || (i & 3) !== 3) data[i] = 255 - data[i];
    } else raw = await resize(await open(), operation, covered ?? (() => null));
  }
  const image = raw ? imageFrom(raw.width, raw.height, raw.channels, raw.data) : source;
  // A grey map stays one channel in its file.
  if (raw?.channels === 3 && meta.channels && meta.channels < 3) image.toColourspace('b-w');
  if (error.maxError !== undefined && mimeType !== 'image/png')
    quality = await leastQuality(image, mimeType, quality, error.maxError, error.content ?? 'color');
  // What JPEG has no room for goes; the colour under it stays.
  const written =
    mimeType === 'image/png' ? image.png({ compressionLevel: pngEffort }) : lossy(image, mimeType, quality);
  const done = new Uint8Array(await written.toBuffer());
  // What was written without loss needs no opening; a grey file's channels are weighed anew when it is opened.
  if (raw && mimeType === 'image/png' && (meta.channels ?? 4) >= 3) opened.keep(done, pixelsFrom(raw));
  return { bytes: done, mimeType };
}

/** With alpha, as images are opened. */
function pixelsFrom({ width, height, channels, data }: Raw): Pixels {
  if (channels === 4) return { width, height, data };
  const out = new Uint8Array(width * height * 4).fill(255);
  for (let i = 0, o = 0; i < data.length; i += 3, o += 4) {
    out[o] = data[i];
    out[o + 1] = data[i + 1];
    out[o + 2] = data[i + 2];
  }
  return { width, height, data: out };
}

const lossy = (image: Sharp, mimeType: 'image/jpeg' | 'image/webp', quality: number): Sharp =>
  mimeType === 'image/jpeg'
    ? image.removeAlpha().jpeg({ quality, mozjpeg: false, chromaSubsampling: '4:4:4' })
    : image.webp({ quality });

/** Qualities that are tried, from the smallest file on. */
const QUALITIES = [50, 60, 70, 80, 88, 94];

/** The lowest quality at which an image is changed by no more than is allowed, `most` where none keeps to it. */
async function leastQuality(
  image: Sharp,
  mimeType: 'image/jpeg' | 'image/webp',
  most: number,
  maxError: number,
  content: ImageContent,
): Promise<number> {
  const before = await pixelsOf(mimeType === 'image/jpeg' ? image.clone().removeAlpha() : image.clone());
  for (const quality of QUALITIES) {
    if (quality >= most) break;
    const after = await pixelsOf(sharp(await lossy(image.clone(), mimeType, quality).toBuffer()));
    if (imageError(before, after, content) <= maxError) return quality;
  }
  return most;
}

interface Raw {
  width: number;
  height: number;
  /** Three where alpha says nothing. */
  channels: 3 | 4;
  data: Uint8Array;
}

/** Pixels of one's own to write into: what was opened is shared by a whole run. */
async function rawOf({ width, height, data }: Pixels): Promise<Raw> {
  return isOpaque(data)
    ? { width, height, channels: 3, data: await withoutAlpha(width, height, data) }
    : { width, height, channels: 4, data: Uint8Array.from(data) };
}

function isOpaque(data: Uint8Array): boolean {
  for (let i = 3; i < data.length; i += 4) if (data[i] !== 255) return false;
  return true;
}

const imageFrom = (width: number, height: number, channels: 3 | 4, data: Uint8Array): Sharp =>
  sharp(data, { raw: { width, height, channels } });
/** Some channels of four, taken on a thread of the library's. */
const withoutAlpha = (width: number, height: number, data: Uint8Array): Promise<Uint8Array> =>
  bytesOf(imageFrom(width, height, 4, data).removeAlpha());
const alphaOf = (width: number, height: number, data: Uint8Array): Promise<Uint8Array> =>
  bytesOf(imageFrom(width, height, 4, data).extractChannel(3).toColourspace('b-w'));
async function bytesOf(image: Sharp): Promise<Uint8Array> {
  const out = await image.raw({ depth: 'uchar' }).toBuffer();
  return new Uint8Array(out.buffer, out.byteOffset, out.byteLength);
}

/** How many texels of the source the filter reads beyond each texel of the result. */
const FILTER_REACH = 3;

/**
 * Scales an image: colour in linear light and floats, weighed by its alpha and then bled under what is clear; data and
 * normals as they are, apart from their alpha, since it isn't see-through there. Islands are padded first.
 */
async function resize(
  raw: Raw,
  { width, height, content }: Extract<ImageOperation, { op: 'resize' }>,
  covered: Covered,
): Promise<Raw> {
  if (width === raw.width && height === raw.height) return raw;
  const known = covered(raw.width, raw.height);
  if (known)
    bleedOutward(
      raw.data,
      raw.width,
      raw.height,
      raw.channels,
      known,
      Math.ceil(FILTER_REACH * Math.max(raw.width / width, raw.height / height, 1)) + 1,
    );
  const scaled = (data: Uint8Array, channels: 1 | 3 | 4, linear: boolean): Promise<Uint8Array> => {
    let image = sharp(data, { raw: { width: raw.width, height: raw.height, channels } });
    if (linear) image = image.pipelineColourspace('scrgb');
    image = image.resize({ width, height, fit: 'fill', kernel: 'mitchell' });
    return bytesOf(channels === 1 ? image.toColourspace('b-w') : linear ? image.toColourspace('srgb') : image);
  };
  if (content === 'color') {
    const data = await scaled(raw.data, raw.channels, true);
    if (raw.channels === 4) bleedUnderClear(data, width, height);
    return { width, height, channels: raw.channels, data };
  }
  const apart = raw.channels === 4,
    data = await scaled(apart ? await withoutAlpha(raw.width, raw.height, raw.data) : raw.data, 3, false);
  if (content === 'normal') renormalise(data, 3);
  if (!apart) return { width, height, channels: 3, data };
  const alpha = await scaled(await alphaOf(raw.width, raw.height, raw.data), 1, false),
    joined = new Uint8Array(width * height * 4);
  for (let i = 0, o = 0, c = 0; i < alpha.length; i++, o += 4, c += 3) {
    joined[o] = data[c];
    joined[o + 1] = data[c + 1];
    joined[o + 2] = data[c + 2];
    joined[o + 3] = alpha[i];
  }
  return { width, height, channels: 4, data: joined };
}

/** Averaged normals are shorter than one: back to unit length. Channels hold (n + 1) / 2. */
function renormalise(data: Uint8Array, channels: number): void {
  if (channels < 3) return;
  for (let i = 0; i < data.length; i += channels) {
    const x = data[i] / 127.5 - 1,
      y = data[i + 1] / 127.5 - 1,
      z = data[i + 2] / 127.5 - 1;
    const length = Math.sqrt(x * x + y * y + z * z) || 1;
    // Never below zero, where this rounds as Math.round does, in a fifth of the time.
    data[i] = ((x / length + 1) * 127.5 + 0.5) | 0;
    data[i + 1] = ((y / length + 1) * 127.5 + 0.5) | 0;
    data[i + 2] = ((z / length + 1) * 127.5 + 0.5) | 0;
  }
}

/** Writes raw pixels as an image file. */
export async function encodePixels(
  picture: { width: number; height: number; channels: 3 | 4; data: Uint8Array },
  mimeType: ImageMime,
  quality = 92,
  pngEffort = SMALL,
): Promise<Uint8Array> {
  const image = sharp(picture.data, {
    raw: { width: picture.width, height: picture.height, channels: picture.channels },
  });
  return new Uint8Array(
    await (mimeType === 'image/jpeg'
      ? image.removeAlpha().jpeg({ quality, chromaSubsampling: '4:4:4' })
      : mimeType === 'image/webp'
        ? image.webp({ quality })
        : image.png({ compressionLevel: pngEffort })
    ).toBuffer(),
  );
}
