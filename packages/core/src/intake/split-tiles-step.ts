import type { Document, Material, Primitive, Texture } from '@gltf-transform/core';
import * as v from 'valibot';
import {
  copyPrimitive,
  keepVertices,
  listParts,
  type Part,
  readDossier,
  textureFile,
  trianglesOf,
  updateDossier,
} from '../character/index.ts';
import type { Finding } from '../problem.ts';
import { measure } from '../measures.ts';
import { defineStep } from '../step.ts';
import { imageName, isLoose, tilesOfMaterials, tilesOfTriangles } from '../maps/index.ts';

export const splitTilesStep = defineStep({
  id: 'intake.split-tiles',
  station: 'intake',
  title: 'Surfaces by texture tile',
  says: 'A material whose maps came in several tiles becomes one material for each tile.',
  needs: ['I4'],
  settings: v.object({}),
  reads: () => null,
  applies: (document) => tilesToSplit(document).size > 0,
  async run(document) {
    const findings: Finding[] = [],
      split: Record<string, string[]> = { ...readDossier(document).splitParts };
    for (const [material, tiles] of tilesToSplit(document)) {
      const byTile = materialsByTile(document, material, tiles),
        before = listParts(document).filter((part) => part.material === material);
      const after = before.map((part) => ({
        name: part.name,
        prims: new Set([part.prim, ...cut(document, part, byTile)]),
      }));
      for (const { name, prims } of after) {
        const now = listParts(document)
          .filter((part) => prims.has(part.prim))
          .map((part) => part.name);
        if (now.length > 1) split[name] = now;
      }
      findings.push({
        code: 'intake.tiles-split',
        severity: 'info',
        message: `“${material.getName()}” lies on ${tiles.length} texture tiles that have maps of their own: it became ${[...new Set(byTile.values())].map((entry) => `“${entry.getName()}”`).join(', ')}.`,
        where: material.getName(),
        measured: tiles.length,
      });
    }
    updateDossier(document, { splitParts: split });
    return { measures: [measure('materials-by-tile', 0, findings.length)], findings };
  },
});

/** Materials that lie on several tiles for which images arrived, with those tiles in order. */
function tilesToSplit(document: Document): Map<Material, number[]> {
  const loose = document
    .getRoot()
    .listTextures()
    .filter(isLoose)
    .flatMap((texture) => {
      const { tile, channel } = nameOf(texture);
      return tile !== null && channel ? [tile] : [];
    });
  if (!loose.length) return new Map();
  return new Map(
    [...tilesOfMaterials(document)].flatMap(([material, counts]) => {
      const color = material.getBaseColorTexture(),
        own = color ? nameOf(color).tile : null,
        painted = new Set(own === null ? loose : [...loose, own]),
        tiles = [...counts.keys()].filter((tile) => painted.has(tile)).sort((a, b) => a - b);
      // A colour map without a number covers all tiles by repeating: it means what it does.
      return tiles.length > 1 && (!color || own !== null) ? [[material, tiles]] : [];
    }),
  );
}

const nameOf = (texture: Texture) => imageName(textureFile(texture));

/** A material a tile, the first its own; a map that is painted for another tile gives way to its like for this one, or to none. */
function materialsByTile(document: Document, material: Material, tiles: readonly number[]): Map<number, Material> {
  const taken = new Set(
    document
      .getRoot()
      .listMaterials()
      .map((entry) => entry.getName()),
  );
  const fresh = (tile: number) => {
    let name = `${material.getName()} ${tile}`;
    for (let n = 2; taken.has(name); n++) name = `${material.getName()} ${tile} ${n}`;
    taken.add(name);
    return material.clone().setName(name);
  };
  const out = new Map(tiles.map((tile, i) => [tile, i ? fresh(tile) : material] as const));
  const loose = document.getRoot().listTextures().filter(isLoose);
  for (const [tile, entry] of out) {
    const forTile = (texture: Texture | null): Texture | null => {
      const painted = texture && nameOf(texture);
      if (!painted || painted.tile === null || painted.tile === tile) return texture;
      return (
        loose.find((image) => {
          const named = nameOf(image);
          return (
            named.tile === tile && named.channel === painted.channel && named.base.join(' ') === painted.base.join(' ')
          );
        }) ?? null
      );
    };
    entry
      .setBaseColorTexture(forTile(entry.getBaseColorTexture()))
      .setNormalTexture(forTile(entry.getNormalTexture()))
      .setMetallicRoughnessTexture(forTile(entry.getMetallicRoughnessTexture()))
      .setOcclusionTexture(forTile(entry.getOcclusionTexture()))
      .setEmissiveTexture(forTile(entry.getEmissiveTexture()));
  }
  return out;
}

/** Cuts one surface by the tiles of its triangles; what lies on none of them stays with the first. @returns the surfaces that were made */
function cut(document: Document, { prim, mesh }: Part, byTile: ReadonlyMap<number, Material>): Primitive[] {
  const tiles = tilesOfTriangles(prim),
    indices = trianglesOf(prim),
    lists = new Map<Material, number[]>(),
    [first] = byTile.values();
  if (!tiles) return [];
  tiles.forEach((tile, t) => {
    const material = byTile.get(tile) ?? first,
      list = lists.get(material) ?? [];
    list.push(indices[t * 3], indices[t * 3 + 1], indices[t * 3 + 2]);
    lists.set(material, list);
  });
  const [own, ...others] = [...lists].sort(([a], [b]) => Number(b === first) - Number(a === first)),
    made: Primitive[] = [];
  for (const [material, list] of others) {
    const piece = copyPrimitive(prim).setMaterial(material);
    keepVertices(document, piece, Uint32Array.from(list));
    mesh.addPrimitive(piece);
    made.push(piece);
  }
  prim.setMaterial(own[0]);
  if (made.length) keepVertices(document, prim, Uint32Array.from(own[1]));
  return made;
}
