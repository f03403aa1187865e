import type { Node, Skin } from '@gltf-transform/core';
import { floatsOf, influencesOf } from '../../character/index.ts';
import type { Gaze, OnLid, Opening } from './opening.ts';

/** Where what hangs on the lids belongs. */
export interface Lids {
  node: Node;
  skin: Skin | null;
  /** How far it stands from where its mesh has it, metres. */
  off: readonly number[];
  /** What moves a place on the lids: places of joints in the skin, and weights that sum to one. */
  influences(place: OnLid): [joint: number, weight: number][];
}

/** Null where lids don't stand where their meshes have them: what is made there would bend otherwise. */
export function lidsOf({ deformer, rest }: Gaze, openings: readonly Opening[], mostInfluences: number): Lids | null {
  const partOf = (v: number) =>
      deformer.ranges.find(({ firstVertex, vertices }) => v >= firstVertex && v < firstVertex + vertices),
    lids = new Set(openings.flatMap(({ margin }) => margin.flatMap(({ corners }) => corners))),
    meshes = new Map([...lids].map((v) => [v, partOf(v)]));
  const own = new Map(
    [...new Set(meshes.values())].flatMap((range) => {
      const position = range?.part.prim.getAttribute('POSITION');
      return range && position
        ? [[range, { at: floatsOf(position), influences: influencesOf(range.part.prim) }] as const]
        : [];
    }),
  );
  let off: number[] | null = null;
  for (const [v, range] of meshes) {
    const mesh = range && own.get(range);
    if (!range || !mesh) return null;
    const here = [0, 1, 2].map((k) => rest[v * 3 + k] - mesh.at[(v - range.firstVertex) * 3 + k]);
    off ??= here;
    for (let k = 0; k < 3; k++) if (Math.abs(here[k] - off[k]) > 1e-5) return null;
  }
  const [first] = meshes.values();
  if (!first || !off) return null;
  const { node } = first.part,
    skin = node.getSkin(),
    place = new Map(skin?.listJoints().map((joint, i) => [joint, i]));
  const influences = ({ corners, shares }: OnLid) => {
    const sum = new Map<number, number>();
    corners.forEach((v, c) => {
      const range = meshes.get(v),
        found = range && own.get(range)?.influences,
        joints = range?.part.node.getSkin()?.listJoints() ?? [];
      if (!found || !range) return;
      const { perVertex } = found;
      for (let n = 0, o = (v - range.firstVertex) * perVertex; n < perVertex; n++, o++) {
        const joint = place.get(joints[found.joints[o]]);
        if (joint !== undefined && found.weights[o] > 0)
          sum.set(joint, (sum.get(joint) ?? 0) + found.weights[o] * shares[c]);
      }
    });
    const strongest = [...sum].sort((a, b) => b[1] - a[1] || a[0] - b[0]).slice(0, mostInfluences),
      total = strongest.reduce((all, [, weight]) => all + weight, 0) || 1;
    return strongest.map(([joint, weight]): [number, number] => [joint, weight / total]);
  };
  return { node, skin, off, influences };
}
