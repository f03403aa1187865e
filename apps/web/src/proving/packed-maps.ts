import type { LoadingManager, WebGLRenderer } from 'three';
import { KTX2Loader } from 'three/addons/loaders/KTX2Loader.js';
import binary from 'three/addons/libs/basis/basis_transcoder.wasm?url';

/** What of the loader's inside is put in another place. */
interface Inner {
  workerPool: { setWorkerCreator(make: () => Worker): void };
  workerConfig: unknown;
  transcoderPending: Promise<void> | null;
  init(): Promise<void>;
}

/** The library's loader of KTX2, with a worker that the page's rules allow (`workers/ktx2.worker.ts`). */
export function packedMapsLoader(manager: LoadingManager, renderer: WebGLRenderer): KTX2Loader {
  const loader = new KTX2Loader(manager).detectSupport(renderer),
    inner = loader as unknown as Inner;
  inner.init = () => {
    inner.transcoderPending ??= fetch(binary)
      .then((response) => response.arrayBuffer())
      .then((bytes) =>
        inner.workerPool.setWorkerCreator(() => {
          const worker = new Worker(new URL('../workers/ktx2.worker.ts', import.meta.url), { type: 'module' }),
            transcoderBinary = bytes.slice(0);
          worker.postMessage({ type: 'init', config: inner.workerConfig, transcoderBinary }, [transcoderBinary]);
          return worker;
        }),
      );
    return inner.transcoderPending;
  };
  return loader;
}
