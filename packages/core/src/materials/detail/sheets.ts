import type { Document, Material, Texture } from '@gltf-transform/core';
import { createDeformer, floatsOf, kindsOf, textureFile } from '../../character/index.ts';
import { heightOf, RayTree, triangleArea } from '../../geometry/index.ts';
import { areaInMap } from '../../maps/index.ts';
import type { Stretch } from './bake-normals.ts';
import { hasShape, type Surface } from './fine-surface.ts';

/** Materials that read one map: they are baked onto one sheet. */
export interface Sheet {
  materials: Material[];
  /** The normal map they have, where they have one. */
  own: Texture | null;
  /** Set of texture coordinates. */
  set: number;
  /** What the baked map is called after. */
  name: string;
  stretches: Stretch[];
  /** Widths of the whole map in a metre of surface. */
  mapsPerMetre: number;
  /** Vertices of the surface below that lie on it. */
  vertices: number;
}

/** The surface of a character that has shape, and the sheets its materials are laid out on. */
export function sheetsOf(
  document: Document,
  wanted: readonly string[],
): { surface: Surface; sheets: Sheet[]; height: number } {
  const kindOf = kindsOf(document),
    deformer = createDeformer(document, ({ material }) => !material || hasShape(kindOf(material)), false),
    positions = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    normals = deformer.evaluateNormals(new Float32Array(positions.length), positions),
    { indices } = deformer,
    sheets: Sheet[] = [],
    areas = new Map<Sheet, { map: number; surface: number }>();
  for (const range of deformer.ranges) {
    const { material, prim } = range.part;
    if (!material || (wanted.length && !wanted.includes(material.getName()))) continue;
    const own = material.getNormalTexture(),
      set = (own ? material.getNormalTextureInfo() : material.getBaseColorTextureInfo())?.getTexCoord() ?? 0,
      places = prim.getAttribute(`TEXCOORD_${set}`);
    if (!places) continue;
    const key = own ?? material.getBaseColorTexture() ?? material;
    let sheet = sheets.find(
      (one) => one.set === set && (one.own ?? one.materials[0].getBaseColorTexture() ?? one.materials[0]) === key,
    );
    if (!sheet) {
      const color = material.getBaseColorTexture();
      sheet = {
        materials: [],
        own,
        set,
        name: nameOf(own ?? color) || material.getName() || 'surface',
        stretches: [],
        mapsPerMetre: 0,
        vertices: 0,
      };
      sheets.push(sheet);
      areas.set(sheet, { map: 0, surface: 0 });
    }
    if (!sheet.materials.includes(material)) sheet.materials.push(material);
    const uv = floatsOf(places),
      { firstVertex, vertices, firstTriangle, triangles } = range;
    sheet.stretches.push({ firstVertex, vertices, firstTriangle, triangles, uv });
    sheet.vertices += vertices;
    const area = areas.get(sheet) as { map: number; surface: number };
    for (let t = firstTriangle; t < firstTriangle + triangles; t++) {
      const [a, b, c] = [indices[t * 3], indices[t * 3 + 1], indices[t * 3 + 2]];
      area.surface += triangleArea(positions, a, b, c);
      area.map += areaInMap(uv, a - firstVertex, b - firstVertex, c - firstVertex);
    }
  }
  for (const [sheet, { map, surface }] of areas) sheet.mapsPerMetre = surface > 0 ? Math.sqrt(map / surface) : 0;
  return {
    surface: { positions, normals, indices, tree: new RayTree(positions, indices) },
    sheets,
    height: heightOf(positions),
  };
}

/** A file's name without folder, ending and the channel it is of. */
const nameOf = (texture: Texture | null): string =>
  texture
    ? textureFile(texture)
        .replace(/^.*\//, '')
        .replace(/\.[^.]+$/, '')
        .replace(/[_\-. ](base_?colou?r|colou?r|albedo|diffuse|normals?|nrm)$/i, '')
    : '';
