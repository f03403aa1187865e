import { readFile } from 'node:fs/promises';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { MOST_PIXELS, ProblemError, type Pixels } from '@dimetra/core';

interface Ktx2File {
  isValid(): boolean;
  getWidth(): number;
  getHeight(): number;
  isHDR?(): boolean;
  startTranscoding(): boolean;
  getImageTranscodedSizeInBytes(level: number, layer: number, face: number, format: number): number;
  transcodeImage(
    out: Uint8Array,
    level: number,
    layer: number,
    face: number,
    format: number,
    alpha: number,
    a: number,
    b: number,
  ): number;
  close(): void;
  delete(): void;
}
interface Transcoder {
  initializeBasis(): void;
  KTX2File: new (bytes: Uint8Array) => Ktx2File;
}

/** Number of plain 8-bit RGBA in the transcoder's list of formats. */
const RGBA32 = 13;
let loading: Promise<Transcoder> | undefined;

/**
 * The Basis Universal transcoder that ships with three.js. It is a plain script in a package of modules, so it is run
 * as a function here, with its WebAssembly handed over.
 */
async function load(): Promise<Transcoder> {
  const require = createRequire(import.meta.url),
    script = require.resolve('three/examples/jsm/libs/basis/basis_transcoder.js');
  const [code, wasmBinary] = await Promise.all([
    readFile(script, 'utf8'),
    readFile(join(dirname(script), 'basis_transcoder.wasm')),
  ]);
  const make = new Function('require', '__filename', '__dirname', `${code}\nreturn BASIS;`)(
    require,
    script,
    dirname(script),
  ) as (options: object) => Promise<Transcoder>;
  const transcoder = await make({ wasmBinary, print: () => {}, printErr: () => {} });
  transcoder.initializeBasis();
  return transcoder;
}

/** Opens a KTX2 image (Basis ETC1S or UASTC, with or without Zstandard), its largest level. @throws ProblemError image.unreadable */
export async function unpackKtx2(bytes: Uint8Array): Promise<Pixels> {
  const bad = (what: string) =>
    new ProblemError('image.unreadable', `A KTX2 image can't be read: ${what}. Export it as PNG or JPEG.`);
  loading ??= load();
  const transcoder = await loading;
  let file: Ktx2File | null = null;
  try {
    file = new transcoder.KTX2File(bytes);
    if (!file.isValid()) throw bad('it is damaged, or packed in another way than Basis Universal');
    if (file.isHDR?.()) throw bad('it holds high-range colours');
    const width = file.getWidth(),
      height = file.getHeight();
    if (!(width > 0 && height > 0) || width * height > MOST_PIXELS) throw bad(`it claims ${width} × ${height} pixels`);
    if (!file.startTranscoding()) throw bad('it is damaged');
    const data = new Uint8Array(file.getImageTranscodedSizeInBytes(0, 0, 0, RGBA32));
    if (data.length < width * height * 4 || !file.transcodeImage(data, 0, 0, 0, RGBA32, 0, -1, -1))
      throw bad('it is damaged');
    return { width, height, data: data.subarray(0, width * height * 4) };
  } catch (error) {
    if (error instanceof ProblemError) throw error;
    // A transcoder that ran into the wall is not to be trusted with the next image.
    loading = undefined;
    throw bad('it is damaged');
  } finally {
    file?.close();
    file?.delete();
  }
}
