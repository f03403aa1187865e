import type { Document, Texture } from '@gltf-transform/core';
import { isWorn } from '../../character/index.ts';
import { encoded } from '../../formats/index.ts';
import { between, normalsLaidOver, type Pixels } from '../../pixels/index.ts';
import type { StepContext } from '../../step.ts';
import type { Baked } from './bake-normals.ts';
import type { Sheet } from './sheets.ts';

/** What became of the normal map that was there. */
export type OwnMap = 'none' | 'over' | 'replaced' | 'kept' | 'unreadable';
export type OwnWish = 'found' | 'over' | 'replace' | 'keep';

/** How much of what was baked a map may hold before it is said to hold it already. */
const HOLDS = 0.5;

/**
 * Gives the materials of a sheet what was baked for it, together with the map they have.
 * @param own the pixels of that map, null where there is none or it can't be opened
 */
export async function layDetail(
  document: Document,
  sheet: Sheet,
  baked: Baked,
  own: Pixels | null,
  wish: OwnWish,
  context: StepContext,
): Promise<OwnMap> {
  const did = own ? decided(baked, own, wish) : sheet.own ? (wish === 'keep' ? 'kept' : 'unreadable') : 'none';
  if (did === 'kept') return did;
  const pixels =
      did === 'over' && own ? normalsLaidOver(baked.pixels, own, sheet.materials[0].getNormalScale()) : baked.pixels,
    name = `${sheet.name}_detail_normal`,
    fresh = document
      .createTexture(name)
      .setMimeType('image/png')
      .setURI(`${name}.png`)
      .setImage(await encoded(context.images, pixels, { opaque: true }));
  wear(sheet, fresh);
  return did;
}

function wear({ materials, own, set }: Sheet, fresh: Texture): void {
  for (const material of materials) {
    material.setNormalTexture(fresh).setNormalScale(1);
    // Laid out as the surface is: what moved or repeated the old map doesn't hold for this one.
    material.getNormalTextureInfo()?.setTexCoord(set).setExtension('KHR_texture_transform', null);
  }
  if (own && !isWorn(own)) own.dispose();
}

const decided = (baked: Baked, own: Pixels, wish: OwnWish): OwnMap => {
  if (wish === 'keep') return 'kept';
  if (wish === 'replace') return 'replaced';
  return wish === 'found' && shareHeld(baked, own) > HOLDS ? 'kept' : 'over';
};

/**
 * How much of the baked slopes another map holds: the slope of its least-squares line over theirs, 1 where it holds them
 * whatever else it holds, 0 where it has nothing of them.
 */
export function shareHeld({ pixels, known }: Pick<Baked, 'pixels' | 'known'>, own: Pixels): number {
  const { width, height, data } = pixels,
    step = Math.max(1, Math.floor(width / 512));
  let both = 0,
    alone = 0;
  for (let y = 0; y < height; y += step)
    for (let x = 0; x < width; x += step) {
      const at = y * width + x;
      if (!known[at]) continue;
      for (let c = 0; c < 2; c++) {
        const mine = data[at * 4 + c] / 127.5 - 1,
          theirs = between(own, (x + 0.5) / width, (y + 0.5) / height, c) / 127.5 - 1;
        both += mine * theirs;
        alone += mine * mine;
      }
    }
  return alone > 0 ? both / alone : 0;
}
