import { Document } from '@gltf-transform/core';
import {
  KHRMaterialsAnisotropy,
  KHRMaterialsClearcoat,
  KHRMaterialsIOR,
  KHRMaterialsSpecular,
} from '@gltf-transform/extensions';
import { SaxesParser } from 'saxes';
import { describe, expect, it } from 'vitest';
import { writeMaterialX } from './write.ts';

interface Element {
  tag: string;
  attributes: Record<string, string>;
  children: Element[];
}
/** By a parser that knows nothing of ours; throws where it isn't well-formed. */
function parsed(bytes: Uint8Array): Element {
  const root: Element = { tag: '', attributes: {}, children: [] },
    stack = [root],
    parser = new SaxesParser();
  parser.on('error', (error) => {
    throw error;
  });
  parser.on('opentag', ({ name, attributes }) => {
    const element = { tag: name, attributes: attributes as Record<string, string>, children: [] };
    stack[stack.length - 1].children.push(element);
    stack.push(element);
  });
  parser.on('closetag', () => stack.pop());
  parser.write(new TextDecoder().decode(bytes)).close();
  return root.children[0];
}
const named = (elements: readonly Element[], name: string): Element => {
  const found = elements.filter((element) => element.attributes.name === name);
  expect(found, name).toHaveLength(1);
  return found[0];
};
const input = (element: Element, name: string) => named(element.children, name).attributes;

/** Every node, output and graph that is named must be there, once, and of the type that is asked for. */
function connected(root: Element): void {
  const graphs = new Map(
    root.children.filter(({ tag }) => tag === 'nodegraph').map((graph) => [graph.attributes.name, graph]),
  );
  const check = (element: Element, around: readonly Element[]) => {
    const { nodename, nodegraph, output, type } = element.attributes;
    if (nodegraph) {
      const graph = graphs.get(nodegraph) as Element;
      expect(named(graph.children, output).attributes.type).toBe(type);
    } else if (nodename) expect(named(around, nodename).attributes.type).toBe(type);
    for (const child of element.children) check(child, element.tag === 'nodegraph' ? element.children : around);
  };
  for (const element of root.children) check(element, root.children);
}

function dressed() {
  const document = new Document(),
    texture = (uri: string) => document.createTexture(uri).setURI(uri).setImage(Uint8Array.of(1));
  const specular = document.createExtension(KHRMaterialsSpecular).createSpecular().setSpecularFactor(0.6),
    coat = document
      .createExtension(KHRMaterialsClearcoat)
      .createClearcoat()
      .setClearcoatFactor(0.7)
      .setClearcoatRoughnessTexture(texture('textures/coat.png'));
  document
    .createMaterial('Skin & “Head” 01')
    .setBaseColorFactor([0.5, 1, 1, 0.25])
    .setBaseColorTexture(texture('textures/a<b>&"c".png'))
    .setAlphaMode('MASK')
    .setAlphaCutoff(0.3)
    .setNormalTexture(texture('textures/n.png'))
    .setNormalScale(0.4)
    .setMetallicRoughnessTexture(texture('textures/s.png'))
    .setOcclusionTexture(
      document
        .getRoot()
        .listTextures()
        .find((map) => map.getURI() === 'textures/s.png') ?? null,
    )
    .setRoughnessFactor(0.8)
    .setExtension('KHR_materials_specular', specular)
    .setExtension('KHR_materials_clearcoat', coat);
  document.getRoot().listMaterials()[0].getMetallicRoughnessTextureInfo()?.setTexCoord(1);
  document
    .createMaterial('7')
    .setExtension('KHR_materials_ior', document.createExtension(KHRMaterialsIOR).createIOR().setIOR(1.4))
    .setExtension(
      'KHR_materials_anisotropy',
      document
        .createExtension(KHRMaterialsAnisotropy)
        .createAnisotropy()
        .setAnisotropyStrength(0.5)
        .setAnisotropyRotation(1),
    );
  document.createMaterial('7').setAlphaMode('BLEND').setBaseColorFactor([1, 1, 1, 0.1]);
  document.createMaterial('');
  return document;
}

