import type { Document, Material, Texture } from '@gltf-transform/core';
import {
  KHRMaterialsClearcoat,
  KHRMaterialsIOR,
  KHRMaterialsSpecular,
  KHRTextureTransform,
} from '@gltf-transform/extensions';
import type { Finding } from '../../problem.ts';
import { folderOf } from '../files.ts';
import type { ImageShelf } from '../images/shelf.ts';
import { type LegacyChannel, type LegacyMaterial, toMaterial } from '../mesh/legacy-material.ts';
import { FROM, primOf } from './compose.ts';
import { titleOf, type UsdArc, type UsdAttribute, type UsdPrim, type UsdValue } from './layer.ts';

interface MapUse {
  texture: Texture /** Texture coordinate set by name. */;
  set: string;
  channel: string;
  wrap: [number, number];
  scale: readonly number[];
  bias: readonly number[];
  place: { offset: [number, number]; rotation: number; scale: [number, number] } | null;
}
const WRAP: Record<string, number> = { repeat: 10497, clamp: 33071, mirror: 33648 };

/** Preview surfaces (UsdPreviewSurface 2.6) as glTF materials, each made once for the texture sets it is used with. */
export class UsdMaterials {
  private readonly made = new Map<string, Material>();
  constructor(
    private readonly root: UsdPrim,
    private readonly document: Document,
    private readonly shelves: (folder: string) => ImageShelf,
    private readonly findings: Finding[],
  ) {}

  /** @param setOf number of the texture set of a name */
  get(path: string, sets: readonly string[], doubleSided: boolean): Material | null {
    const key = `${path} ${sets.join(',')} ${doubleSided}`;
    const known = this.made.get(key);
    if (known) return known;
    const prim = primOf(this.root, path);
    if (!prim) {
      this.findings.push({
        code: 'usd.material',
        severity: 'warning',
        message: `The material “${path}” is bound but not in the file.`,
        where: path,
      });
      return null;
    }
    const material = this.build(prim, path, sets);
    material.setDoubleSided(doubleSided);
    this.made.set(key, material);
    return material;
  }

  /** Names of texture sets that a material's images ask for, the colour map's first. */
  setsOf(path: string): string[] {
    const prim = primOf(this.root, path),
      surface = prim && this.surface(prim, path);
    if (!surface) return [];
    return [
      ...new Set(
        ['diffuseColor', 'normal', 'roughness', 'opacity']
          .map((input) => this.mapOf(surface, input)?.set ?? '')
          .filter(Boolean),
      ),
    ];
  }

  private surface(material: UsdPrim, path: string): UsdPrim | null {
    for (const [name, output] of material.attributes) {
      if (!/^outputs:([a-z]+:)?surface$/i.test(name)) continue;
      const shader = this.shaderAt(output.connections[0]);
      if (shader && idOf(shader) === 'UsdPreviewSurface') return shader;
    }
    const inside = (prim: UsdPrim, depth: number): UsdPrim | null => {
      for (const child of prim.children.values()) {
        if (idOf(child) === 'UsdPreviewSurface') return child;
        const below = depth < 8 ? inside(child, depth + 1) : null;
        if (below) return below;
      }
      return null;
    };
    const any = inside(material, 0);
    if (!any && !this.complained.has(path)) {
      this.complained.add(path);
      this.findings.push({
        code: 'usd.surface',
        severity: 'warning',
        message: `“${material.name}” has no preview surface, the only kind that every program shares; it came in plain grey. Its images are kept beside it.`,
        where: path,
        repair: 'intake.find-maps',
      });
    }
    return any;
  }
  private readonly complained = new Set<string>();

  /** The prim that an output stands on, through node graphs. */
  private shaderAt(connection: string | undefined, depth = 0): UsdPrim | null {
    const at = connection?.lastIndexOf('.') ?? -1;
    const prim = connection ? primOf(this.root, at < 0 ? connection : connection.slice(0, at)) : null;
    if (!prim || depth > 16) return null;
    if (prim.type === 'Shader' || idOf(prim)) return prim;
    return this.shaderAt(prim.attributes.get((connection as string).slice(at + 1))?.connections[0], depth + 1);
  }

  /** An input, followed to where its value is set: materials pass values on to their shaders. */
  private input(
    shader: UsdPrim,
    name: string,
  ): { attribute: UsdAttribute; from: UsdPrim | null; output: string } | null {
    let attribute = shader.attributes.get(`inputs:${name}`);
    for (let step = 0; attribute && step < 16; step++) {
      const connection = attribute.connections[0];
      if (!connection) return { attribute, from: null, output: '' };
      const at = connection.lastIndexOf('.'),
        prim = primOf(this.root, connection.slice(0, at)),
        property = connection.slice(at + 1);
      if (!prim) return { attribute, from: null, output: '' };
      if (idOf(prim) || prim.type === 'Shader')
        return { attribute, from: prim, output: property.replace(/^outputs:/, '') };
      attribute = prim.attributes.get(property) ?? attribute;
      if (!prim.attributes.has(property)) return { attribute, from: null, output: '' };
    }
    return null;
  }

