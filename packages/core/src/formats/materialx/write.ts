import type { Document, Material, Texture, TextureInfo } from '@gltf-transform/core';
import type { BeyondGltf } from '../../character/index.ts';
import type {
  Anisotropy,
  Clearcoat,
  EmissiveStrength,
  IOR,
  Iridescence,
  Sheen,
  Specular,
  Transmission,
} from '@gltf-transform/extensions';

type Value = number | readonly number[];
type Type = 'float' | 'color3' | 'vector3' | 'integer';
/** What an input of the surface gets: a value, or an output of the material's graph. */
interface Input {
  name: string;
  type: Type;
  value?: Value;
  output?: string;
}

const ALPHA_MODES: Record<string, number> = { OPAQUE: 0, MASK: 1, BLEND: 2 };

/**
 * Every material as MaterialX (specification 1.39) by its node for glTF's surfaces, `gltf_pbr`: each map an image node,
 * factors multiplied in. Texture places are those of the model's own sets.
 * @param pathOf where a map lies, from the document's own folder
 * @param beyond parameters that neither glTF nor its node has, by material: a set of properties each
 */
export function writeMaterialX(
  document: Document,
  pathOf: (texture: Texture) => string,
  beyond: Readonly<Record<string, BeyondGltf>> = {},
): Uint8Array<ArrayBuffer> {
  const lines = ['<?xml version="1.0" encoding="utf-8"?>', '<materialx version="1.39" colorspace="lin_rec709">'],
    names = new Set<string>();
  for (const material of document.getRoot().listMaterials()) {
    const name = freeName(material.getName(), names),
      graph = new Graph(pathOf),
      inputs = inputsOf(material, graph);
    if (graph.lines.length)
      lines.push(`  <nodegraph name="NG_${name}">`, ...graph.lines, ...graph.outputs, '  </nodegraph>');
    lines.push(`  <gltf_pbr name="SR_${name}" type="surfaceshader">`);
    for (const input of inputs)
      lines.push(
        input.output
          ? `    <input name="${input.name}" type="${input.type}" nodegraph="NG_${name}" output="${input.output}"/>`
          : `    <input name="${input.name}" type="${input.type}" value="${valueText(input.value ?? 0)}"/>`,
      );
    lines.push(
      '  </gltf_pbr>',
      `  <surfacematerial name="${name}" type="material" doc="${escaped(material.getName())}">`,
      `    <input name="surfaceshader" type="surfaceshader" nodename="SR_${name}"/>`,
      '  </surfacematerial>',
    );
    const more = Object.entries(beyond[material.getName()] ?? {});
    if (more.length)
      lines.push(
        `  <propertyset name="PS_${name}" doc="${escaped(material.getName())}">`,
        ...more.map(
          ([key, value]) =>
            `    <property name="${key}" type="${typeof value === 'number' ? 'float' : 'color3'}" value="${valueText(value)}"/>`,
        ),
        '  </propertyset>',
      );
  }
  lines.push('</materialx>', '');
  return new TextEncoder().encode(lines.join('\n'));
}

/** The nodes of one material. */
class Graph {
  readonly lines: string[] = [];
  readonly outputs: string[] = [];
  private readonly images = new Map<string, string>();
  constructor(private readonly pathOf: (texture: Texture) => string) {}

