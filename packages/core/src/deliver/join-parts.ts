import type { Document, Node, Skin, Texture } from '@gltf-transform/core';
import { mergeDocuments } from '@gltf-transform/functions';
import { textureFile } from '../character/index.ts';

/**
 * Parts that came in files of their own as one figure: on the joints of the first, joints and materials known by name.
 * Changes the first; the others stay as they are.
 */
export function joinParts([first, ...others]: readonly Document[]): Document {
  const root = first.getRoot(),
    [scene] = root.listScenes(),
    nodes = new Map(root.listNodes().map((node) => [node.getName(), node])),
    materials = new Map(root.listMaterials().map((material) => [material.getName(), material])),
    textures = new Map(root.listTextures().map((texture) => [textureFile(texture), texture]));
  for (const other of others) {
    const made = new Set(mergeDocuments(first, other).values()),
      came = [...made].filter((one): one is Node => one.propertyType === 'Node'),
      carriers = came.filter((node) => node.getMesh());
    for (const skin of made) if (skin.propertyType === 'Skin') onJoints(skin as Skin, nodes);
    for (const node of carriers) {
      const parent = nodes.get(node.getParentNode()?.getName() ?? '');
      (parent ?? scene).addChild(node);
      for (const prim of node.getMesh()?.listPrimitives() ?? []) {
        const material = prim.getMaterial();
        if (!material) continue;
        const known = materials.get(material.getName());
        if (known && known !== material) prim.setMaterial(known);
        else materials.set(material.getName(), material);
      }
    }
    for (const one of made) {
      if (one.propertyType !== 'Texture') continue;
      const texture = one as Texture,
        known = textures.get(textureFile(texture));
      if (!known) textures.set(textureFile(texture), texture);
      else if (sameBytes(known, texture)) {
        for (const parent of texture.listParents()) if (parent !== root) parent.swap(texture, known);
        texture.dispose();
      }
    }
    for (const node of came) if (!carriers.includes(node)) node.dispose();
    for (const one of made) {
      if (one.propertyType === 'Scene') one.dispose();
      if (one.propertyType === 'Material' && !Array.from(materials.values()).includes(one as never)) one.dispose();
    }
  }
  return first;
}

function sameBytes(a: Texture, b: Texture): boolean {
  const one = a.getImage(),
    other = b.getImage();
  return one?.length === other?.length && (one?.every((byte, i) => byte === other?.[i]) ?? true);
}

function onJoints(skin: Skin, nodes: ReadonlyMap<string, Node>): void {
  const joints = skin.listJoints(),
    own = joints.map((joint) => nodes.get(joint.getName()) ?? joint);
  for (const joint of joints) skin.removeJoint(joint);
  for (const joint of own) skin.addJoint(joint);
  const top = skin.getSkeleton();
  if (top) skin.setSkeleton(nodes.get(top.getName()) ?? null);
}
