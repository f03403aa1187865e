import type { ImageCodec, Pixels } from '../pixels/index.ts';
import { type Content, coverageMips, type Mips, mipsOf } from './mips.ts';

/** Longest side that maps are opened at: no view looks closer. */
const LARGEST = 2048;

/** Longest side that matters to a viewer who comes so near, metres. */
const enoughFor = (nearestM: number): number => (nearestM < 0.6 ? LARGEST : nearestM < 2 ? LARGEST / 2 : LARGEST / 4);

interface Opened {
  size: number;
  bytes: Uint8Array;
  pixels: Promise<Pixels | null>;
  mips: Map<Content, Mips>;
  coverage: Map<number, Mips>;
  least: number | undefined;
}

/** Maps as they are sampled, each image opened once, also where two figures hold it alike. An image that can't be opened is none. */
export class Maps {
  private readonly opened: Opened[] = [];

  private readonly size: number;

  /** @param nearestM how near the viewer comes */
  constructor(
    private readonly codec: ImageCodec,
    nearestM = 0,
  ) {
    this.size = enoughFor(nearestM);
  }

  async mips(bytes: Uint8Array, content: Content): Promise<Mips | null> {
    const entry = this.open(bytes),
      pixels = await entry.pixels;
    if (!pixels) return null;
    let found = entry.mips.get(content);
    if (!found) entry.mips.set(content, (found = mipsOf(pixels, content)));
    return found;
  }

  /** The largest level that is no longer than `most` on either side. */
  async level(bytes: Uint8Array, content: Content, most: number): Promise<Pixels | null> {
    const mips = await this.mips(bytes, content);
    return mips?.find(({ width, height }) => Math.max(width, height) <= most) ?? null;
  }

  /** @param cutoff 0 … 1, of the map's own alpha */
  async coverage(bytes: Uint8Array, cutoff: number): Promise<Mips | null> {
    // Cut at full size: a smaller one has softer edges.
    const entry = this.open(bytes, LARGEST),
      pixels = await entry.pixels;
    if (!pixels) return null;
    let found = entry.coverage.get(cutoff);
    if (!found) entry.coverage.set(cutoff, (found = coverageMips(pixels, cutoff)));
    return found;
  }

  /** Least alpha anywhere, 0 … 1. */
  async leastAlpha(bytes: Uint8Array): Promise<number> {
    const entry = this.open(bytes),
      pixels = await entry.pixels;
    if (!pixels) return 1;
    return (entry.least ??= leastOf(pixels.data));
  }

  private open(bytes: Uint8Array, size = this.size): Opened {
    let entry = this.opened.find((one) => one.size === size && alike(one.bytes, bytes));
    if (!entry) {
      entry = {
        size,
        bytes,
        pixels: this.codec.decode(bytes, size).catch(() => null),
        mips: new Map(),
        coverage: new Map(),
        least: undefined,
      };
      this.opened.push(entry);
    }
    return entry;
  }
}

function alike(a: Uint8Array, b: Uint8Array): boolean {
  if (a === b) return true;
  if (a.length !== b.length) return false;
  for (let i = 0; i < a.length; i++) if (a[i] !== b[i]) return false;
  return true;
}

function leastOf(data: Uint8Array): number {
  let least = 255;
  for (let i = 3; i < data.length; i += 4) if (data[i] < least) least = data[i];
  return least / 255;
}
