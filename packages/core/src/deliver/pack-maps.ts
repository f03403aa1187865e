import type { Document, Texture } from '@gltf-transform/core';
import { KHRTextureBasisu } from '@gltf-transform/extensions';
import { textureFile } from '../character/index.ts';
import { KTX2, type PackOperation } from '../pixels/index.ts';
import { type Finding, ProblemError, throwIfAborted } from '../problem.ts';
import type { StepContext } from '../step.ts';

/** Gives an image's file the ending of its format. */
export function renameForFormat(texture: Texture, mimeType: string): void {
  const file = texture.getURI();
  if (file)
    texture.setURI(file.replace(/\.[^.]+$/, '') + (mimeType === 'image/jpeg' ? '.jpg' : `.${mimeType.slice(6)}`));
}

/**
 * Packs written maps for graphics processors, as KHR_texture_basisu has them. What can't be packed stays as it is and is
 * told.
 */
export async function packMaps(
  document: Document,
  packs: ReadonlyMap<Texture, PackOperation>,
  { images, progress, signal }: StepContext,
): Promise<Finding[]> {
  if (!packs.size) return [];
  const findings: Finding[] = [];
  if (!images.pack)
    return [
      {
        code: 'textures.not-packed',
        severity: 'warning',
        message: 'Maps can’t be packed for graphics processors here; they are delivered in their own formats.',
      },
    ];
  const { pack } = images,
    errors = new Map<Texture, number | ProblemError>(),
    left = [...packs];
  // Two side by side: the encoder works in threads of its own.
  const lane = async (): Promise<void> => {
    for (let next = left.shift(); next; next = left.shift()) {
      const [texture, operation] = next,
        image = texture.getImage();
      throwIfAborted(signal);
      progress(errors.size / packs.size, `packing map ${textureFile(texture)}`);
      if (!image?.length) continue;
      try {
        const { bytes, error } = await pack(image, operation);
        texture.setImage(bytes as Uint8Array<ArrayBuffer>).setMimeType(KTX2);
        renameForFormat(texture, KTX2);
        errors.set(texture, error);
      } catch (error) {
        if (!(error instanceof ProblemError)) throw error;
        errors.set(texture, error);
      }
    }
  };
  await Promise.all([lane(), lane()]);
  let packed = 0,
    worst = { error: 0, file: '' };
  for (const texture of packs.keys()) {
    const error = errors.get(texture),
      file = textureFile(texture);
    if (error instanceof ProblemError)
      findings.push({
        code: 'textures.not-packed',
        severity: 'warning',
        message: `“${file}” is delivered as ${texture.getMimeType().slice(6).toUpperCase()}: ${error.message}`,
        where: file,
      });
    else if (error !== undefined) {
      packed++;
      if (error >= worst.error) worst = { error, file };
    }
  }
  if (!packed) return findings;
  document.createExtension(KHRTextureBasisu).setRequired(true);
  findings.push({
    code: 'textures.packed',
    severity: 'info',
    message: `${packed} ${packed === 1 ? 'map is' : 'maps are'} packed for graphics processors (KTX2); the most any of them changed by it is ${worst.error.toFixed(2)} on the average, “${worst.file}”.`,
    measured: Math.round(worst.error * 100) / 100,
  });
  return findings;
}
