import type { Material, Texture } from '@gltf-transform/core';
import { judgeHolding, type Laid, mapStatistics } from '../maps/index.ts';
import { type Heights, normalsFromHeight, normalsLaidOver, type Pixels } from '../pixels/index.ts';
import type { DerivedMaps } from './derived-maps.ts';

/** Tells what a kept map became. */
export type Say = (channel: string, what: string, texture: Texture) => void;

/** Heights become normals; what is called a bump map and holds normals is one. */
export async function placeBump(
  work: DerivedMaps,
  material: Material,
  bump: Texture | undefined,
  bumpMm: number,
  left: Record<string, string>,
  say: Say,
): Promise<void> {
  if (!bump || material.getNormalTexture() || !(bumpMm > 0)) return;
  const pixels = await work.pixels(bump);
  if (!pixels) return;
  // Files call a normal map “bump” as often as not; its pixels tell.
  const holdsNormals = judgeHolding(pixels, mapStatistics(pixels)).startsWith('normal'),
    set = material.getBaseColorTextureInfo()?.getTexCoord() ?? 0;
  material.setNormalTexture(
    holdsNormals
      ? bump
      : normalsOfBump(work, bump, (await work.heights(bump)) ?? pixels, work.laidOut(material, set), bumpMm),
  );
  say(holdsNormals ? '“bump”' : 'bump', holdsNormals ? 'normals it really holds' : 'normals', bump);
  delete left.bump;
  if (!holdsNormals) delete left.height;
}

/**
 * A displacement map of which somebody said how high it is: its slopes are the normals that the displaced surface would
 * have, to first order; a normal map that is there lies on top.
 */
export async function placeDisplacement(
  work: DerivedMaps,
  material: Material,
  map: Texture | undefined,
  mm: number,
  left: Record<string, string>,
  say: Say,
): Promise<void> {
  if (!map || !(mm > 0)) return;
  const heights = await work.heights(map),
    own = material.getNormalTexture(),
    info = own ? material.getNormalTextureInfo() : material.getBaseColorTextureInfo(),
    set = info?.getTexCoord() ?? 0;
  if (!heights) return;
  const normals = normalsOfBump(work, map, heights, work.laidOut(material, set), mm),
    [coarse, fine] = [await work.pixels(normals), own && (await work.pixels(own))];
  material.setNormalTexture(
    own && coarse && fine
      ? work.image(own, 'over', `${work.numberOf(map)} ${mm} ${material.getNormalScale()}`, () =>
          normalsLaidOver(coarse, fine, material.getNormalScale()),
        )
      : normals,
  );
  material.setNormalScale(1).getNormalTextureInfo()?.setTexCoord(set);
  say('displacement', own ? 'shape under the normal map' : 'normals', map);
  delete left.height;
}

/** @param bumpMm height of the map's full range on the surface, millimetres */
export function normalsOfBump(
  work: DerivedMaps,
  bump: Texture,
  heights: Pixels | Heights,
  { mapsPerMetre, wraps }: Laid,
  bumpMm: number,
): Texture {
  const perMetre = Number((mapsPerMetre || 1).toPrecision(3)),
    tall = (bumpMm / 1000) * perMetre * Math.max(heights.width, heights.height);
  return work.image(bump, 'normal', `${perMetre} ${wraps} ${bumpMm}`, () => normalsFromHeight(heights, tall, wraps));
}
