import type { Document } from '@gltf-transform/core';
import { STEPS } from '@dimetra/core';

type Bytes = Uint8Array;

/** Every array that a document holds: numbers of accessors and bytes of images, with what it is called. */
function arraysOf(document: Document): Map<Bytes, string> {
  const out = new Map<Bytes, string>(),
    root = document.getRoot();
  root.listAccessors().forEach((accessor, i) => {
    const array = accessor.getArray();
    if (array)
      out.set(new Uint8Array(array.buffer, array.byteOffset, array.byteLength), `accessor ${i} ${accessor.getName()}`);
  });
  for (const texture of root.listTextures()) {
    const image = texture.getImage();
    if (image) out.set(image, `image ${texture.getURI() || texture.getName()}`);
  }
  return out;
}

/** A sum over all bytes and their order (FNV-1a, 32 bits at a time): quick, and no change of one number keeps it. */
function sumOf(bytes: Bytes): number {
  let sum = 0x811c9dc5;
  const whole = bytes.byteOffset % 4 === 0 ? bytes.byteLength >> 2 : 0,
    words = whole ? new Uint32Array(bytes.buffer, bytes.byteOffset, whole) : [];
  for (let i = 0; i < whole; i++) sum = Math.imul(sum ^ words[i], 0x01000193);
  for (let i = whole * 4; i < bytes.length; i++) sum = Math.imul(sum ^ bytes[i], 0x01000193);
  return sum >>> 0;
}

/**
 * Watches every step that runs from now on: whichever array stood in the document before a step must hold the same
 * after it, since results that are kept, and the source, share it.
 * @returns arrays that were written, as they are found, and a way to stop
 */
export function watchSteps(): { written: string[]; watched: () => number; stop(): void } {
  const written: string[] = [],
    runs = STEPS.map((step) => step.run);
  let watched = 0;
  STEPS.forEach((step, i) => {
    step.run = async (document, ...rest) => {
      const before = [...arraysOf(document)].map(([bytes, name]) => ({ bytes, name, sum: sumOf(bytes) }));
      const did = await runs[i].call(step, document, ...rest);
      for (const { bytes, name, sum } of before) if (sumOf(bytes) !== sum) written.push(`${step.id}: ${name}`);
      watched += before.length;
      return did;
    };
  });
  return {
    written,
    watched: () => watched,
    stop: () =>
      STEPS.forEach((step, i) => {
        step.run = runs[i];
      }),
  };
}
