import { Document, type Node } from '@gltf-transform/core';
import {
  isJointRole,
  jointPosition,
  listMorphNames,
  listParts,
  skeletonOf,
  updateDossier,
} from '../character/index.ts';
import { invertAffine, multiply, compose, decompose, rotationOf } from '../geometry/index.ts';
import { measureStance } from './stance.ts';
import { parseFigure, type Figure } from '../targets/index.ts';
import { jointRoles } from './roles.ts';

/** A figure's joints as a document without meshes, roles declared: whatever works on skeletons works on figures. */
export function figureDocument(figure: Figure): Document {
  const document = new Document(),
    scene = document.createScene(),
    skin = document.createSkin(figure.id);
  const made = new Map<string, { node: Node; global: Float64Array }>();
  for (const joint of figure.joints) {
    const global = new Float64Array(16),
      local = new Float64Array(16);
    compose(global, 0, joint.at, joint.turn, [1, 1, 1]);
    const above = joint.parent === null ? undefined : made.get(joint.parent);
    if (above) {
      const inverse = new Float64Array(16);
      invertAffine(inverse, 0, above.global, 0);
      multiply(local, 0, inverse, 0, global, 0);
    } else local.set(global);
    const { translation, rotation } = decompose(local);
    const node = document.createNode(joint.name).setTranslation(translation).setRotation(rotation);
    (above?.node ?? scene).addChild(node);
    skin.addJoint(node);
    made.set(joint.name, { node, global });
  }
  updateDossier(document, {
    declaredRoles: Object.fromEntries(
      figure.joints.filter((joint) => isJointRole(joint.role)).map((joint) => [joint.name, joint.role]),
    ),
  });
  return document;
}

const rounded = (value: number): number => Math.round(value * 1e6) / 1e6 || 0;

/**
 * Learns a figure from a sample that stands upright in metres: joints with roles, parents, places and orientation,
 * and what parts, materials, tiles and morphs are called.
 */
export function learnFigure(document: Document, name: { id: string; title: string; note?: string }): Figure {
  const skeleton = skeletonOf(document),
    roles = jointRoles(document, skeleton);
  const taken = new Map<string, number>();
  // Names have to differ; a sample that uses one twice gets a number behind it.
  const names = skeleton.joints.map((joint) => {
    const base = joint.getName() || 'joint',
      n = (taken.get(base) ?? 0) + 1;
    taken.set(base, n);
    return n === 1 ? base : `${base}_${n}`;
  });
  const parts = listParts(document),
    tiles: Record<string, number> = {};
  for (const part of parts) {
    const uv = part.prim.getAttribute('TEXCOORD_0');
    if (!uv?.getCount()) continue;
    let sum = 0;
    const element = [0, 0];
    for (let i = 0; i < uv.getCount(); i++) sum += uv.getElement(i, element)[0];
    tiles[part.name] = Math.floor(sum / uv.getCount());
  }
  return parseFigure({
    schema: 1,
    ...name,
    heightM: rounded(measureStance(document).heightCm / 100) || 1.75,
    joints: skeleton.joints.map((_, i) => ({
      name: names[i],
      role: roles[i].role,
      parent: skeleton.parent[i] < 0 ? null : names[skeleton.parent[i]],
      at: jointPosition(skeleton, i).map(rounded) as [number, number, number],
      turn: rotationOf(skeleton.global, i * 16).map(rounded) as [number, number, number, number],
    })),
    parts: parts.map((part) => ({ name: part.name, role: part.role })),
    materials: document
      .getRoot()
      .listMaterials()
      .map((material) => ({
        name: material.getName(),
        kind: parts.find((part) => part.material === material)?.kind ?? 'other',
      })),
    tiles,
    morphs: listMorphNames(document),
  });
}
