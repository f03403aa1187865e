import type { Document, Texture } from '@gltf-transform/core';
import type { BeyondGltf } from '../character/index.ts';
import { encoded, type InputFile, writeMaterialX } from '../formats/index.ts';
import { KTX2 } from '../pixels/index.ts';
import type { Finding } from '../problem.ts';
import type { StepContext } from '../step.ts';
import { pathFrom, type Target } from '../targets/index.ts';
import { mapsBeside, type MaterialMaps } from '../textures/index.ts';

export interface BesideModel {
  files: InputFile[];
  findings: Finding[];
  /** What lies in which file, for the manifest. */
  maps?: MaterialMaps[];
}

/** What a target wants beside the model, which lies in `folder`: maps in its own layouts, and its materials as MaterialX with the maps that names. */
export async function besideModel(
  document: Document,
  target: Target,
  character: string,
  context: StepContext,
  beyond: Readonly<Record<string, BeyondGltf>> = {},
  folder = '',
): Promise<BesideModel> {
  const out: BesideModel = { files: [], findings: [] },
    { beside } = target.textures;
  if (beside) {
    const { files, list, findings } = await mapsBeside(
      document,
      beside,
      { character, target: target.id },
      context.images,
    );
    out.files.push(...files);
    out.findings.push(...findings);
    out.maps = list;
  }
  if (target.materials.materialX) {
    const named = new Set<Texture>(),
      text = writeMaterialX(
        document,
        (texture) => {
          named.add(texture);
          return readableName(texture);
        },
        beyond,
      );
    out.files.push({ path: pathFrom(folder, `${character}.mtlx`), bytes: text });
    for (const texture of document.getRoot().listTextures()) {
      const image = texture.getImage(),
        packed = isPacked(texture);
      // A .gltf has its maps beside it already, under the same names, unless they are packed.
      if (!image || !named.has(texture) || (target.package.format !== 'glb' && !packed)) continue;
      const bytes = packed ? await encoded(context.images, await context.images.decode(image), {}) : image;
      out.files.push({ path: pathFrom(folder, readableName(texture)), bytes: bytes as Uint8Array<ArrayBuffer> });
    }
  }
  return out;
}

/** What is packed for graphics processors is nothing that readers of MaterialX open: they get it as PNG. */
const isPacked = (texture: Texture): boolean => texture.getMimeType() === KTX2;
const readableName = (texture: Texture): string =>
  isPacked(texture) ? texture.getURI().replace(/\.ktx2$/, '.png') : texture.getURI();
