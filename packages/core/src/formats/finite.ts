import type { Document } from '@gltf-transform/core';
import { ProblemError } from '../problem.ts';

/**
 * Numbers that a text format holds may be too large for the 32 bits they are stored in, or be none at all: whatever a
 * reader made is looked through once, arrays and transforms.
 * @throws ProblemError intake.not-finite, naming the array or node
 */
export function checkFinite(document: Document, path: string): void {
  const root = document.getRoot();
  for (const node of root.listNodes()) {
    if (
      ![...node.getTranslation(), ...node.getRotation(), ...node.getScale()].every((x) =>
        Number.isFinite(Math.fround(x)),
      )
    )
      throw new ProblemError(
        'intake.not-finite',
        `“${node.getName()}” in “${path}” stands at a place that is no finite number. Export it again.`,
        node.getName(),
      );
  }
  for (const mesh of root.listMeshes())
    for (const prim of mesh.listPrimitives())
      for (const holder of [prim, ...prim.listTargets()])
        for (const semantic of holder.listSemantics()) {
          const array = holder.getAttribute(semantic)?.getArray();
          if (array instanceof Float32Array && !allFinite(array))
            throw new ProblemError(
              'intake.not-finite',
              `“${mesh.getName()}” in “${path}” holds numbers that aren't finite (${semantic.toLowerCase().replace(/_\d+$/, '')}), or too large to store. Repair or export it again.`,
              mesh.getName(),
            );
        }
  for (const clip of root.listAnimations())
    for (const sampler of clip.listSamplers())
      for (const accessor of [sampler.getInput(), sampler.getOutput()]) {
        const array = accessor?.getArray();
        if (array instanceof Float32Array && !allFinite(array))
          throw new ProblemError(
            'intake.not-finite',
            `The motion “${clip.getName()}” in “${path}” holds numbers that aren't finite. Export it again.`,
            clip.getName(),
          );
      }
}

// Alone, so that its compiled code outlives the document.
function allFinite(values: Float32Array): boolean {
  let sum = 0;
  for (let i = 0; i < values.length; i++) sum += values[i] * 0;
  return sum === 0;
}
