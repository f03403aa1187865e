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
import { openedOnce } from './opened-once.ts';

// A worker process runs several of these side by side; more threads each would only take memory.
sharp.concurrency(1);
sharp.cache(false);

/** Opens an image at full size. */
type Open = (bytes: Uint8Array) => Promise<Pixels>;

const openFully: Open = async (bytes) => {
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
export const sharpCodec: ImageCodec = codecOf(openFully);

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

function codecOf(opened: Open): ImageCodec {
  return {
    decode: async (bytes, maxSize) => shrunk(await opened(bytes), maxSize),
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
          const { width, height, data } = await opened(bytes);
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
    pack: async (bytes, operation) => packPixels(await opened(bytes), operation),
    encode({ width, height, data }, { mimeType = 'image/png', quality, opaque = false } = {}) {
      const channels = opaque ? 3 : 4;
      return encodePixels({ width, height, channels, data: opaque ? withoutAlpha(data) : data }, mimeType, quality);
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
  covered: Covered = () => null,
  opened: Open = openFully,
) {
  const source = sharp(bytes, { limitInputPixels: MOST_PIXELS }),
    meta = await source.metadata();
  let mimeType: ImageMime = meta.format === 'jpeg' ? 'image/jpeg' : meta.format === 'webp' ? 'image/webp' : 'image/png';
  let quality = 90,
    error: { maxError?: number; content?: ImageContent } = {},
    raw: Raw | null = null;
  const open = async (): Promise<Raw> => (raw ??= rawOf(await opened(bytes)));
  for (const operation of operations) {
    if (operation.op === 'encode') {
      mimeType = operation.mimeType;
      quality = operation.quality;
      error = operation;
    } else if (operation.op === 'invert') {
      const { data, channels } = await open();
      for (let i = 0; i < data.length; i++) if (channels === 3 || (i & 3) !== 3) data[i] = 255 - data[i];
    } else raw = await resize(await open(), operation, covered);
  }
  const { width, height, channels, data } = (raw ?? {}) as Partial<Raw>;
  const image = data && width && height && channels ? sharp(data, { raw: { width, height, channels } }) : source;
  // A grey map stays one channel in its file.
  if (raw && meta.channels && meta.channels < 3 && raw.channels === 3) image.toColourspace('b-w');
  if (error.maxError !== undefined && mimeType !== 'image/png')
    quality = await leastQuality(image, mimeType, quality, error.maxError, error.content ?? 'color');
  // What JPEG has no room for goes; the colour under it stays.
  const written = mimeType === 'image/png' ? image.png({ compressionLevel: 7 }) : lossy(image, mimeType, quality);
  return { bytes: new Uint8Array(await written.toBuffer()), mimeType };
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

/** Three channels where alpha says nothing, else four. */
interface Raw {
  width: number;
  height: number;
  channels: 3 | 4;
  data: Uint8Array;
}

/** Pixels of one's own to write into. */
function rawOf({ width, height, data }: Pixels): Raw {
  for (let i = 3; i < data.length; i += 4)
    if (data[i] !== 255) return { width, height, channels: 4, data: Uint8Array.from(data) };
  return { width, height, channels: 3, data: withoutAlpha(data) };
}

/** Red, green and blue of four; written out, since whole maps go through it. */
function withoutAlpha(data: Uint8Array): Uint8Array {
  const out = new Uint8Array((data.length / 4) * 3);
  for (let i = 0, o = 0; o < out.length; i += 4, o += 3) {
    out[o] = data[i];
    out[o + 1] = data[i + 1];
    out[o + 2] = data[i + 2];
  }
  return out;
}

function channelsOf(data: Uint8Array, channels: number, wanted: readonly number[]): Uint8Array {
  const count = data.length / channels,
    out = new Uint8Array(count * wanted.length);
  for (let i = 0; i < count; i++)
    for (let k = 0; k < wanted.length; k++) out[i * wanted.length + k] = data[i * channels + wanted[k]];
  return out;
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
  const scaled = async (data: Uint8Array, channels: 1 | 3 | 4, linear: boolean): Promise<Uint8Array> => {
    let image = sharp(data, { raw: { width: raw.width, height: raw.height, channels } });
    if (linear) image = image.pipelineColourspace('scrgb');
    image = image.resize({ width, height, fit: 'fill', kernel: 'mitchell' });
    const out = await (channels === 1 ? image.toColourspace('b-w') : linear ? image.toColourspace('srgb') : image)
      .raw({ depth: 'uchar' })
      .toBuffer();
    return new Uint8Array(out.buffer, out.byteOffset, out.byteLength);
  };
  if (content === 'color') {
    const data = await scaled(raw.data, raw.channels, true);
    if (raw.channels === 4) bleedUnderClear(data, width, height);
    return { width, height, channels: raw.channels, data };
  }
  const data = await scaled(raw.channels === 4 ? withoutAlpha(raw.data) : raw.data, 3, false);
  if (content === 'normal') renormalise(data, 3);
  if (raw.channels !== 4) return { width, height, channels: raw.channels, data };
  const alpha = await scaled(channelsOf(raw.data, 4, [3]), 1, false),
    joined = new Uint8Array(width * height * 4);
  for (let i = 0; i < alpha.length; i++) {
    joined.set(data.subarray(i * 3, i * 3 + 3), i * 4);
    joined[i * 4 + 3] = alpha[i];
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
    const length = Math.hypot(x, y, z) || 1;
    data[i] = Math.round((x / length + 1) * 127.5);
    data[i + 1] = Math.round((y / length + 1) * 127.5);
    data[i + 2] = Math.round((z / length + 1) * 127.5);
  }
}

/** Writes raw pixels as an image file. */
export async function encodePixels(
  picture: { width: number; height: number; channels: 3 | 4; data: Uint8Array },
  mimeType: ImageMime,
  quality = 92,
): Promise<Uint8Array> {
  const image = sharp(picture.data, {
    raw: { width: picture.width, height: picture.height, channels: picture.channels },
  });
  return new Uint8Array(
    await (mimeType === 'image/jpeg'
      ? image.removeAlpha().jpeg({ quality, chromaSubsampling: '4:4:4' })
      : mimeType === 'image/webp'
        ? image.webp({ quality })
        : image.png({ compressionLevel: 7 })
    ).toBuffer(),
  );
}
