import type { Document, Material, Node, Texture } from '@gltf-transform/core';
import {
  floatsOf,
  influencesOf,
  inverseBindsOf,
  listParts,
  skeletonOf,
  trianglesOf,
  type Part,
} from '../../character/index.ts';
import type { InputFile } from '../files.ts';
import { turningCurves, wholeClips } from './write-clips.ts';
import { type EffectOptions, effectOf } from './write-effect.ts';
import { attribute, source } from './write-text.ts';

export interface ColladaOptions extends EffectOptions {
  unitMetres: number;
  upAxis: 'Y_UP' | 'Z_UP';
  imagePath(texture: Texture): string;
  /** What wrote the file. */
  tool: string;
  /** Clips as what turns alone, one after the other, or whole and by name. */
  clips: 'turns' | 'whole';
}

/** Writes the whole character as COLLADA 1.4: meshes, morphs under skins with all influences, joints, materials, clips. */
export function writeCollada(document: Document, name: string, options: Partial<ColladaOptions> = {}): InputFile[] {
  const {
    unitMetres = 1,
    upAxis = 'Y_UP',
    imagePath = (texture) => texture.getURI() || `${texture.getName()}.png`,
    tool = 'Saltmarsh figure works',
    clips = 'turns',
    profile = 'SALTMARSH',
  } = options;
  const parts = listParts(document),
    skeleton = skeletonOf(document);
  const ids = new Map<Node, string>(
    document
      .getRoot()
      .listNodes()
      .map((node, i) => [node, `node${i}`]),
  );
  const images = new Map(
    document
      .getRoot()
      .listTextures()
      .map((texture, i) => [texture, `image${i}`]),
  );
  const materials = new Map(
    document
      .getRoot()
      .listMaterials()
      .map((material, i) => [material, `material${i}`]),
  );
  const xml: string[] = [
    '<?xml version="1.0" encoding="utf-8"?>',
    '<COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1">',
  ];
  xml.push(
    `<asset><contributor><authoring_tool>${attribute(tool)}</authoring_tool></contributor><created>2026-01-01T00:00:00Z</created><modified>2026-01-01T00:00:00Z</modified><unit meter="${unitMetres}"/><up_axis>${upAxis}</up_axis></asset>`,
  );
  xml.push(
    '<library_images>',
    ...[...images].map(
      ([texture, id]) => `<image id="${id}"><init_from>${attribute(encodeURI(imagePath(texture)))}</init_from></image>`,
    ),
    '</library_images>',
  );
  xml.push(
    '<library_effects>',
    ...[...materials].map(([material, id]) => effectOf(material, id, images, { ...options, profile })),
    '</library_effects>',
  );
  xml.push(
    '<library_materials>',
    ...[...materials].map(
      ([material, id]) =>
        `<material id="${id}" name="${attribute(material.getName())}"><instance_effect url="#${id}-fx"/></material>`,
    ),
    '</library_materials>',
  );
  xml.push('<library_geometries>', ...parts.map((part, i) => geometry(part, `mesh${i}`)), '</library_geometries>');
  xml.push(
    '<library_controllers>',
    ...parts.map((part, i) => controllers(part, `mesh${i}`, ids)),
    '</library_controllers>',
  );
  xml.push(clips === 'whole' ? wholeClips(document, ids) : turningCurves(document, ids));
  xml.push('<library_visual_scenes><visual_scene id="scene">');
  for (const scene of document.getRoot().listScenes())
    for (const child of scene.listChildren())
      writeNode(
        xml,
        child,
        ids,
        parts,
        materials,
        new Set(skeleton.joints),
        skeleton.joints.find((_, i) => skeleton.parent[i] < 0) ?? null,
      );
  xml.push('</visual_scene></library_visual_scenes><scene><instance_visual_scene url="#scene"/></scene></COLLADA>');
  return [
    { path: `${name}.dae`, bytes: new TextEncoder().encode(xml.join('\n')) },
    ...[...images.keys()].flatMap((texture) => {
      const bytes = texture.getImage();
      return bytes ? [{ path: imagePath(texture), bytes }] : [];
    }),
  ];
}

function geometry(part: Part, id: string): string {
  const position = floatsOf(part.prim.getAttribute('POSITION') as never),
    normal = part.prim.getAttribute('NORMAL'),
    uv = part.prim.getAttribute('TEXCOORD_0');
  const triangles = trianglesOf(part.prim);
  const base = meshText(
    id,
    position,
    normal ? floatsOf(normal) : null,
    uv ? floatsOf(uv).map((x, i) => (i % 2 ? 1 - x : x)) : null,
    triangles,
    part.material?.getName() ?? '',
  );
  const morphs = part.prim.listTargets().map((target, i) => {
    const delta = target.getAttribute('POSITION');
    const values = delta ? floatsOf(delta) : new Float32Array(position.length);
    return `<geometry id="${id}-m${i}" name="${attribute(part.morphNames[i])}"><mesh>${source(
      `${id}-m${i}-p`,
      position.map((x, k) => x + values[k]),
      3,
      'XYZ',
    )}<vertices id="${id}-m${i}-v"><input semantic="POSITION" source="#${id}-m${i}-p"/></vertices></mesh></geometry>`;
  });
  return [`<geometry id="${id}" name="${attribute(part.name)}">${base}</geometry>`, ...morphs].join('\n');
}

