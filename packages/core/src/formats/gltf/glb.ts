import type { GLTF } from '@gltf-transform/core';
import { ProblemError } from '../../problem.ts';
import type { InputFile } from '../files.ts';
import { parseJson } from './json.ts';

const JSON_CHUNK = 0x4e4f534a;
const BIN_CHUNK = 0x004e4942;

/** Takes a binary glTF apart (glTF 2.0 §4): header, one JSON chunk, at most one binary chunk. @throws ProblemError */
export function parseGlb(main: InputFile): { json: GLTF.IGLTF; binary?: Uint8Array<ArrayBuffer> } {
  const { bytes, path } = main;
  const cut = (what: string) =>
    new ProblemError('gltf.truncated', `“${path}” is cut off: ${what}. Export or copy it again.`, path);
  if (bytes.length < 20) throw cut(`it has only ${bytes.length} bytes`);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const version = view.getUint32(4, true);
  if (version !== 2)
    throw new ProblemError(
      'gltf.version',
      `“${path}” is binary glTF version ${version}; Dimetra reads version 2.`,
      path,
    );
  const length = view.getUint32(8, true);
  if (length > bytes.length) throw cut(`its header says ${length} bytes, ${bytes.length} arrived`);
  let json: GLTF.IGLTF | undefined;
  let binary: Uint8Array<ArrayBuffer> | undefined;
  for (let at = 12; at + 8 <= length; ) {
    const size = view.getUint32(at, true);
    const type = view.getUint32(at + 4, true);
    if (at + 8 + size > length) throw cut(`a block of ${size} bytes runs past its end`);
    const content = bytes.subarray(at + 8, at + 8 + size) as Uint8Array<ArrayBuffer>;
    if (type === JSON_CHUNK && !json) json = parseJson(content, path);
    else if (type === BIN_CHUNK && !binary) binary = content;
    at += 8 + size + ((4 - (size % 4)) % 4);
  }
  if (!json)
    throw new ProblemError(
      'gltf.no-json',
      `“${path}” has no description block, so nothing in it can be read. Export it again.`,
      path,
    );
  return { json, binary };
}
