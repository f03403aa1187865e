import type { GLTF } from '@gltf-transform/core';
import { ProblemError } from '../../problem.ts';

/** The JSON of a glTF file. @throws ProblemError gltf.not-text, gltf.bad-json */
export function parseJson(bytes: Uint8Array, path: string): GLTF.IGLTF {
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    throw new ProblemError(
      'gltf.not-text',
      `“${path}” is not a glTF file: it is neither binary glTF nor readable text.`,
      path,
    );
  }
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch (error) {
    throw new ProblemError(
      'gltf.bad-json',
      `“${path}” is cut off or damaged: ${(error as Error).message}. Export or copy it again.`,
      path,
    );
  }
  if (typeof json !== 'object' || json === null || Array.isArray(json))
    throw new ProblemError('gltf.bad-json', `“${path}” holds JSON, but not a glTF model.`, path);
  return json as GLTF.IGLTF;
}
