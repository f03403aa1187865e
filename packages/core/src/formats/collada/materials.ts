import type { Document, Material, Texture } from '@gltf-transform/core';
import type { ImageShelf } from '../images/shelf.ts';
import { srgbToLinear } from '../mesh/color.ts';
import { type LegacyChannel, type LegacyMaterial, toMaterial } from '../mesh/legacy-material.ts';
import { childOf, childrenOf, down, within, type XmlNode } from '../text/xml.ts';
import { type Collada, nameOf } from './source.ts';

/** Which texture set a symbol of a material's effect means, from `bind_vertex_input`. */
export type SetOf = (symbol: string) => number | undefined;

/** Materials of `<instance_material>` bindings, each made once for a material and the texture sets it is bound to. */
export class ColladaMaterials {
  private readonly made = new Map<string, Material>();
  constructor(
    private readonly file: Collada,
    private readonly document: Document,
    private readonly shelf: ImageShelf,
  ) {}

  get(reference: string | undefined, setOf: SetOf): Material | null {
    const material = this.file.find(reference);
    if (!material) return null;
    const effect = this.file.find(childOf(material, 'instance_effect')?.attributes.url);
    const legacy = this.legacy(nameOf(material, 'material'), effect, setOf);
    const key = `${material.attributes.id} ${JSON.stringify(legacy.sets ?? {})}`;
    let found = this.made.get(key);
    if (!found) {
      found = toMaterial(this.document, legacy);
      this.made.set(key, found);
    }
    return found;
  }

  /** The one material of a file that declares no other: what is bound to none means that. */
  only(setOf: SetOf): Material | null {
    const declared = this.file.root.children
      .filter((child) => child.name === 'library_materials')
      .flatMap((library) => library.children.filter((child) => child.name === 'material'));
    if (declared.length !== 1 || !declared[0].attributes.id) return null;
    this.file.say({
      code: 'collada.material-assumed',
      severity: 'info',
      message: `Surfaces of “${this.file.path}” are bound to no material; the only one it declares, “${nameOf(declared[0], 'material')}”, was taken.`,
      where: this.file.path,
    });
    return this.get(`#${declared[0].attributes.id}`, setOf);
  }

  private legacy(name: string, effect: XmlNode | null, setOf: SetOf): LegacyMaterial {
    const out: LegacyMaterial = { name, diffuse: [0.8, 0.8, 0.8], emissive: [0, 0, 0], opacity: 1, maps: {}, sets: {} };
    const profile = childOf(effect, 'profile_COMMON');
    const technique = childOf(profile, 'technique');
    const shading = technique?.children.find((child) => ['phong', 'blinn', 'lambert', 'constant'].includes(child.name));
    if (!effect || !profile || !shading) return out;
    const take = (channel: LegacyChannel, element: XmlNode | null): Texture | null => {
      const node = childOf(element, 'texture');
      const texture = node && this.texture(profile, effect, node.attributes.texture);
      if (!texture) return null;
      out.maps[channel] = texture;
      const set = setOf(node.attributes.texcoord ?? '');
      if (set) (out.sets as Record<string, number>)[channel] = set;
      return texture;
    };
    const color = (element: XmlNode | null): [number, number, number] | null => {
      const node = childOf(element, 'color');
      if (!node) return null;
      const [r = 0, g = 0, b = 0] = this.file.numbers(node);
      return [r, g, b].map((c) => srgbToLinear(Math.max(0, Math.min(1, Number.isFinite(c) ? c : 0)))) as [
        number,
        number,
        number,
      ];
    };
    const number = (element: XmlNode | null): number | undefined => {
      const node = childOf(element, 'float');
      const [value] = this.file.numbers(node);
      return value;
    };
    out.diffuse = take('diffuse', childOf(shading, 'diffuse'))
      ? [1, 1, 1]
      : (color(childOf(shading, 'diffuse')) ?? out.diffuse);
    out.emissive = color(childOf(shading, 'emission')) ?? [0, 0, 0];
    take('emissive', childOf(shading, 'emission'));
    take('specular', childOf(shading, 'specular'));
    take('shininess', childOf(shading, 'shininess'));
    take('occlusion', childOf(shading, 'ambient'));
    // The ambient colour's map is mostly the diffuse one again: that is no occlusion.
    if (out.maps.occlusion === out.maps.diffuse) delete out.maps.occlusion;
    out.shininess =
      number(childOf(shading, 'shininess')) ??
      (shading.name === 'lambert' || shading.name === 'constant' ? 4 : undefined);
    // Some writers give the exponent as a part of one.
    if (out.shininess !== undefined && out.shininess > 0 && out.shininess <= 1 && childOf(shading, 'shininess'))
      out.shininess *= 128;
    out.ior = number(childOf(shading, 'index_of_refraction'));
    this.transparency(out, shading, take, number);
    for (const extra of [
      ...childrenOf(technique, 'extra'),
      ...childrenOf(profile, 'extra'),
      ...childrenOf(effect, 'extra'),
    ])
      this.extra(extra, out, take, number);
    return out;
  }

