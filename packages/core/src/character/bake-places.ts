import type { Document, Mesh, Node, Primitive, PrimitiveTarget } from '@gltf-transform/core';
import { copyPrimitive } from './copy-primitive.ts';
import { floatsOf, trianglesOf } from './arrays.ts';
import { globalMatrix } from './joints.ts';
import type { Part } from './parts.ts';
import { transformed } from '../geometry/index.ts';

/**
 * Makes parts ready to be skinned: a skinned mesh stands where its vertices say, not where its node stands. The node's
 * place goes into the vertices, and the mesh hangs on a node of its own under the scene, so that nothing else moves.
 * @returns the node that each part's mesh hangs on now
 */
export function bakePlaces(document: Document, parts: readonly Part[]): Map<Part, Node> {
  const free = new Map<Node, Node>(),
    out = new Map<Part, Node>();
  for (const part of parts) {
    let node = free.get(part.node);
    if (!node) {
      node = freeNode(document, part.node, part.mesh);
      free.set(part.node, node);
    }
    out.set(part, node);
  }
  return out;
}

function freeNode(document: Document, node: Node, mesh: Mesh): Node {
  const place = globalMatrix(node),
    own = mesh.listParents().filter((parent) => parent.propertyType === 'Node').length > 1 ? copyMesh(mesh) : mesh;
  const free = document
    .createNode(node.getName())
    .setMesh(own)
    .setWeights(node.getWeights())
    .setExtras(node.getExtras());
  for (const clip of document.getRoot().listAnimations())
    for (const channel of clip.listChannels())
      if (channel.getTargetNode() === node && channel.getTargetPath() === 'weights') channel.setTargetNode(free);
  node.setMesh(null);
  document.getRoot().listScenes()[0]?.addChild(free);
  if (!place.every((x, k) => Math.abs(x - (k % 5 === 0 ? 1 : 0)) < 1e-9))
    for (const prim of own.listPrimitives()) bakePrimitive(document, prim, place);
  return free;
}

function copyMesh(mesh: Mesh): Mesh {
  const copy = mesh.clone();
  for (const prim of copy.listPrimitives()) copy.removePrimitive(prim).addPrimitive(copyPrimitive(prim));
  return copy;
}

function bakePrimitive(document: Document, prim: Primitive, place: Float64Array): void {
  const put = (
    holder: Primitive | PrimitiveTarget,
    semantic: string,
    array: Float32Array,
    type: 'VEC3' | 'VEC4' = 'VEC3',
  ) =>
    holder.setAttribute(
      semantic,
      document
        .createAccessor()
        .setType(type)
        .setArray(array as Float32Array<ArrayBuffer>)
        .setSparse(holder.getAttribute(semantic)?.getSparse() ?? false),
    );
  const upright = cofactors(place),
    normal = prim.getAttribute('NORMAL'),
    tangent = prim.getAttribute('TANGENT'),
    before = normal && floatsOf(normal),
    after = before && transformed(before, upright, 'normals');
  const position = prim.getAttribute('POSITION');
  if (position) put(prim, 'POSITION', transformed(floatsOf(position), place, 'places'));
  for (const target of prim.listTargets()) {
    const moved = target.getAttribute('POSITION'),
      turned = target.getAttribute('NORMAL');
    if (moved) put(target, 'POSITION', transformed(floatsOf(moved), place, 'offsets'));
    // A normal's offset is what it turns by: the turned normal goes the way of normals, and the offset is the difference.
    if (turned && before && after) {
      const offsets = floatsOf(turned),
        whole = transformed(
          before.map((x, i) => x + offsets[i]),
          upright,
          'normals',
        );
      put(
        target,
        'NORMAL',
        whole.map((x, i) => x - after[i]),
      );
    }
  }
  if (after) put(prim, 'NORMAL', after);
  if (tangent) {
    const values = floatsOf(tangent),
      out = Float32Array.from(values),
      directions = new Float32Array((values.length / 4) * 3);
    for (let i = 0; i < directions.length; i++) directions[i] = values[Math.floor(i / 3) * 4 + (i % 3)];
    const turned = transformed(directions, place, 'normals');
    for (let i = 0; i < turned.length; i++) out[Math.floor(i / 3) * 4 + (i % 3)] = turned[i];
    put(prim, 'TANGENT', out, 'VEC4');
  }
  // A mirrored place turns every triangle inside out.
  if (determinant(place) < 0) {
    const flipped = trianglesOf(prim).slice();
    for (let t = 0; t < flipped.length; t += 3) [flipped[t + 1], flipped[t + 2]] = [flipped[t + 2], flipped[t + 1]];
    prim.setMode(4).setIndices(document.createAccessor().setType('SCALAR').setArray(flipped));
  }
}

const determinant = (m: Float64Array): number =>
  m[0] * (m[5] * m[10] - m[6] * m[9]) - m[4] * (m[1] * m[10] - m[2] * m[9]) + m[8] * (m[1] * m[6] - m[2] * m[5]);

/** The inverse transpose up to its length, with the sign of the determinant taken out: how normals turn. */
function cofactors(m: Float64Array): Float64Array {
  const out = new Float64Array(16),
    at = (r: number, c: number) => m[(c % 3) * 4 + (r % 3)],
    sign = determinant(m) < 0 ? -1 : 1;
  for (let r = 0; r < 3; r++)
    for (let c = 0; c < 3; c++)
      out[c * 4 + r] = sign * (at(r + 1, c + 1) * at(r + 2, c + 2) - at(r + 1, c + 2) * at(r + 2, c + 1));
  out[15] = 1;
  return out;
}