describe('MaterialX', () => {
  const root = parsed(writeMaterialX(dressed(), (texture) => texture.getURI()));
  it('is well-formed, and everything it names is there and of its type', () => {
    expect([root.tag, root.attributes.version]).toEqual(['materialx', '1.39']);
    connected(root);
    const names = root.children.map(({ attributes }) => attributes.name);
    expect(new Set(names).size).toBe(names.length);
    for (const name of names) expect(name).toMatch(/^[A-Za-z_][A-Za-z0-9_]*$/);
    expect(
      root.children.filter(({ tag }) => tag === 'surfacematerial').map(({ attributes }) => attributes.doc),
    ).toEqual(['Skin & “Head” 01', '7', '7', '']);
  });
  it('has each map once for each way of reading it, colours as colours, on its own texture places', () => {
    const graph = root.children.find(({ tag }) => tag === 'nodegraph') as Element,
      images = graph.children
        .filter(({ tag }) => tag === 'image')
        .map((image) => ({
          file: input(image, 'file'),
          type: image.attributes.type,
          places: input(image, 'texcoord').nodename,
        }));
    expect(images.map(({ file, type }) => [file.value, file.colorspace, type])).toEqual([
      ['textures/a<b>&"c".png', 'srgb_texture', 'color4'],
      ['textures/s.png', undefined, 'vector4'],
      ['textures/s.png', undefined, 'vector4'],
      ['textures/n.png', undefined, 'vector4'],
      ['textures/coat.png', undefined, 'vector4'],
    ]);
    expect(images.map(({ places }) => input(named(graph.children, places), 'index').value)).toEqual([
      '0',
      '1',
      '0',
      '0',
      '0',
    ]);
  });
  it('says factors as they are: multiplied in where there is a map, alone where there is none', () => {
    const [skin, brushed, clear] = root.children.filter(({ tag }) => tag === 'gltf_pbr'),
      graph = root.children.find(({ tag }) => tag === 'nodegraph') as Element;
    expect(input(named(graph.children, 'base_color_by'), 'in2').value).toBe('0.5, 1, 1');
    expect(input(named(graph.children, 'roughness_by'), 'in2').value).toBe('0.8');
    expect(input(named(graph.children, 'alpha_by'), 'in2').value).toBe('0.25');
    expect(input(named(graph.children, 'normal_bent'), 'scale').value).toBe('0.4');
    expect([
      input(skin, 'alpha_mode').value,
      input(skin, 'alpha_cutoff').value,
      input(skin, 'specular').value,
      input(skin, 'clearcoat').value,
    ]).toEqual(['1', '0.3', '0.6', '0.7']);
    expect([input(brushed, 'ior').value, input(brushed, 'anisotropy_strength').value]).toEqual(['1.4', '0.5']);
    expect([input(clear, 'alpha').value, input(clear, 'alpha_mode').value]).toEqual(['0.1', '2']);
  });
  it('carries what neither it nor glTF has a place for as a set of properties', () => {
    const document = new Document();
    document.createMaterial('Hair & beard');
    document.createMaterial('Skin');
    const root = parsed(
      writeMaterialX(document, () => '', {
        'Hair & beard': { second_highlight: 0.4, light_through_color: [1, 0.8, 0.5] },
      }),
    );
    connected(root);
    const [set, ...others] = root.children.filter(({ tag }) => tag === 'propertyset');
    expect(others).toEqual([]);
    expect(set.attributes.doc).toBe('Hair & beard');
    expect(
      set.children.map(({ tag, attributes }) => [tag, attributes.name, attributes.type, attributes.value]),
    ).toEqual([
      ['property', 'second_highlight', 'float', '0.4'],
      ['property', 'light_through_color', 'color3', '1, 0.8, 0.5'],
    ]);
  });
});
