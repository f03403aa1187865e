import type { Document, Material, Texture } from '@gltf-transform/core';
import { listParts, readDossier, materialKindOf, type MaterialKind } from '../character/index.ts';
import type { ImageCodec, Pixels } from '../pixels/index.ts';

/** How a normal map's green channel is meant; `unclear` where both fit about as well. */
export interface GreenFound {
  points: 'up' | 'down' | 'unclear' /** How much worse the other way fits. */;
  ratio: number;
}
const CLEAR = 1.25;

/**
 * Which way green points: slopes of a true height field have no curl, so with p = −nx/nz along the row and q = −ny/nz
 * up the column, ∂p/∂y = ∂q/∂x holds for the right convention and not for the other. Flat texels don't vote.
 */
export function judgeGreen({ width, height, data }: Pixels): GreenFound {
  let up = 0,
    down = 0;
  const slope = (i: number, channel: 0 | 1): number => {
    const nz = Math.max(0.15, data[i + 2] / 127.5 - 1);
    return -(data[i + channel] / 127.5 - 1) / nz;
  };
  for (let y = 1; y + 1 < height; y++)
    for (let x = 1; x + 1 < width; x++) {
      const i = (y * width + x) * 4,
        row = width * 4;
      // Rows count downwards, so up the column is towards smaller ones.
      const dp = (slope(i - row, 0) - slope(i + row, 0)) / 2,
        dq = (slope(i + 4, 1) - slope(i - 4, 1)) / 2,
        strong = Math.abs(dp) + Math.abs(dq);
      // Steep steps are the borders of islands, where nothing is continuous.
      if (strong < 0.01 || strong > 0.8) continue;
      up += (dp - dq) ** 2;
      down += (dp + dq) ** 2;
    }
  const ratio = Math.max(up, down) / Math.max(1e-9, Math.min(up, down));
  return { points: up + down < 1e-3 || ratio < CLEAR ? 'unclear' : up < down ? 'up' : 'down', ratio };
}

/** Roughness that surfaces of a kind have in the middle; kinds that can be anything don't vote. */
const EXPECTED: Partial<Record<MaterialKind, number>> = {
  skin: 0.55,
  eye: 0.12,
  cornea: 0.05,
  cloth: 0.85,
  hair: 0.6,
  teeth: 0.25,
  leather: 0.6,
};

/** Median of the green channel, 0 … 1, without the black and white that lie between islands. */
export function medianGreen({ data }: Pixels): number {
  const histogram = new Uint32Array(256);
  let n = 0,
    seen = 0;
  for (let i = 0; i < data.length; i += 4)
    if (data[i + 1] > 1 && data[i + 1] < 254) {
      histogram[data[i + 1]]++;
      n++;
    }
  for (let value = 0; value < 256; value++) {
    seen += histogram[value];
    if (n && seen * 2 >= n) return value / 255;
  }
  return 0.5;
}

/** A square in the middle at full size: a reduced normal map is no height field's any more. */
export function middleOf({ width, height, data }: Pixels, most: number): Pixels {
  const w = Math.min(width, most),
    h = Math.min(height, most),
    x = (width - w) >> 1,
    y = (height - h) >> 1,
    out = new Uint8Array(w * h * 4);
  for (let row = 0; row < h; row++)
    out.set(data.subarray(((y + row) * width + x) * 4, ((y + row) * width + x + w) * 4), row * w * 4);
  return { width: w, height: h, data: out };
}

export interface MapFault {
  code: 'textures.green-down' | 'textures.gloss-as-roughness';
  texture: Texture;
  material: Material;
  measured: number;
  why: string /** Whether the run may act on it by itself. */;
  sure: boolean;
}

/** Gloss is found by pixels where at least so many maps vote, and such a share of them the same way. */
const AGREEING_MAPS = 3,
  AGREEING_SHARE = 0.75;