  node(kind: string, name: string, type: string, inputs: readonly string[]): string {
    this.lines.push(
      `    <${kind} name="${name}" type="${type}">`,
      ...inputs.map((line) => `      ${line}`),
      `    </${kind}>`,
    );
    return name;
  }
  output(name: string, type: Type, from: string): Input {
    this.outputs.push(`    <output name="${name}_out" type="${type}" nodename="${from}"/>`);
    return { name, type, output: `${name}_out` };
  }
  /** An image, one node for all that read it alike. @param type `color4` where colours are meant, `vector4` for data */
  image(texture: Texture, info: TextureInfo | null, type: 'color4' | 'vector4'): string {
    const set = info?.getTexCoord() ?? 0,
      key = `${this.pathOf(texture)} ${type} ${set}`,
      known = this.images.get(key);
    if (known) return known;
    const name = `image_${this.images.size + 1}`;
    this.images.set(key, name);
    const places = this.node('texcoord', `${name}_places`, 'vector2', [
      `<input name="index" type="integer" value="${set}"/>`,
    ]);
    return this.node('image', name, type, [
      `<input name="file" type="filename" value="${escaped(this.pathOf(texture))}"${type === 'color4' ? ' colorspace="srgb_texture"' : ''}/>`,
      `<input name="texcoord" type="vector2" nodename="${places}"/>`,
    ]);
  }
  channel(image: string, type: 'color4' | 'vector4', index: number): string {
    const name = `${image}_${'rgba'[index]}`;
    if (!this.lines.some((line) => line.includes(`name="${name}"`)))
      this.node('extract', name, 'float', [
        `<input name="in" type="${type}" nodename="${image}"/>`,
        `<input name="index" type="integer" value="${index}"/>`,
      ]);
    return name;
  }
  times(from: string, name: string, type: 'float' | 'color3', by: Value): string {
    if ([by].flat().every((value) => value === 1)) return from;
    return this.node('multiply', name, type, [
      `<input name="in1" type="${type}" nodename="${from}"/>`,
      `<input name="in2" type="${type}" value="${valueText(by)}"/>`,
    ]);
  }
  color(image: string): string {
    const name = `${image}_rgb`;
    if (!this.lines.some((line) => line.includes(`name="${name}"`)))
      this.node('convert', name, 'color3', [`<input name="in" type="color4" nodename="${image}"/>`]);
    return name;
  }
}

type Info = TextureInfo | null;

function inputsOf(material: Material, graph: Graph): Input[] {
  const inputs: Input[] = [],
    [r, g, b, alpha] = material.getBaseColorFactor();
  /** A number, from one channel of a map where there is one. */
  const number = (name: string, factor: number, texture: Texture | null = null, info: Info = null, channel = 0) =>
    inputs.push(
      texture
        ? graph.output(
            name,
            'float',
            graph.times(
              graph.channel(graph.image(texture, info, 'vector4'), 'vector4', channel),
              `${name}_by`,
              'float',
              factor,
            ),
          )
        : { name, type: 'float', value: factor },
    );
  const color = (name: string, factor: readonly number[], texture: Texture | null = null, info: Info = null) =>
    inputs.push(
      texture
        ? graph.output(
            name,
            'color3',
            graph.times(graph.color(graph.image(texture, info, 'color4')), `${name}_by`, 'color3', factor),
          )
        : { name, type: 'color3', value: factor },
    );
  const normal = (name: string, texture: Texture | null, info: Info, scale: number) => {
    if (!texture) return;
    const image = graph.image(texture, info, 'vector4'),
      three = graph.node('convert', `${name}_xyz`, 'vector3', [
        `<input name="in" type="vector4" nodename="${image}"/>`,
      ]),
      bent = graph.node('normalmap', `${name}_bent`, 'vector3', [
        `<input name="in" type="vector3" nodename="${three}"/>`,
        `<input name="scale" type="float" value="${valueText(scale)}"/>`,
      ]);
    inputs.push(graph.output(name, 'vector3', bent));
  };
  color('base_color', [r, g, b], material.getBaseColorTexture(), material.getBaseColorTextureInfo());
  const base = material.getBaseColorTexture();
  if (material.getAlphaMode() !== 'OPAQUE') {
    if (base)
      inputs.push(
        graph.output(
          'alpha',
          'float',
          graph.times(
            graph.channel(graph.image(base, material.getBaseColorTextureInfo(), 'color4'), 'color4', 3),
            'alpha_by',
            'float',
            alpha,
          ),
        ),
      );
    else inputs.push({ name: 'alpha', type: 'float', value: alpha });
  }
  inputs.push({ name: 'alpha_mode', type: 'integer', value: ALPHA_MODES[material.getAlphaMode()] ?? 0 });
  if (material.getAlphaMode() === 'MASK')
    inputs.push({ name: 'alpha_cutoff', type: 'float', value: material.getAlphaCutoff() });
  const surface = material.getMetallicRoughnessTexture(),
    places = material.getMetallicRoughnessTextureInfo();
  number('metallic', material.getMetallicFactor(), surface, places, 2);
  number('roughness', material.getRoughnessFactor(), surface, places, 1);
  if (material.getOcclusionTexture())
    number('occlusion', 1, material.getOcclusionTexture(), material.getOcclusionTextureInfo(), 0);
  normal('normal', material.getNormalTexture(), material.getNormalTextureInfo(), material.getNormalScale());
  color('emissive', material.getEmissiveFactor(), material.getEmissiveTexture(), material.getEmissiveTextureInfo());
  beyond(material, number, color, normal, inputs);
  return inputs;
}

