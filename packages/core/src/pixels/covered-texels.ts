import type { Document, Material, Primitive, Texture, TextureInfo } from '@gltf-transform/core';
import { floatsOf, trianglesOf } from '../character/index.ts';

/** A texture place outside 0 … 1 by more than this repeats the picture: then every texel counts. */
const OUTSIDE = 1e-3;

/** Triangles that wear a texture, and the set of places that lays it on them. */
type Worn = [Primitive, number][];

/**
 * Which texels of a texture lie under some triangle that wears it, touched ones included; 1 a texel, rows from the top.
 * @returns null where that can't be said (nothing wears it, or its picture is repeated or moved): then every texel counts
 */
export function coveredTexels(document: Document, texture: Texture, width: number, height: number): Uint8Array | null {
  const worn = wornBy(document, texture);
  return worn && maskOf(worn, width, height);
}

/** The same for many textures: maps that lie on the same triangles are looked at once. What is handed out is the caller's. */
export function coverage(document: Document): CoveredOf {
  const masks = new Map<string, Uint8Array | null>(),
    prims = new Map<Primitive, number>();
  return (texture, width, height) => {
    const worn = wornBy(document, texture);
    if (!worn) return null;
    for (const [prim] of worn) if (!prims.has(prim)) prims.set(prim, prims.size);
    const key = `${width}×${height} ${worn.map(([prim, set]) => `${prims.get(prim)}:${set}`)}`;
    let mask = masks.get(key);
    if (mask === undefined) masks.set(key, (mask = maskOf(worn, width, height)));
    return mask && mask.slice();
  };
}
type CoveredOf = (texture: Texture, width: number, height: number) => Uint8Array | null;

function wornBy(document: Document, texture: Texture): Worn | null {
  const sets = new Map<Material, Set<number>>(),
    worn: Worn = [];
  for (const edge of document.getGraph().listParentEdges(texture)) {
    const material = edge.getParent();
    if (material.propertyType === 'Root') continue;
    const info = infoOf(material as Material, edge.getName());
    // Extensions have textures too; what isn't plainly a map of a material is left whole.
    if (!info || info.getExtension('KHR_texture_transform')) return null;
    const own = sets.get(material as Material) ?? new Set<number>();
    sets.set(material as Material, own.add(info.getTexCoord()));
  }
  for (const mesh of document.getRoot().listMeshes())
    for (const prim of mesh.listPrimitives()) {
      const material = prim.getMaterial();
      for (const set of (material && sets.get(material)) ?? []) worn.push([prim, set]);
    }
  return worn.length ? worn : null;
}

function maskOf(worn: Worn, width: number, height: number): Uint8Array | null {
  const mask = new Uint8Array(width * height);
  for (const [prim, set] of worn) {
    const places = prim.getAttribute(`TEXCOORD_${set}`);
    if (!places) return null;
    const uv = floatsOf(places);
    if (!within(uv)) return null;
    cover(mask, width, height, uv, trianglesOf(prim));
  }
  return mask;
}

const INFO: Record<string, (material: Material) => TextureInfo | null> = {
  baseColorTexture: (material) => material.getBaseColorTextureInfo(),
  normalTexture: (material) => material.getNormalTextureInfo(),
  occlusionTexture: (material) => material.getOcclusionTextureInfo(),
  emissiveTexture: (material) => material.getEmissiveTextureInfo(),
  metallicRoughnessTexture: (material) => material.getMetallicRoughnessTextureInfo(),
};
const infoOf = (material: Material, name: string): TextureInfo | null =>
  material.propertyType === 'Material' ? (INFO[name]?.(material) ?? null) : null;

function within(uv: Float32Array): boolean {
  for (let i = 0; i < uv.length; i++) if (!(uv[i] >= -OUTSIDE && uv[i] <= 1 + OUTSIDE)) return false;
  return true;
}

/** Marks every texel whose square a triangle touches (edge functions, widened by half a texel). */
function cover(mask: Uint8Array, width: number, height: number, uv: Float32Array, indices: Uint32Array): void {
  for (let t = 0; t < indices.length; t += 3) {
    const a = indices[t] * 2,
      b = indices[t + 1] * 2,
      c = indices[t + 2] * 2;
    const ax = uv[a] * width,
      ay = uv[a + 1] * height,
      bx = uv[b] * width,
      by = uv[b + 1] * height,
      cx = uv[c] * width,
      cy = uv[c + 1] * height;
    const turn = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax) < 0 ? -1 : 1;
    const x0 = Math.max(0, Math.floor(Math.min(ax, bx, cx))),
      x1 = Math.min(width - 1, Math.floor(Math.max(ax, bx, cx)));
    const y0 = Math.max(0, Math.floor(Math.min(ay, by, cy))),
      y1 = Math.min(height - 1, Math.floor(Math.max(ay, by, cy)));
    for (let y = y0; y <= y1; y++)
      for (let x = x0; x <= x1; x++) {
        const px = x + 0.5,
          py = y + 0.5;
        if (
          beside(ax, ay, bx, by, px, py, turn) &&
          beside(bx, by, cx, cy, px, py, turn) &&
          beside(cx, cy, ax, ay, px, py, turn)
        )
          mask[y * width + x] = 1;
      }
  }
}

const beside = (ax: number, ay: number, bx: number, by: number, px: number, py: number, turn: number): boolean => {
  const ex = bx - ax,
    ey = by - ay;
  return turn * (ex * (py - ay) - ey * (px - ax)) >= -0.5 * (Math.abs(ex) + Math.abs(ey));
};
