import type { Document, Material, Texture, TextureInfo } from '@gltf-transform/core';
import pMap from 'p-map';
import { encoded, type InputFile } from '../formats/index.ts';
import { type ImageCodec, IMAGES_AT_ONCE, OpenedOnce, type Pixels } from '../pixels/index.ts';
import type { Finding } from '../problem.ts';
import { type Beside, type ChannelSource, type MapLayout, safeName } from '../targets/index.ts';
import { composed, LETTERS, type Role, SOURCE } from './compose-map.ts';

/** What lies beside the model for one material. */
export interface MaterialMaps {
  material: string;
  files: { path: string; channels: Partial<Record<'red' | 'green' | 'blue' | 'alpha', ChannelSource>> }[];
  /** What no map says: linear colour, opacity, roughness, metalness, emission. */
  values: {
    color: [number, number, number];
    opacity: number;
    roughness: number;
    metalness: number;
    emissive: [number, number, number];
  };
}

interface Place {
  texture: Texture;
  info: TextureInfo;
}
/**
 * Every material's maps in the layouts that a target asks for, factors worked in, so that an engine needs nothing but the
 * files. A layout of which nothing of a material has a map gives no file: its values stand in the list. Materials
 * that come to the same share a file.
 * @param document as it is delivered, maps written
 * @param names what stands for `{character}` and `{target}`
 */
export async function mapsBeside(
  document: Document,
  beside: Beside,
  names: { character: string; target: string },
  images: ImageCodec,
): Promise<{ files: InputFile[]; list: MaterialMaps[]; findings: Finding[] }> {
  const files: { path: string; picture: () => Pixels; opaque: boolean }[] = [],
    findings: Finding[] = [],
    list: MaterialMaps[] = [],
    made = new Map<string, string>(),
    taken = new Set<string>(),
    textures = document.getRoot().listTextures(),
    opened = new OpenedOnce(images);
  await pMap(usedBy(document, beside), (texture) => opened.of(texture), { concurrency: IMAGES_AT_ONCE });
  for (const material of document.getRoot().listMaterials()) {
    const places = placesOf(material),
      own: MaterialMaps = { material: material.getName(), files: [], values: valuesOf(material) };
    list.push(own);
    for (const layout of beside.layouts) {
      const used = rolesOf(layout).flatMap((role) => (places[role] ? [role] : []));
      if (!used.length) continue;
      const { fitting, astray } = alike(used, places);
      for (const role of astray)
        findings.push({
          code: 'textures.other-places',
          severity: 'warning',
          message: `The ${role} map of “${material.getName()}” lies on other texture places than its ${used[0]} map; “${layout.name}” has it at its factor alone.`,
          where: material.getName(),
        });
      const channels = Object.fromEntries(
        LETTERS.flatMap((letter) => (layout[letter] ? [[letter, layout[letter]]] : [])),
      );
      const key = JSON.stringify([
        LETTERS.map((letter) => layout[letter]),
        fitting.map((role) => [role, textures.indexOf((places[role] as Place).texture)]),
        own.values,
        material.getAlphaMode() === 'OPAQUE',
        material.getNormalScale(),
        material.getOcclusionStrength(),
      ]);
      let path = made.get(key);
      if (path === undefined) {
        const maps = new Map<Role, Pixels>();
        for (const role of fitting) {
          const pixels = await opened.of((places[role] as Place).texture);
          if (pixels) maps.set(role, pixels);
        }
        if (!maps.size) continue;
        path = `${beside.folder}/${freeName(nameOf(layout.name, material.getName(), names), beside.format, taken)}`;
        made.set(key, path);
        files.push({ path, picture: () => composed(material, layout, maps), opaque: layout.alpha === undefined });
      }
      own.files.push({ path, channels });
    }
  }
  const written = await pMap(
    files,
    async ({ path, picture, opaque }) => ({
      path,
      bytes: await encoded(images, picture(), { mimeType: beside.format, opaque }),
    }),
    { concurrency: IMAGES_AT_ONCE },
  );
  return { files: written, list, findings };
}

/** Every map that some layout asks for. */
const usedBy = (document: Document, { layouts }: Beside): Set<Texture> =>
  new Set(
    document
      .getRoot()
      .listMaterials()
      .map(placesOf)
      .flatMap((places) => layouts.flatMap(rolesOf).flatMap((role) => places[role]?.texture ?? [])),
  );

/** The first that a layout uses says where its file lies on the surface. */
const RANK: readonly Role[] = ['color', 'normal', 'surface', 'emissive', 'occlusion'];
const rolesOf = (layout: MapLayout): Role[] =>
  RANK.filter((role) => LETTERS.some((letter) => layout[letter] && SOURCE[layout[letter]] === role));

function placesOf(material: Material): Partial<Record<Role, Place>> {
  const place = (texture: Texture | null, info: TextureInfo | null): Place | undefined =>
    texture && info ? { texture, info } : undefined;
  return {
    color: place(material.getBaseColorTexture(), material.getBaseColorTextureInfo()),
    normal: place(material.getNormalTexture(), material.getNormalTextureInfo()),
    surface: place(material.getMetallicRoughnessTexture(), material.getMetallicRoughnessTextureInfo()),
    occlusion: place(material.getOcclusionTexture(), material.getOcclusionTextureInfo()),
    emissive: place(material.getEmissiveTexture(), material.getEmissiveTextureInfo()),
  };
}

/** Maps that lie on the same texture places as the first of them, and the others: those can't share a picture. */
function alike(roles: readonly Role[], places: Partial<Record<Role, Place>>): { fitting: Role[]; astray: Role[] } {
  const keyOf = (role: Role): string => {
    const info = (places[role] as Place).info,
      moved = info.getExtension('KHR_texture_transform') as {
        getOffset(): number[];
        getRotation(): number;
        getScale(): number[];
        getTexCoord(): number | null;
      } | null;
    return JSON.stringify([
      moved?.getTexCoord() ?? info.getTexCoord(),
      moved ? [moved.getOffset(), moved.getRotation(), moved.getScale()] : [[0, 0], 0, [1, 1]],
    ]);
  };
  const first = keyOf(roles[0]);
  return {
    fitting: roles.filter((role) => keyOf(role) === first),
    astray: roles.filter((role) => keyOf(role) !== first),
  };
}

function valuesOf(material: Material): MaterialMaps['values'] {
  const [r, g, b, opacity] = material.getBaseColorFactor();
  return {
    color: [r, g, b],
    opacity: material.getAlphaMode() === 'OPAQUE' ? 1 : opacity,
    roughness: material.getRoughnessFactor(),
    metalness: material.getMetallicFactor(),
    emissive: [...material.getEmissiveFactor()] as [number, number, number],
  };
}

const safe = (name: string): string => safeName(name) || 'unnamed';

const nameOf = (pattern: string, material: string, names: { character: string; target: string }): string =>
  pattern.replace(/\{(material|character|target)\}/g, (_, key: string) =>
    safe(key === 'material' ? material : names[key as keyof typeof names]),
  );

function freeName(base: string, format: string, taken: Set<string>): string {
  const ending = format === 'image/jpeg' ? 'jpg' : format.slice(6);
  let name = `${base}.${ending}`;
  for (let n = 2; taken.has(name.toLowerCase()); n++) name = `${base}_${n}.${ending}`;
  taken.add(name.toLowerCase());
  return name;
}
