import { KTX2Loader } from 'three/addons/loaders/KTX2Loader.js';
import transcoder from 'three/addons/libs/basis/basis_transcoder.js?raw';

/**
 * Unpacks maps packed for graphics processors, as the loader's own worker does. That one is made from a text and would
 * stand under the page's rules, which let nobody make code from text, as the transcoder does for itself; this one is a file,
 * and the server gives it, and nothing else, leave to (`Content-Security-Policy` in `apps/server/src/app.ts`).
 */
interface Inner {
  EngineFormat: unknown;
  EngineType: unknown;
  TranscoderFormat: unknown;
  BasisFormat: unknown;
  BasisWorker: { toString(): string };
}
const { EngineFormat, EngineType, TranscoderFormat, BasisFormat, BasisWorker } = KTX2Loader as unknown as Inner,
  worker = BasisWorker.toString(),
  body = [
    `let _EngineFormat = ${JSON.stringify(EngineFormat)}`,
    `let _EngineType = ${JSON.stringify(EngineType)}`,
    `let _TranscoderFormat = ${JSON.stringify(TranscoderFormat)}`,
    `let _BasisFormat = ${JSON.stringify(BasisFormat)}`,
    transcoder,
    worker.slice(worker.indexOf('{') + 1, worker.lastIndexOf('}')),
  ].join('\n');
new Function(body)();