  private mapOf(shader: UsdPrim, name: string): MapUse | null {
    const input = this.input(shader, name),
      image = input?.from;
    if (!image || !/texture/i.test(idOf(image))) return null;
    const file = this.input(image, 'file')?.attribute;
    const asset = assetOf(file?.value ?? file?.samples?.values[0]);
    if (!asset) return null;
    const texture = this.shelves(folderOf(String(file?.meta.get(FROM) ?? ''))).get(asset);
    if (!texture) return null;
    let place: MapUse['place'] = null,
      st = this.input(image, 'st')?.from ?? null;
    if (st && idOf(st) === 'UsdTransform2d') {
      const pair = (input: string, otherwise: number): [number, number] => {
        const value = this.value(st as UsdPrim, input);
        return [numberAt(value, 0, otherwise), numberAt(value, 1, otherwise)];
      };
      place = {
        offset: pair('translation', 0),
        rotation: (numberOf(this.value(st, 'rotation')) ?? 0) * (Math.PI / 180),
        scale: pair('scale', 1),
      };
      st = this.input(st, 'in')?.from ?? null;
    }
    const set = st ? String(this.value(st, 'varname') ?? '') : '';
    const wrap = (input: string) => WRAP[String(this.value(image, input) ?? 'repeat')] ?? 10497;
    const four = (input: string, otherwise: readonly number[]): readonly number[] => {
      const value = this.value(image, input);
      return value instanceof Float64Array || value instanceof Float32Array ? [...value] : otherwise;
    };
    return {
      texture,
      set,
      channel: (input as { output: string }).output || 'rgb',
      wrap: [wrap('wrapS'), wrap('wrapT')],
      scale: four('scale', [1, 1, 1, 1]),
      bias: four('bias', [0, 0, 0, 0]),
      place,
    };
  }

  private value(shader: UsdPrim, name: string): UsdValue | undefined {
    const input = this.input(shader, name);
    return input && !input.from ? (input.attribute.value ?? input.attribute.samples?.values[0]) : undefined;
  }

  private build(prim: UsdPrim, path: string, sets: readonly string[]): Material {
    const surface = this.surface(prim, path);
    const legacy: LegacyMaterial = {
      name: titleOf(prim),
      diffuse: [0.18, 0.18, 0.18],
      emissive: [0, 0, 0],
      opacity: 1,
      roughness: 0.5,
      metallic: 0,
      maps: {},
      sets: {},
    };
    if (!surface) return toMaterial(this.document, legacy);
    const uses = new Map<LegacyChannel, MapUse>();
    const take = (input: string, channel: LegacyChannel): MapUse | null => {
      const use = this.mapOf(surface, input);
      if (!use) return null;
      uses.set(channel, use);
      legacy.maps[channel] = use.texture;
      const set = sets.indexOf(use.set);
      if (set > 0) (legacy.sets as Record<string, number>)[channel] = set;
      return use;
    };
    const color = (input: string): [number, number, number] | null => {
      const value = this.value(surface, input);
      return value instanceof Float64Array || value instanceof Float32Array || value instanceof Int32Array
        ? ([0, 1, 2].map((i) => Math.max(0, Math.min(1, value[i] || 0))) as [number, number, number])
        : null;
    };
    const number = (input: string): number | undefined => numberOf(this.value(surface, input));
    const diffuse = take('diffuseColor', 'diffuse');
    legacy.diffuse = diffuse ? factorsOf(diffuse.scale) : (color('diffuseColor') ?? legacy.diffuse);
    const glow = take('emissiveColor', 'emissive');
    legacy.emissive = glow ? factorsOf(glow.scale) : (color('emissiveColor') ?? [0, 0, 0]);
    legacy.metallic = number('metallic') ?? 0;
    legacy.roughness = number('roughness') ?? 0.5;
    legacy.opacity = number('opacity') ?? 1;
    const normal = take('normal', 'normal');
    take('displacement', 'height');
    const specular = number('useSpecularWorkflow') ? take('specularColor', 'specular') : null;
    const rough = take('roughness', 'roughness'),
      metal = take('metallic', 'metallic'),
      occlusion = take('occlusion', 'occlusion'),
      opacity = take('opacity', 'opacity');
    // glTF's own packing: roughness in green, metalness in blue of one image.
    const packed =
      rough &&
      (!metal || metal.texture === rough.texture) &&
      rough.channel === 'g' &&
      (!metal || metal.channel === 'b');
    if (packed) {
      delete legacy.maps.roughness;
      delete legacy.maps.metallic;
    }
    if (occlusion && occlusion.channel !== 'r' && occlusion.channel !== 'rgb')
      this.findings.push({
        code: 'usd.channel',
        severity: 'warning',
        message: `“${prim.name}” takes its occlusion from channel “${occlusion.channel}” of “${occlusion.texture.getName()}”; glTF reads red.`,
        where: path,
      });
    // Opacity in the colour map's own alpha is what glTF blends by.
    const ownAlpha = opacity && opacity.texture === diffuse?.texture && opacity.channel === 'a';
    if (ownAlpha) delete legacy.maps.opacity;
    const material = toMaterial(this.document, legacy);
    if (rough || metal) {
      // A packed map is read whole: each channel by its own share.
      if (rough) material.setRoughnessFactor(packed ? factorsOf(rough.scale)[1] : 1);
      if (metal) material.setMetallicFactor(packed ? factorsOf(metal.scale)[2] : 1);
    }
    // Of a map that holds 0 … 1 for −1 … 1, twice as much is as it stands.
    if (normal && normal.bias[0] < 0 && normal.scale[0] > 0) material.setNormalScale(normal.scale[0] / 2);
    if (packed) material.setMetallicRoughnessTexture((rough as MapUse).texture);
    const threshold = number('opacityThreshold') ?? 0;
    if (threshold > 0 && (opacity || legacy.opacity < 1)) material.setAlphaMode('MASK').setAlphaCutoff(threshold);
    else if (ownAlpha) material.setAlphaMode('BLEND');
    this.place(material, uses, sets);
    this.extensions(material, surface, specular, number);
    return material;
  }

