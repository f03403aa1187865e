import type { Document } from '@gltf-transform/core';
import { type Finding, ProblemError } from '../../problem.ts';

/** Turns an image that glTF's views can't show into PNG. */
export type ImageUnpacker = (bytes: Uint8Array, mimeType: string) => Promise<Uint8Array>;
const KINDS: Record<string, string> = {
  'image/ktx2': 'packed for graphics processors (KTX2) and opened; what that packing lost before stays lost',
  'image/tiff': 'TIFF, and became PNG without loss',
};

/** Turns KTX2 and TIFF images into PNG, so that every step and view can see their pixels. Unreadable ones are told of and taken out. */
export async function unpackImages(document: Document, unpack: ImageUnpacker): Promise<Finding[]> {
  const findings: Finding[] = [],
    opened = new Map<string, string[]>();
  for (const texture of document.getRoot().listTextures()) {
    const bytes = texture.getImage(),
      type = texture.getMimeType(),
      name = texture.getName() || texture.getURI() || 'image';
    if (!bytes || !KINDS[type]) continue;
    try {
      texture
        .setImage((await unpack(bytes, type)) as Uint8Array<ArrayBuffer>)
        .setURI(texture.getURI().replace(/\.(ktx2|tiff?)$/i, '.png'))
        .setMimeType('image/png');
      opened.set(type, [...(opened.get(type) ?? []), name]);
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      findings.push({ code: error.code, severity: 'error', message: `“${name}”: ${error.message}`, where: name });
      texture.dispose();
    }
  }
  for (const [type, names] of opened)
    findings.push({
      code: 'intake.unpacked',
      severity: 'info',
      message: `${names.length} ${names.length === 1 ? 'image was' : 'images were'} ${KINDS[type]}.`,
      where: names[0],
      measured: names.length,
    });
  if (opened.has('image/ktx2'))
    for (const extension of document.getRoot().listExtensionsUsed())
      if (extension.extensionName === 'KHR_texture_basisu') extension.dispose();
  return findings;
}