/** What ratified extensions add. */
function beyond(
  material: Material,
  number: (name: string, factor: number, texture?: Texture | null, info?: Info, channel?: number) => unknown,
  color: (name: string, factor: readonly number[], texture?: Texture | null, info?: Info) => unknown,
  normal: (name: string, texture: Texture | null, info: Info, scale: number) => void,
  inputs: Input[],
): void {
  const glow = material.getExtension<EmissiveStrength>('KHR_materials_emissive_strength');
  if (glow) inputs.push({ name: 'emissive_strength', type: 'float', value: glow.getEmissiveStrength() });
  const ior = material.getExtension<IOR>('KHR_materials_ior');
  if (ior) inputs.push({ name: 'ior', type: 'float', value: ior.getIOR() });
  const specular = material.getExtension<Specular>('KHR_materials_specular');
  if (specular) {
    number(
      'specular',
      specular.getSpecularFactor(),
      specular.getSpecularTexture(),
      specular.getSpecularTextureInfo(),
      3,
    );
    color(
      'specular_color',
      specular.getSpecularColorFactor(),
      specular.getSpecularColorTexture(),
      specular.getSpecularColorTextureInfo(),
    );
  }
  const coat = material.getExtension<Clearcoat>('KHR_materials_clearcoat');
  if (coat) {
    number('clearcoat', coat.getClearcoatFactor(), coat.getClearcoatTexture(), coat.getClearcoatTextureInfo(), 0);
    number(
      'clearcoat_roughness',
      coat.getClearcoatRoughnessFactor(),
      coat.getClearcoatRoughnessTexture(),
      coat.getClearcoatRoughnessTextureInfo(),
      1,
    );
    normal(
      'clearcoat_normal',
      coat.getClearcoatNormalTexture(),
      coat.getClearcoatNormalTextureInfo(),
      coat.getClearcoatNormalScale(),
    );
  }
  const sheen = material.getExtension<Sheen>('KHR_materials_sheen');
  if (sheen) {
    color('sheen_color', sheen.getSheenColorFactor(), sheen.getSheenColorTexture(), sheen.getSheenColorTextureInfo());
    number(
      'sheen_roughness',
      sheen.getSheenRoughnessFactor(),
      sheen.getSheenRoughnessTexture(),
      sheen.getSheenRoughnessTextureInfo(),
      3,
    );
  }
  const clear = material.getExtension<Transmission>('KHR_materials_transmission');
  if (clear)
    number(
      'transmission',
      clear.getTransmissionFactor(),
      clear.getTransmissionTexture(),
      clear.getTransmissionTextureInfo(),
      0,
    );
  const brushed = material.getExtension<Anisotropy>('KHR_materials_anisotropy');
  if (brushed)
    inputs.push(
      { name: 'anisotropy_strength', type: 'float', value: brushed.getAnisotropyStrength() },
      { name: 'anisotropy_rotation', type: 'float', value: brushed.getAnisotropyRotation() },
    );
  const film = material.getExtension<Iridescence>('KHR_materials_iridescence');
  if (film)
    inputs.push(
      { name: 'iridescence', type: 'float', value: film.getIridescenceFactor() },
      { name: 'iridescence_ior', type: 'float', value: film.getIridescenceIOR() },
      { name: 'iridescence_thickness', type: 'float', value: film.getIridescenceThicknessMaximum() },
    );
}

const valueText = (value: Value): string =>
  [value]
    .flat()
    .map((one) => String(Math.round(one * 1e6) / 1e6))
    .join(', ');
const escaped = (text: string): string =>
  // biome-ignore lint/suspicious/noControlCharactersInRegex: XML has no place for them
  text.replace(/[\u0000-\u001f]/g, ' ').replace(/[&<>"]/g, (c) => `&#${c.charCodeAt(0)};`);

/** A name as MaterialX takes it: letters, digits and underscores, no digit first, each once. */
function freeName(name: string, taken: Set<string>): string {
  const base = name
    .normalize('NFKD')
    .replace(/[^A-Za-z0-9_]+/g, '_')
    .replace(/^(?=\d|$)/, 'm_');
  let free = base;
  for (let n = 2; taken.has(free); n++) free = `${base}_${n}`;
  taken.add(free);
  return free;
}
