import { type Json, listOf, numbersOf } from './raw.ts';

/** Nodes that stand in for a node further away, the nearest of them first (MSFT_lod). */
const idsOf = (node: Json): number[] =>
  numbersOf(((node.extensions as Json | undefined)?.MSFT_lod as Json | undefined)?.ids);

export const standIns = (json: Json): Set<number> => new Set(listOf(json.nodes).flatMap(idsOf));

/**
 * A file's JSON as a viewer has it that shows a level: whoever names stand-ins carries what the one of that level carries.
 * The nearest is the file's own.
 */
export function atLevel(json: Json, level: number): Json {
  if (!level) return json;
  const nodes = listOf(json.nodes),
    changed = nodes.map((node) => {
      const ids = idsOf(node);
      if (!ids.length) return node;
      const { mesh: _, skin: __, ...stand } = node,
        { mesh, skin, translation, rotation, scale } = nodes[ids[Math.min(level, ids.length) - 1]] ?? {};
      return Object.fromEntries(
        Object.entries({ ...stand, mesh, skin, translation, rotation, scale }).filter(
          ([, value]) => value !== undefined,
        ),
      );
    });
  // A face that stays still has nothing for a clip to dial.
  const meshes = listOf(json.meshes),
    morphed = (node: unknown) =>
      listOf(meshes[Number(changed[Number(node)]?.mesh)]?.primitives).some(({ targets }) => listOf(targets).length),
    animations = listOf(json.animations).map((clip) => ({
      ...clip,
      channels: listOf(clip.channels).filter(
        ({ target }) => (target as Json)?.path !== 'weights' || morphed((target as Json)?.node),
      ),
    }));
  return { ...json, nodes: changed, ...(animations.length && { animations }) };
}
