import type { Document, Material } from '@gltf-transform/core';
import { createDeformer, textureFile } from '../character/index.ts';
import { triangleArea } from '../geometry/index.ts';
import { textureState } from '../pixels/index.ts';
import { laidOut } from './texel-density.ts';

/** How fine a material's colour map lies on the figure. */
export interface MapDensity {
  material: Material;
  file: string;
  /** Longest side of the map, texels. */
  side: number;
  /** Texels on a centimetre of surface. */
  perCm: number;
  /** Surface that wears it, square metres. */
  area: number;
}

/** @param metres metres per unit of the document */
export function mapDensities(document: Document, metres = 1): MapDensity[] {
  const deformer = createDeformer(document, () => true, false),
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    areas = new Map<Material | null, number>();
  for (const { part, firstTriangle, triangles } of deformer.ranges) {
    let area = areas.get(part.material) ?? 0;
    for (let t = firstTriangle * 3; t < (firstTriangle + triangles) * 3; t += 3)
      area += triangleArea(rest, deformer.indices[t], deformer.indices[t + 1], deformer.indices[t + 2]);
    areas.set(part.material, area);
  }
  return document
    .getRoot()
    .listMaterials()
    .flatMap((material): MapDensity[] => {
      const texture = material.getBaseColorTexture(),
        { width, height } = texture ? textureState(texture) : { width: 0, height: 0 },
        side = Math.max(width, height),
        set = material.getBaseColorTextureInfo()?.getTexCoord() ?? 0,
        perUnit = side && laidOut(deformer, rest, material, set).mapsPerMetre;
      return texture && perUnit
        ? [
            {
              material,
              file: textureFile(texture),
              side,
              perCm: (perUnit * side) / metres / 100,
              area: (areas.get(material) ?? 0) * metres * metres,
            },
          ]
        : [];
    });
}

/** So many times coarser than most of the figure, and no larger than this, a map is no choice any more but a slip. */
const COARSER = 6,
  LARGEST = 512;
/** Smaller surfaces may have what map they like, square metres. */
const LEAST = 0.005;

/** Maps much coarser than those of most of the figure's surface: thumbnails that were brought for the maps themselves. */
export function coarseMaps(densities: readonly MapDensity[]): { found: MapDensity; usual: number }[] {
  const ordered = [...densities].sort((one, other) => one.perCm - other.perCm),
    half = ordered.reduce((sum, { area }) => sum + area, 0) / 2;
  let seen = 0;
  const usual = ordered.find(({ area }) => (seen += area) >= half)?.perCm ?? 0;
  return densities
    .filter(({ perCm, side, area }) => perCm * COARSER < usual && side <= LARGEST && area >= LEAST)
    .map((found) => ({ found, usual }));
}
