import { shininessOfRoughness } from '../mesh/shininess.ts';
import type { Document, Material, Texture } from '@gltf-transform/core';
import { createDeformer, floatsOf, type Part } from '../../character/index.ts';
import type { InputFile } from '../files.ts';

export interface ObjOptions {
  /** Every length is multiplied by this; default 1, metres. */
  scale: number;
  /** Name of the piece that a triangle of a part belongs to; the part's name where not given. */
  pieceOf(part: Part, triangle: number): string;
  /** Name of the material that a triangle of a part names. */
  materialOf(part: Part, triangle: number): string;
  /** What is written into the MTL beyond the colour map; may add lines. */
  materialLines(material: Material): string[];
  /** How an image is referred to. */
  imagePath(texture: Texture): string;
}

const number = (x: number): string => String(Math.round(x * 1e6) / 1e6);

/** Writes the character at rest as OBJ and MTL with its colour maps; joints, weights and morphs have no place in it. */
export function writeObj(document: Document, name: string, options: Partial<ObjOptions> = {}): InputFile[] {
  const {
    scale = 1,
    pieceOf = (part) => part.name,
    materialOf = (part) => part.material?.getName() ?? 'none',
    materialLines = () => [],
    imagePath = (texture) => texture.getURI() || `${texture.getName()}.png`,
  } = options;
  const deformer = createDeformer(document);
  const rest = deformer.evaluate(new Float32Array(deformer.vertices * 3));
  const lines: string[] = [`mtllib ${name}.mtl`];
  const points = new Map<string, number>();
  const pieces = new Map<string, string[]>();
  let uvs = 0,
    normals = 0;
  for (const range of deformer.ranges) {
    const { part } = range;
    const uv = part.prim.getAttribute('TEXCOORD_0'),
      normal = part.prim.getAttribute('NORMAL');
    const place = new Int32Array(range.vertices);
    for (let v = 0; v < range.vertices; v++) {
      const at = (range.firstVertex + v) * 3;
      const text = `${number(rest[at] * scale)} ${number(rest[at + 1] * scale)} ${number(rest[at + 2] * scale)}`;
      let index = points.get(text);
      if (index === undefined) {
        index = points.size + 1;
        points.set(text, index);
        lines.push(`v ${text}`);
      }
      place[v] = index;
    }
    if (uv) {
      const values = floatsOf(uv);
      for (let i = 0; i < values.length; i += 2) lines.push(`vt ${number(values[i])} ${number(1 - values[i + 1])}`);
    }
    if (normal) {
      const values = floatsOf(normal);
      for (let i = 0; i < values.length; i += 3)
        lines.push(`vn ${number(values[i])} ${number(values[i + 1])} ${number(values[i + 2])}`);
    }
    const corner = (v: number) => `${place[v]}/${uv ? uvs + v + 1 : ''}${normal ? `/${normals + v + 1}` : ''}`;
    for (let t = 0; t < range.triangles; t++) {
      const key = `${pieceOf(part, t)}\n${materialOf(part, t)}`;
      let list = pieces.get(key);
      if (!list) {
        list = [];
        pieces.set(key, list);
      }
      const [a, b, c] = [0, 1, 2].map((k) => deformer.indices[(range.firstTriangle + t) * 3 + k] - range.firstVertex);
      list.push(`f ${corner(a)} ${corner(b)} ${corner(c)}`);
    }
    if (uv) uvs += range.vertices;
    if (normal) normals += range.vertices;
  }
  let object = '';
  for (const [key, faces] of pieces) {
    const [piece, material] = key.split('\n');
    if (piece !== object) lines.push(`o ${piece}`);
    object = piece;
    lines.push(`usemtl ${material}`, ...faces);
  }
  const images = new Map<string, Uint8Array>();
  const library = document
    .getRoot()
    .listMaterials()
    .flatMap((material) => {
      const [r, g, b, a] = material.getBaseColorFactor(),
        texture = material.getBaseColorTexture();
      const shininess = shininessOfRoughness(material.getRoughnessFactor());
      const out = [
        `newmtl ${material.getName()}`,
        `Kd ${[r, g, b].map((c) => number(c ** (1 / 2.2))).join(' ')}`,
        'Ks 0.2 0.2 0.2',
        `Ns ${number(shininess)}`,
        `d ${number(a)}`,
      ];
      if (texture) {
        const path = imagePath(texture);
        out.push(`map_Kd ${path}`);
        const image = texture.getImage();
        if (image) images.set(path, image);
      }
      return [...out, ...materialLines(material), ''];
    });
  const text = (value: string[]) => new TextEncoder().encode(`${value.join('\n')}\n`);
  return [
    { path: `${name}.obj`, bytes: text(lines) },
    { path: `${name}.mtl`, bytes: text(library) },
    ...[...images].map(([path, bytes]) => ({ path, bytes })),
  ];
}