  private place(material: Material, uses: ReadonlyMap<LegacyChannel, MapUse>, sets: readonly string[]): void {
    const infos = {
      diffuse: material.getBaseColorTextureInfo(),
      normal: material.getNormalTextureInfo(),
      emissive: material.getEmissiveTextureInfo(),
      occlusion: material.getOcclusionTextureInfo(),
      roughness: material.getMetallicRoughnessTextureInfo(),
    };
    for (const [channel, info] of Object.entries(infos)) {
      const use = uses.get(channel as LegacyChannel);
      if (!info || !use) continue;
      info.setWrapS(use.wrap[0] as 10497).setWrapT(use.wrap[1] as 10497);
      if (channel === 'roughness') info.setTexCoord(Math.max(0, sets.indexOf(use.set)));
      const { place } = use;
      if (!place || (place.rotation === 0 && place.offset.every((x) => x === 0) && place.scale.every((x) => x === 1)))
        continue;
      // v counts from the other end: (u, v) → (u, 1 − v) on both sides of the transform.
      const {
        offset: [x, y],
        rotation,
        scale: [sx, sy],
      } = place;
      const transform = this.document
        .createExtension(KHRTextureTransform)
        .createTransform()
        .setScale([sx, sy])
        .setRotation(rotation)
        .setOffset([x - sy * Math.sin(rotation), 1 - y - sy * Math.cos(rotation)]);
      info.setExtension('KHR_texture_transform', transform);
    }
  }

  private extensions(
    material: Material,
    surface: UsdPrim,
    specular: MapUse | null,
    number: (input: string) => number | undefined,
  ): void {
    const coat = number('clearcoat') ?? 0,
      ior = number('ior');
    if (coat > 0)
      material.setExtension(
        'KHR_materials_clearcoat',
        this.document
          .createExtension(KHRMaterialsClearcoat)
          .createClearcoat()
          .setClearcoatFactor(Math.min(1, coat))
          .setClearcoatRoughnessFactor(Math.max(0, Math.min(1, number('clearcoatRoughness') ?? 0.01))),
      );
    if (ior !== undefined && ior >= 1 && Math.abs(ior - 1.5) > 1e-3)
      material.setExtension(
        'KHR_materials_ior',
        this.document.createExtension(KHRMaterialsIOR).createIOR().setIOR(ior),
      );
    if (number('useSpecularWorkflow') && !specular) {
      const value = this.value(surface, 'specularColor');
      // A specular colour is a reflectance at normal incidence; glTF weighs one of 0.04.
      if (value instanceof Float64Array || value instanceof Float32Array)
        material.setExtension(
          'KHR_materials_specular',
          this.document
            .createExtension(KHRMaterialsSpecular)
            .createSpecular()
            .setSpecularColorFactor(
              [0, 1, 2].map((i) => Math.max(0, (value[i] || 0) / 0.04)) as [number, number, number],
            ),
        );
    }
  }
}

const idOf = (prim: UsdPrim): string => String(prim.attributes.get('info:id')?.value ?? '');
export const assetOf = (value: UsdValue | undefined): string =>
  Array.isArray(value) && value.length && typeof value[0] !== 'string' ? (value[0] as UsdArc).asset : '';
export const numberOf = (value: UsdValue | undefined): number | undefined =>
  typeof value === 'number' && Number.isFinite(value)
    ? value
    : typeof value === 'boolean'
      ? Number(value)
      : (value instanceof Float64Array || value instanceof Float32Array) &&
          value.length === 1 &&
          Number.isFinite(value[0])
        ? value[0]
        : undefined;
const numberAt = (value: UsdValue | undefined, i: number, otherwise: number): number =>
  (value instanceof Float64Array || value instanceof Float32Array) && Number.isFinite(value[i]) ? value[i] : otherwise;

/** What colours are multiplied by, within what glTF allows. */
const factorsOf = (scale: readonly number[]): [number, number, number] =>
  [0, 1, 2].map((i) => Math.max(0, Math.min(1, Number.isFinite(scale[i]) ? scale[i] : 1))) as [number, number, number];
