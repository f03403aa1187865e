import type { Accessor, Document } from '@gltf-transform/core';
import { STEPS } from '@dimetra/core';

type Numbers = NonNullable<ReturnType<Accessor['getArray']>>;

/** Every array that a document holds: numbers of accessors and bytes of images, with what it is called. */
function arraysOf(document: Document): Map<Numbers, string> {
  const out = new Map<Numbers, string>(),
    root = document.getRoot();
  root.listAccessors().forEach((accessor, i) => {
    const array = accessor.getArray();
    if (array) out.set(array, `accessor ${i} ${accessor.getName()}`);
  });
  for (const texture of root.listTextures()) {
    const image = texture.getImage();
    if (image) out.set(image as Numbers, `image ${texture.getURI() || texture.getName()}`);
  }
  return out;
}

/** A sum over all bytes and their order (FNV-1a, 32 bits at a time): quick, and no change of one number keeps it. */
function sumOf({ buffer, byteOffset, byteLength }: Numbers): number {
  const whole = byteOffset % 4 === 0 ? byteLength >> 2 : 0,
    words = new Uint32Array(buffer, whole ? byteOffset : 0, whole),
    bytes = new Uint8Array(buffer, byteOffset + whole * 4, byteLength - whole * 4);
  let sum = 0x811c9dc5;
  for (let i = 0; i < whole; i++) sum = Math.imul(sum ^ words[i], 0x01000193);
  for (let i = 0; i < bytes.length; i++) sum = Math.imul(sum ^ bytes[i], 0x01000193);
  return sum >>> 0;
}

/**
 * Watches every step that runs from now on: whichever array stood in the document before a step must hold the same
 * after it, since results that are kept, and the source, share it.
 * @returns arrays that were written, as they are found, and a way to stop
 */
export function watchSteps(): { written: string[]; watched: () => number; stop(): void } {
  const written: string[] = [],
    runs = STEPS.map((step) => step.run),
    // What an array held after the step before, it holds before this one: whoever wrote in between is told as this one.
    known = new WeakMap<Numbers, number>();
  let watched = 0;
  STEPS.forEach((step, i) => {
    step.run = async (document, ...rest) => {
      const before = [...arraysOf(document)].map(([array, name]) => ({
        array,
        name,
        sum: known.get(array) ?? sumOf(array),
      }));
      const did = await runs[i].call(step, document, ...rest);
      for (const { array, name, sum } of before) {
        const now = sumOf(array);
        if (now !== sum) written.push(`${step.id}: ${name}`);
        known.set(array, now);
      }
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
