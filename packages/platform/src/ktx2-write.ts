import { existsSync } from 'node:fs';
import { createRequire } from 'node:module';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { Worker } from 'node:worker_threads';
import {
  type ImageContent,
  imageError,
  type PackOperation,
  type Packed,
  type Pixels,
  ProblemError,
} from '@dimetra/core';
import { unpackKtx2 } from './ktx2.ts';

/** How the encoder is asked, in its own words. */
interface Effort {
  isUASTC: boolean;
  /** ETC1S: 1 … 255. */
  qualityLevel?: number;
  /** UASTC: 0 … 4. */
  uastcLDRQualityLevel?: number;
}
const ETC1S: readonly Effort[] = [
    { isUASTC: false, qualityLevel: 128 },
    { isUASTC: false, qualityLevel: 255 },
  ],
  UASTC: readonly Effort[] = [
    { isUASTC: true, uastcLDRQualityLevel: 0 },
    { isUASTC: true, uastcLDRQualityLevel: 1 },
  ];
/** What is tried, the smallest and quickest first. Directions suffer from ETC1S' few colours: only asked for by name. */
const tries = (packing: PackOperation['packing'], content: ImageContent): readonly Effort[] =>
  packing === 'etc1s' ? ETC1S : packing === 'smallest' && content !== 'normal' ? [ETC1S[1], ...UASTC] : UASTC;

/**
 * Packs an image for graphics processors, with mip levels, by the reference encoder of Basis Universal: the first effort
 * that changes it by no more than is allowed, else the one that changes it least. Sides are multiples of four.
 * @throws ProblemError image.unreadable
 */
export async function packPixels(pixels: Pixels, { packing, content, maxError }: PackOperation): Promise<Packed> {
  if (pixels.width % 4 || pixels.height % 4)
    throw new ProblemError(
      'image.unreadable',
      `It can't be packed: its sides, ${pixels.width} × ${pixels.height}, are no multiples of four.`,
    );
  let best: Packed | null = null;
  for (const effort of tries(packing, content)) {
    const bytes = await encoded(pixels, effort, content),
      error = imageError(pixels, await unpackKtx2(bytes), content);
    if (!best || error < best.error) best = { bytes, packing: effort.isUASTC ? 'uastc' : 'etc1s', error };
    if (error <= maxError) break;
  }
  return best as Packed;
}

/**
 * What runs in a thread of its own: the encoder takes seconds without a pause, and speaks to the console, which belongs
 * to others. Plain text, so that it needs no build.
 */
const PROGRAM = `
const { parentPort, workerData } = require('node:worker_threads');
const encoder = import(workerData);
parentPort.on('message', async ({ width, height, data, options }) => {
  try {
    const { encodeToKTX2 } = await encoder;
    const bytes = await encodeToKTX2(new Uint8Array(1), { ...options, imageDecoder: async () => ({ width, height, data }) });
    parentPort.postMessage({ bytes });
  } catch (error) {
    parentPort.postMessage({ error: String(error && error.message || error).split('\\n')[0] });
  }
});
`;

interface Answer {
  bytes?: Uint8Array;
  error?: string;
}
/** Threads that wait for more, each with the clock that ends it. */
const idle: { worker: Worker; ends: NodeJS.Timeout }[] = [],
  waiting: ((worker: Worker) => void)[] = [];
let running = 0;
/** A thread without work holds memory, and keeps its process from ending. */
const PATIENCE_MS = 500;

function encoded({ width, height, data }: Pixels, effort: Effort, content: ImageContent): Promise<Uint8Array> {
  const color = content === 'color',
    options = {
      ...effort,
      isNormalMap: content === 'normal',
      isPerceptual: color,
      isSetKTX2SRGBTransferFunc: color,
      generateMipmap: true,
      needSupercompression: true,
      // Least effort in search: three times as quick, some percent larger.
      compressionLevel: 1,
    };
  return free().then(
    (worker) =>
      new Promise((resolve, reject) => {
        const settle = (say: () => void, usable: boolean) => {
          // By name: the thread has listeners of its own.
          worker.off('message', answered).off('error', broke).off('exit', ended);
          if (usable) giveBack(worker);
          else end(worker);
          say();
        };
        const fail = (why: string) =>
            settle(() => reject(new ProblemError('image.unreadable', `It can't be packed: ${why}.`)), false),
          // An encoder that ran into the wall is not to be trusted with the next image.
          answered = ({ bytes, error }: Answer) =>
            bytes ? settle(() => resolve(bytes), true) : fail(error ?? 'the encoder says nothing'),
          broke = (error: Error) => fail(error.message),
          ended = () => fail('the encoder ended');
        worker.on('message', answered).on('error', broke).on('exit', ended);
        worker.postMessage({ width, height, data, options });
      }),
  );
}

/** Threads side by side; each holds some hundred megabytes while it packs. */
const MOST = Math.max(1, Math.min(2, availableParallelism()));

async function free(): Promise<Worker> {
  const known = idle.pop();
  if (known) {
    clearTimeout(known.ends);
    return known.worker;
  }
  if (running < MOST) {
    running++;
    return start();
  }
  return new Promise((resolve) => waiting.push(resolve));
}

function start(): Worker {
  const worker = new Worker(PROGRAM, { eval: true, stdout: true, stderr: true, workerData: encoderUrl() });
  worker.stdout.resume();
  worker.stderr.resume();
  return worker;
}
function giveBack(worker: Worker): void {
  const next = waiting.shift();
  if (next) {
    next(worker);
    return;
  }
  const ends = setTimeout(() => {
    idle.splice(
      idle.findIndex((one) => one.worker === worker),
      1,
    );
    end(worker);
  }, PATIENCE_MS);
  idle.push({ worker, ends });
}
function end(worker: Worker): void {
  void worker.terminate();
  const next = waiting.shift();
  if (next) next(start());
  else running--;
}

/** Text that is run has no place of its own that packages could be looked up from. */
function encoderUrl(): string {
  const folders = createRequire(import.meta.url).resolve.paths('ktx2-encoder') ?? [],
    file = folders.map((folder) => join(folder, 'ktx2-encoder/dist/node/index.js')).find(existsSync);
  if (!file) throw new ProblemError('image.unreadable', 'It can’t be packed: the encoder is not installed.');
  return pathToFileURL(file).href;
}