  private transparency(
    out: LegacyMaterial,
    shading: XmlNode,
    take: (channel: LegacyChannel, element: XmlNode | null) => Texture | null,
    number: (element: XmlNode | null) => number | undefined,
  ): void {
    const transparent = childOf(shading, 'transparent');
    const amount = number(childOf(shading, 'transparency')) ?? 1;
    const mode = transparent?.attributes.opaque ?? 'A_ONE';
    const map = take('opacity', transparent);
    if (map) {
      // The colour map's own alpha: glTF says the same by blending.
      if (map === out.maps.diffuse) {
        delete out.maps.opacity;
        out.opacity = Math.min(out.opacity, 0.9985);
      }
      return;
    }
    if (!transparent && !childOf(shading, 'transparency')) return;
    const values = this.file.numbers(childOf(transparent, 'color'));
    const [r = 1, g = 1, b = 1, a = 1] = values;
    const light = 0.212671 * r + 0.71516 * g + 0.072169 * b;
    const opacity =
      mode === 'RGB_ZERO'
        ? 1 - light * amount
        : mode === 'A_ZERO'
          ? 1 - a * amount
          : mode === 'RGB_ONE'
            ? light * amount
            : a * amount;
    out.opacity = Math.max(0, Math.min(1, opacity));
    if (out.opacity < 0.01) {
      out.opacity = 1;
      this.file.say({
        code: 'collada.invisible',
        severity: 'info',
        message: `“${out.name}” says that it can't be seen at all, as many exports do by mistake; it is taken as opaque.`,
        where: out.name,
        repair: 'materials.transparency',
      });
    }
  }

  private extra(
    extra: XmlNode,
    out: LegacyMaterial,
    take: (channel: LegacyChannel, element: XmlNode | null) => Texture | null,
    number: (element: XmlNode | null) => number | undefined,
  ): void {
    for (const channel of ['roughness', 'metallic'] as const)
      for (const surface of within(extra, channel)) {
        take(channel, surface);
        const value = number(surface);
        if (value !== undefined && value >= 0 && value <= 1) out[channel] = value;
      }
    for (const bump of [...within(extra, 'bump'), ...within(extra, 'normal'), ...within(extra, 'bumpmap')]) {
      const normal =
        bump.name === 'normal' ||
        bump.attributes.bumptype === 'NORMALMAP' ||
        /nrm|norm/i.test(childOf(bump, 'texture')?.attributes.texture ?? '');
      take(normal ? 'normal' : 'bump', bump);
    }
    for (const sided of within(extra, 'double_sided')) if (/^\s*(1|true)/i.test(sided.text)) out.doubleSided = true;
  }

  /** Follows texture → sampler → surface → image, or straight to an image, as many writers do. */
  private texture(profile: XmlNode, effect: XmlNode, name: string | undefined): Texture | null {
    const parameter = (sid: string | undefined) =>
      [...childrenOf(profile, 'newparam'), ...childrenOf(effect, 'newparam'), ...within(profile, 'newparam')].find(
        (node) => node.attributes.sid === sid,
      );
    const sampler = childOf(parameter(name), 'sampler2D');
    const surface = childOf(parameter(childOf(sampler, 'source')?.text.trim()), 'surface');
    const reference =
      childOf(sampler, 'instance_image')?.attributes.url ??
      down(surface, 'init_from')?.text.trim() ??
      (surface ? down(surface, 'init_from', 'ref')?.text.trim() : undefined) ??
      name;
    const image = this.file.find(reference);
    const from = childOf(image, 'init_from');
    const path = (childOf(from, 'ref')?.text ?? from?.text ?? '').trim();
    return path ? this.shelf.get(path) : null;
  }
}
