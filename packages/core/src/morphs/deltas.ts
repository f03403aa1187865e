import type { Document, Mesh, Primitive, PrimitiveTarget } from '@gltf-transform/core';
import { floatsOf, morphNamesOf } from '../character/index.ts';

/** What a morph may move (glTF 2.0 §3.7.2.2). */
export const MOVED = ['POSITION', 'NORMAL', 'TANGENT'] as const;
export type Moved = (typeof MOVED)[number];

/** Movement at full weight, xyz per vertex; the accessor's own array where it can be. Null where the morph says nothing of it. */
export function deltaOf(target: PrimitiveTarget | undefined, of: Moved): Float32Array | null {
  const accessor = target?.getAttribute(of);
  return accessor ? floatsOf(accessor) : null;
}

/** Sum of movements, each times its weight; null where none of them says anything of it. */
export function summed(
  targets: readonly { target: PrimitiveTarget; weight: number }[],
  of: Moved,
  count: number,
): Float32Array | null {
  const rows = targets.flatMap(({ target, weight }) => {
    const delta = deltaOf(target, of);
    return delta && weight ? [{ delta, weight }] : [];
  });
  if (!rows.length) return null;
  // In double numbers, so that the order of the morphs makes no difference that would be seen.
  const sum = new Float64Array(count * 3);
  for (const { delta, weight } of rows) addScaled(sum, delta, weight);
  return Float32Array.from(sum);
}
function addScaled(sum: Float64Array, delta: Float32Array, weight: number): void {
  const length = Math.min(sum.length, delta.length);
  for (let i = 0; i < length; i++) sum[i] += delta[i] * weight;
}

export const putDelta = (
  document: Document,
  target: PrimitiveTarget,
  of: Moved,
  values: Float32Array,
): PrimitiveTarget =>
  target.setAttribute(
    of,
    document
      .createAccessor()
      .setType('VEC3')
      .setArray(values as Float32Array<ArrayBuffer>),
  );

/** Every primitive once, with its mesh and the morphs that it has, by name. */
export function morphedPrimitives(
  document: Document,
): { mesh: Mesh; prim: Primitive; targets: Map<string, PrimitiveTarget> }[] {
  const seen = new Set<Primitive>();
  return document
    .getRoot()
    .listMeshes()
    .flatMap((mesh) => {
      const names = morphNamesOf(mesh);
      return mesh.listPrimitives().flatMap((prim) => {
        if (seen.has(prim)) return [];
        seen.add(prim);
        return [{ mesh, prim, targets: new Map(prim.listTargets().map((target, i) => [names[i], target])) }];
      });
    });
}