/** Maps whose pixels contradict what they are used for. */
export async function findMapFaults(document: Document, images: ImageCodec): Promise<MapFault[]> {
  const out: MapFault[] = [],
    overruled = readDossier(document).materialKinds ?? {},
    wearer = new Map(listParts(document).map((part) => [part.material, part.name]));
  const look = async (texture: Texture, most?: number): Promise<Pixels | null> => {
    const image = texture.getImage();
    return image?.length ? images.decode(image, most).catch(() => null) : null;
  };
  // Nothing of an image is kept but what it says: dozens of them at full size are gigabytes.
  const medians = new Map<Texture, number | null>(),
    medianOf = async (texture: Texture): Promise<number | null> => {
      let median = medians.get(texture);
      if (median === undefined) {
        const pixels = await look(texture, 512);
        median = pixels && pixels.width > 1 ? medianGreen(pixels) : null;
        medians.set(texture, median);
      }
      return median;
    };
  const votes: { texture: Texture; material: Material; mean: number; expected: number }[] = [];
  const seen = new Set<Texture>();
  for (const material of document.getRoot().listMaterials()) {
    const normal = material.getNormalTexture(),
      rough = material.getMetallicRoughnessTexture(),
      expected = EXPECTED[materialKindOf(material, wearer.get(material) ?? '', overruled)];
    if (normal && !seen.has(normal)) {
      seen.add(normal);
      const pixels = await look(normal),
        found = pixels && pixels.width > 4 ? judgeGreen(middleOf(pixels, 512)) : null;
      if (found?.points === 'down')
        out.push({
          code: 'textures.green-down',
          texture: normal,
          material,
          measured: Math.round(found.ratio * 10) / 10,
          why: `bumps fit together ${found.ratio.toFixed(1)} times better with green pointing down`,
          sure: true,
        });
    }
    if (rough && expected !== undefined && material.getRoughnessFactor() > 0.5) {
      const mean = await medianOf(rough);
      if (mean !== null) votes.push({ texture: rough, material, mean, expected });
    }
  }
  // One habit made all of a character's maps: they are judged together, by how far off each is one way and the other.
  const maps = votes.filter((vote, i) => votes.findIndex((other) => other.texture === vote.texture) === i);
  const asIs = (vote: (typeof votes)[number]) => Math.abs(vote.mean - vote.expected),
    turned = (vote: (typeof votes)[number]) => Math.abs(1 - vote.mean - vote.expected);
  const total = (off: typeof asIs) => maps.reduce((sum, vote) => sum + off(vote), 0),
    agreeing = maps.filter((vote) => turned(vote) < asIs(vote));
  if (!maps.length || total(asIs) <= total(turned) * 1.4 || total(asIs) / maps.length <= 0.15) return out;
  // One or two maps may just be shiny or matt; and a set that doesn't agree was not made by one habit.
  const sure = maps.length >= AGREEING_MAPS && agreeing.length >= maps.length * AGREEING_SHARE;
  for (const { texture, material, mean, expected } of sure ? maps : agreeing) {
    out.push({
      code: 'textures.gloss-as-roughness',
      texture,
      material,
      measured: Math.round(mean * 100) / 100,
      sure,
      why: `${mean.toFixed(2)} in the middle where such a surface has about ${expected.toFixed(2)}, and ${(1 - mean).toFixed(2)} the other way round`,
    });
  }
  return out;
}

/** What a fault means, for the user. */
export const faultMessage = ({ code, texture, material, why, sure }: MapFault): string =>
  code === 'textures.green-down'
    ? `The normal map “${texture.getURI() || texture.getName()}” of “${material.getName()}” has green pointing down: ${why}. The run turns it.`
    : `The roughness map “${texture.getURI() || texture.getName()}” of “${material.getName()}” ${sure ? 'holds gloss' : 'may hold gloss'}: ${why}. ${sure ? 'The run inverts it.' : 'Too few maps say so to be sure; look, and ask for it to be inverted if it is.'}`;
