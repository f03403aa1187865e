import type { Document, GLTF, Node, Primitive } from '@gltf-transform/core';
import type { Finding } from '../../problem.ts';
import type { Stored } from '../../character/index.ts';
import { heightSeen, MOST_LEVELS } from '../../targets/index.ts';
import { LEVELS } from './levels-extension.ts';

/** What a figure is thought to be tall where shares of a picture's height are to be read as distances, metres. */
const USUAL_M = 1.75;

/** The levels that lie behind the nearest in a file, all nodes together. */
export function levelsHeld(document: Document, json: GLTF.IGLTF): NonNullable<Stored['levels']> {
  const nodes = document.getRoot().listNodes(),
    levels: NonNullable<Stored['levels']> = [];
  json.nodes?.forEach((written, i) => {
    const shares = (written.extras as { MSFT_screencoverage?: unknown } | undefined)?.MSFT_screencoverage;
    idsOf(written.extensions?.[LEVELS]).forEach((id, n) => {
      const mesh = nodes[id] !== nodes[i] ? nodes[id]?.getMesh() : null,
        share = Array.isArray(shares) ? Number(shares[n]) : 0;
      levels[n] ??= { triangles: 0, morphs: false };
      for (const prim of mesh?.listPrimitives() ?? []) {
        const corners = prim.getIndices() ?? prim.getAttribute('POSITION');
        levels[n].triangles += Math.floor((corners?.getCount() ?? 0) / 3);
        levels[n].morphs ||= movesItself(prim);
      }
      if (share > 0 && share < 1) levels[n].fromM ??= Math.round((10 * USUAL_M) / (share * heightSeen(1))) / 10;
    });
  });
  return levels.slice(0, MOST_LEVELS);
}

/**
 * A character is one of its levels of detail: the nodes that stand in for others further away (MSFT_lod) go, or take
 * their place where a level is asked for. Nodes are known by their numbers in the JSON.
 * @param level 0 is the nearest; where a node has fewer, its last
 */
export function settleLevels(document: Document, json: GLTF.IGLTF, level: number, path: string): Finding[] {
  const nodes = document.getRoot().listNodes(),
    standIns = new Set<Node>();
  let most = 0;
  const swaps: [Node, Node][] = [];
  json.nodes?.forEach((written, i) => {
    const ids = idsOf(written.extensions?.[LEVELS]),
      own = ids.flatMap((id) => (nodes[id] && nodes[id] !== nodes[i] && standsApart(nodes[id]) ? [nodes[id]] : []));
    if (!own.length) return;
    most = Math.max(most, own.length);
    for (const node of own) standIns.add(node);
    if (level > 0) swaps.push([nodes[i], own[Math.min(level, own.length) - 1]]);
  });
  for (const [node, standIn] of swaps)
    node
      .setMesh(standIn.getMesh())
      .setSkin(standIn.getSkin())
      .setTranslation(standIn.getTranslation())
      .setRotation(standIn.getRotation())
      .setScale(standIn.getScale());
  const still = new Set(swaps.flatMap(([node]) => (node.getMesh()?.listPrimitives().some(movesItself) ? [] : [node])));
  for (const clip of document.getRoot().listAnimations())
    for (const channel of clip.listChannels())
      if (channel.getTargetPath() === 'weights' && still.has(channel.getTargetNode() as Node)) channel.dispose();
  for (const node of standIns) node.dispose();
  for (const mesh of most ? document.getRoot().listMeshes() : [])
    if (!mesh.listParents().some((parent) => parent.propertyType === 'Node')) {
      for (const prim of mesh.listPrimitives()) prim.dispose();
      mesh.dispose();
    }
  // What only the nearest was made of is no part of a further level.
  if (level > 0) {
    for (const material of document.getRoot().listMaterials())
      if (!material.listParents().some(({ propertyType }) => propertyType === 'Primitive')) material.dispose();
    for (const texture of document.getRoot().listTextures())
      if (texture.listParents().every(({ propertyType }) => propertyType === 'Root')) texture.dispose();
  }
  return most
    ? [
        {
          code: 'gltf.levels',
          severity: 'info',
          message: `“${path}” holds ${most} further ${most === 1 ? 'level' : 'levels'} of detail; ${level ? `level ${Math.min(level, most)}` : 'the nearest'} was read.`,
          where: path,
          measured: most,
        },
      ]
    : [];
}

const movesItself = (prim: Primitive): boolean => prim.listTargets().length > 0;

const idsOf = (value: unknown): number[] => {
  const ids = (value as { ids?: unknown } | undefined)?.ids;
  return Array.isArray(ids) ? ids.filter((id): id is number => Number.isInteger(id)) : [];
};

/** Shown by nothing itself, and no joint: only such a node can stand in for another. */
const standsApart = (node: Node): boolean =>
  !node.listParents().some(({ propertyType }) => ['Node', 'Scene', 'Skin'].includes(propertyType));
