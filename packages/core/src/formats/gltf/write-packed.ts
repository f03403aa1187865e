import { type Document, Format, type JSONDocument, VertexLayout } from '@gltf-transform/core';
import { EXTMeshoptCompression, KHRDracoMeshCompression } from '@gltf-transform/extensions';
import type { InputFile } from '../files.ts';
import { POSITION_BITS } from './quantise.ts';
import { createGltfIO } from './read.ts';

/** Vertex order is kept: morphs lie beside the coded arrays, and what is delivered can be compared by vertex. */
const DRACO = {
  method: KHRDracoMeshCompression.EncoderMethod.SEQUENTIAL,
  encodeSpeed: 5,
  decodeSpeed: 5,
  quantizationVolume: 'scene',
  quantizationBits: { POSITION: POSITION_BITS, NORMAL: 12, TEX_COORD: 16, COLOR: 12, GENERIC: 14 },
} as const;

/**
 * Writes glTF whose arrays are coded: meshopt codes everything, as it is (EXT_meshopt_compression over what
 * {@link quantise} made of it), Draco the surfaces, with losses (KHR_draco_mesh_compression). Changes `document`.
 * @param single one .glb; otherwise .gltf, .bin and images
 */
export async function writePacked(
  document: Document,
  coding: 'meshopt' | 'draco',
  name: string,
  single: boolean,
): Promise<InputFile[]> {
  const io = await createGltfIO(await encoderOf(coding));
  io.setVertexLayout(VertexLayout.SEPARATE);
  if (coding === 'meshopt') {
    document
      .createExtension(EXTMeshoptCompression)
      .setRequired(true)
      .setEncoderOptions({ method: EXTMeshoptCompression.EncoderMethod.QUANTIZE });
    // Runs of zeros cost it next to nothing, and lists of what isn't zero it leaves uncoded.
    for (const accessor of document.getRoot().listAccessors()) if (accessor.getSparse()) accessor.setSparse(false);
  } else document.createExtension(KHRDracoMeshCompression).setRequired(true).setEncoderOptions(DRACO);
  if (single) return [{ path: `${name}.glb`, bytes: await io.writeBinary(document) }];
  const [buffer] = document.getRoot().listBuffers();
  buffer?.setURI(`${name}.bin`);
  return filesOf(await io.writeJSON(document, { format: Format.GLTF, basename: name }), name);
}

function filesOf({ json, resources }: JSONDocument, name: string): InputFile[] {
  const text = new TextEncoder().encode(JSON.stringify(json, null, 1)),
    beside = Object.entries(resources).map(([path, bytes]) => ({ path, bytes }));
  // The model first, its numbers next, as when nothing is coded.
  return [
    { path: `${name}.gltf`, bytes: text },
    ...beside.filter(({ path }) => path === `${name}.bin`),
    ...beside.filter(({ path }) => path !== `${name}.bin`),
  ];
}

/** Coders are large: each is fetched when a target asks for it. */
async function encoderOf(coding: 'meshopt' | 'draco'): Promise<Record<string, unknown>> {
  if (coding === 'draco') {
    const { default: draco } = await import('draco3dgltf');
    return { 'draco3d.encoder': await draco.createEncoderModule() };
  }
  const { MeshoptEncoder } = await import('meshoptimizer/encoder');
  await MeshoptEncoder.ready;
  return { 'meshopt.encoder': MeshoptEncoder };
}