function meshText(
  id: string,
  position: Float32Array,
  normal: Float32Array | null,
  uv: Float32Array | null,
  triangles: Uint32Array,
  symbol: string,
): string {
  return (
    `<mesh>${source(`${id}-p`, position, 3, 'XYZ')}${normal ? source(`${id}-n`, normal, 3, 'XYZ') : ''}${uv ? source(`${id}-t`, uv, 2, 'ST') : ''}<vertices id="${id}-v"><input semantic="POSITION" source="#${id}-p"/></vertices>` +
    `<triangles count="${triangles.length / 3}"${symbol ? ` material="${attribute(symbol)}"` : ''}><input semantic="VERTEX" source="#${id}-v" offset="0"/>${normal ? `<input semantic="NORMAL" source="#${id}-n" offset="0"/>` : ''}${uv ? `<input semantic="TEXCOORD" source="#${id}-t" offset="0" set="0"/>` : ''}<p>${triangles.join(' ')}</p></triangles></mesh>`
  );
}

function controllers(part: Part, id: string, ids: ReadonlyMap<Node, string>): string {
  const out: string[] = [];
  const skin = part.node.getSkin(),
    influences = skin ? influencesOf(part.prim) : null;
  if (part.morphNames.length) {
    const names = part.morphNames.map((_, i) => `${id}-m${i}`);
    out.push(
      `<controller id="${id}-morph"><morph source="#${id}" method="NORMALIZED"><source id="${id}-mt"><IDREF_array id="${id}-mta" count="${names.length}">${names.join(' ')}</IDREF_array><technique_common><accessor source="#${id}-mta" count="${names.length}" stride="1"><param name="MORPH_TARGET" type="IDREF"/></accessor></technique_common></source>${source(`${id}-mw`, new Float32Array(names.length), 1, 'W')}<targets><input semantic="MORPH_TARGET" source="#${id}-mt"/><input semantic="MORPH_WEIGHT" source="#${id}-mw"/></targets></morph></controller>`,
    );
  }
  if (skin && influences) {
    const joints = skin.listJoints(),
      binds = inverseBindsOf(skin);
    const rows = Float64Array.from(binds, (_, i) => binds[(i & ~15) + (i % 4) * 4 + ((i % 16) >> 2)]);
    const counts: number[] = [],
      v: number[] = [],
      weights: number[] = [];
    for (let p = 0; p < influences.joints.length; p += influences.perVertex) {
      let n = 0;
      for (let k = p; k < p + influences.perVertex; k++)
        if (influences.weights[k] > 0) {
          v.push(influences.joints[k], weights.push(influences.weights[k]) - 1);
          n++;
        }
      counts.push(n);
    }
    const names = joints.map((joint) => ids.get(joint) as string);
    out.push(
      `<controller id="${id}-skin"><skin source="#${part.morphNames.length ? `${id}-morph` : id}"><bind_shape_matrix>1 0 0 0 0 1 0 0 0 0 1 0 0 0 0 1</bind_shape_matrix><source id="${id}-j"><Name_array id="${id}-ja" count="${names.length}">${names.join(' ')}</Name_array><technique_common><accessor source="#${id}-ja" count="${names.length}" stride="1"><param name="JOINT" type="name"/></accessor></technique_common></source>${source(`${id}-b`, rows, 16, 'T')}${source(`${id}-w`, weights, 1, 'W')}<joints><input semantic="JOINT" source="#${id}-j"/><input semantic="INV_BIND_MATRIX" source="#${id}-b"/></joints><vertex_weights count="${counts.length}"><input semantic="JOINT" source="#${id}-j" offset="0"/><input semantic="WEIGHT" source="#${id}-w" offset="1"/><vcount>${counts.join(' ')}</vcount><v>${v.join(' ')}</v></vertex_weights></skin></controller>`,
    );
  }
  return out.join('\n');
}

function writeNode(
  xml: string[],
  node: Node,
  ids: ReadonlyMap<Node, string>,
  parts: readonly Part[],
  materials: ReadonlyMap<Material, string>,
  joints: ReadonlySet<Node>,
  root: Node | null,
): void {
  const id = ids.get(node) as string,
    matrix = node.getMatrix();
  const rows = Array.from({ length: 16 }, (_, i) => matrix[(i % 4) * 4 + (i >> 2)]);
  xml.push(
    `<node id="${id}" sid="${id}" name="${attribute(node.getName())}" type="${joints.has(node) ? 'JOINT' : 'NODE'}"><matrix sid="transform">${rows.map((x) => Math.round(x * 1e7) / 1e7).join(' ')}</matrix>`,
  );
  parts.forEach((part, i) => {
    if (part.node !== node) return;
    const bind = part.material
      ? `<bind_material><technique_common><instance_material symbol="${attribute(part.material.getName())}" target="#${materials.get(part.material)}"><bind_vertex_input semantic="UVSET0" input_semantic="TEXCOORD" input_set="0"/></instance_material></technique_common></bind_material>`
      : '';
    const skinned = Boolean(part.node.getSkin());
    if (skinned || part.morphNames.length)
      xml.push(
        `<instance_controller url="#mesh${i}-${skinned ? 'skin' : 'morph'}">${skinned && root ? `<skeleton>#${ids.get(root)}</skeleton>` : ''}${bind}</instance_controller>`,
      );
    else xml.push(`<instance_geometry url="#mesh${i}">${bind}</instance_geometry>`);
  });
  for (const child of node.listChildren()) writeNode(xml, child, ids, parts, materials, joints, root);
  xml.push('</node>');
}
