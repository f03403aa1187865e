import type { Document } from '@gltf-transform/core';
import { identity, multiply, vertexNormals } from '../geometry/index.ts';
import { floatsOf, influencesOf, trianglesOf, type Influences } from './arrays.ts';
import { bendAll, bendVertex } from './bend-vertex.ts';
import { globalMatrix, inverseBindsOf, skeletonOf, type Skeleton } from './joints.ts';
import { listParts, type Part } from './parts.ts';

/** One part made ready for posing: plain arrays, shared by every evaluation. */
interface Shape {
  part: Part;
  base: Float32Array;
  indices: Uint32Array;
  /** Position deltas by morph name. */
  morphs: Map<string, Float32Array>;
  influences: Influences | null;
  /** Skeleton index of each skin joint. */
  jointOf: Int32Array | null;
  inverseBinds: Float64Array | null;
  node: Float64Array;
  /** First vertex of this part in the joint arrays. */
  offset: number;
}

/** A character evaluated as one triangle surface in character space: morphs first, then linear blend skinning. */
export interface Deformer {
  skeleton: Skeleton;
  /** Part id of each triangle range. */
  ranges: { part: Part; firstVertex: number; vertices: number; firstTriangle: number; triangles: number }[];
  /** All triangles over all vertices. */
  indices: Uint32Array;
  vertices: number;
  /**
   * Positions (metres, xyz per vertex) for morph weights and posed global joint matrices (16 per joint of
   * `skeleton`); rest where not given. Written into `out`.
   */
  evaluate(out: Float32Array, morphs?: Record<string, number>, posed?: Float64Array): Float32Array;
  /**
   * Unit normals that belong to `positions`, which {@link evaluate} gave for the same pose and no morphs; of a part without
   * normals those of its faces. Written into `out`.
   */
  evaluateNormals(out: Float32Array, positions: Float32Array, posed?: Float64Array): Float32Array;
  /** Triangles with a corner that the morph moves by more than `least` metres at full weight, ascending. */
  movedTriangles(morph: string, least: number): Uint32Array;
  /** Vertices that the morph moves by more than `least` metres at rest and full weight, and the largest movement, metres. */
  reachOf(morph: string, least: number): { vertices: number; farthest: number };
}

/**
 * Linear blend skinning v' = Σ w_j P_j B_j v over every part (Magnenat-Thalmann et al. 1988). Weights that don't
 * sum to one are used as they are divided by their sum; a vertex without weights stays where the node puts it.
 * @param morphed false leaves morphs out: they are many, and not everybody asks for them
 */
export function createDeformer(
  document: Document,
  filter: (part: Part) => boolean = () => true,
  morphed = true,
): Deformer {
  const skeleton = skeletonOf(document);
  const shapes: Shape[] = [];
  let vertices = 0;
  let corners = 0;
  for (const part of listParts(document)) {
    const position = part.prim.getAttribute('POSITION');
    if (!position || !filter(part)) continue;
    const indices = trianglesOf(part.prim);
    const skin = part.node.getSkin();
    const influences = skin ? influencesOf(part.prim) : null;
    const morphs = new Map<string, Float32Array>();
    if (morphed)
      part.prim.listTargets().forEach((target, i) => {
        const delta = target.getAttribute('POSITION');
        if (delta && part.morphNames[i] !== undefined) morphs.set(part.morphNames[i], floatsOf(delta));
      });
    shapes.push({
      part,
      base: floatsOf(position),
      indices,
      morphs,
      influences,
      jointOf: skin ? Int32Array.from(skin.listJoints(), (joint) => skeleton.index.get(joint) ?? 0) : null,
      inverseBinds: skin ? inverseBindsOf(skin) : null,
      node: globalMatrix(part.node),
      offset: vertices,
    });
    vertices += position.getCount();
    corners += indices.length;
  }
  const all = new Uint32Array(corners);
  const ranges: Deformer['ranges'] = [];
  let at = 0;
  for (const shape of shapes) {
    ranges.push({
      part: shape.part,
      firstVertex: shape.offset,
      vertices: shape.base.length / 3,
      firstTriangle: at / 3,
      triangles: shape.indices.length / 3,
    });
    putRaised(all, at, shape.indices, shape.offset);
    at += shape.indices.length;
  }
  // Most shapes of a character lie at rest whatever morph is dialled: they are posed once and copied.
  let atRest: Float32Array | null = null;
  const movedTriangles = (morph: string, least: number): Uint32Array => {
    const moved: number[] = [],
      far = least * least;
    let first = 0;
    for (const { morphs, indices, base } of shapes) {
      const delta = morphs.get(morph);
      if (delta) {
        // Vertices first, in the order they lie in: corners ask for each of them six times, from all over.
        const moves = new Uint8Array(base.length / 3);
        markBeyond(moves, delta, far);
        addTouched(moved, moves, indices, first);
      }
      first += indices.length / 3;
    }
    return Uint32Array.from(moved);
  };
  const reachOf = (morph: string, least: number) => {
    const reach = { vertices: 0, farthest: 0 };
    for (const shape of shapes) {
      const delta = shape.morphs.get(morph);
      if (delta) addReach(reach, shape, delta, skeleton.global, least);
    }
    return reach;
  };
  const evaluate = (out: Float32Array, morphs: Record<string, number> = {}, posed = skeleton.global): Float32Array => {
    const resting = posed === skeleton.global;
    for (const shape of shapes) {
      const view = out.subarray(shape.offset * 3, shape.offset * 3 + shape.base.length);
      const dialled = Object.keys(morphs).flatMap((name) => {
        const delta = shape.morphs.get(name);
        return delta && morphs[name] ? [{ delta, weight: morphs[name] }] : [];
      });
      if (resting && atRest && out !== atRest && (!dialled.length || shape.influences)) {
        view.set(atRest.subarray(shape.offset * 3, shape.offset * 3 + shape.base.length));
        if (dialled.length) skinMoved(view, shape, dialled, posed);
        continue;
      }
      view.set(shape.base);
      for (const { delta, weight } of dialled) addScaled(view, delta, weight);
      skinInto(view, shape, posed);
    }
    if (resting && !atRest && !Object.values(morphs).some(Boolean)) atRest = out.slice();
    return out;
  };
  const evaluateNormals = (out: Float32Array, positions: Float32Array, posed = skeleton.global): Float32Array => {
    for (const shape of shapes) {
      const from = shape.offset * 3,
        view = out.subarray(from, from + shape.base.length),
        normal = shape.part.prim.getAttribute('NORMAL');
      // A normal is where it leads from the vertex: skinned along with it, the way between both is the normal turned.
      view.set(shape.base);
      addScaled(view, normal ? floatsOf(normal) : vertexNormals(shape.base, shape.indices), 1);
      skinInto(view, shape, posed);
      makeUnit(view, positions.subarray(from, from + view.length));
    }
    return out;
  };
  return { skeleton, ranges, indices: all, vertices, evaluate, evaluateNormals, movedTriangles, reachOf };
}

// Loops over whole arrays stand alone: code that was compiled together with questions to the document is thrown away
// when the objects it met are gone, and such loops would start slowly for every character.
function putRaised(all: Uint32Array, at: number, indices: Uint32Array, by: number): void {
  for (let i = 0; i < indices.length; i++) all[at + i] = indices[i] + by;
}
function addScaled(view: Float32Array, delta: Float32Array, weight: number): void {
  for (let i = 0; i < delta.length; i++) view[i] += delta[i] * weight;
}
/** Takes `from` off every vertex and brings what is left to length one. */
function makeUnit(view: Float32Array, from: Float32Array): void {
  for (let i = 0; i < view.length; i += 3) {
    const x = view[i] - from[i],
      y = view[i + 1] - from[i + 1],
      z = view[i + 2] - from[i + 2],
      length = Math.sqrt(x * x + y * y + z * z) || 1;
    view[i] = x / length;
    view[i + 1] = y / length;
    view[i + 2] = z / length;
  }
}
/** Marks the vertices that lie further than the root of `far` from where they were. */
function markBeyond(marks: Uint8Array, delta: Float32Array, far: number): void {
  for (let v = 0, at = 0; v < marks.length; v++, at += 3) {
    const x = delta[at],
      y = delta[at + 1],
      z = delta[at + 2];
    if (x * x + y * y + z * z > far) marks[v] = 1;
  }
}
function addTouched(out: number[], marks: Uint8Array, indices: Uint32Array, first: number): void {
  for (let i = 0; i < indices.length; i += 3)
    if (marks[indices[i]] | marks[indices[i + 1]] | marks[indices[i + 2]]) out.push(first + i / 3);
}

interface Dialled {
  delta: Float32Array;
  weight: number;
}

/** Poses only what a morph moves; the rest of `view` lies already where the pose puts it. */
function skinMoved(view: Float32Array, shape: Shape, dialled: readonly Dialled[], posed: Float64Array): void {
  const { influences, base } = shape;
  if (!influences) return;
  const moved = new Uint8Array(base.length / 3),
    matrices = skinMatrices(shape, posed),
    point = new Float64Array(3);
  for (const { delta } of dialled) markBeyond(moved, delta, 0);
  for (let v = 0, at = 0; v < moved.length; v++, at += 3) {
    if (!moved[v]) continue;
    for (let i = at; i < at + 3; i++) {
      view[i] = base[i];
      for (const { delta, weight } of dialled) view[i] += delta[i] * weight;
    }
    bendVertex(point, matrices, influences, v, view);
    view[at] = point[0];
    view[at + 1] = point[1];
    view[at + 2] = point[2];
  }
}

/** Adds what one morph of one shape moves, as its joints (or its node) turn it. */
function addReach(
  reach: { vertices: number; farthest: number },
  shape: Shape,
  delta: Float32Array,
  posed: Float64Array,
  least: number,
): void {
  const { influences, base, node } = shape,
    moved = new Uint8Array(base.length / 3),
    here = base.slice();
  const matrices = influences && skinMatrices(shape, posed),
    from = new Float64Array(3),
    to = new Float64Array(3);
  markBeyond(moved, delta, 0);
  for (let v = 0, at = 0; v < moved.length; v++, at += 3) {
    if (!moved[v]) continue;
    if (influences && matrices) {
      bendVertex(from, matrices, influences, v, here);
      for (let k = at; k < at + 3; k++) here[k] += delta[k];
      bendVertex(to, matrices, influences, v, here);
    } else
      for (let k = 0; k < 3; k++)
        to[k] = node[k] * delta[at] + node[k + 4] * delta[at + 1] + node[k + 8] * delta[at + 2];
    const far = Math.hypot(to[0] - from[0], to[1] - from[1], to[2] - from[2]);
    if (far > least) reach.vertices++;
    if (far > reach.farthest) reach.farthest = far;
  }
}

/** What each joint of the shape's skin does to a vertex as it stands in the file, 16 numbers a joint. */
function skinMatrices({ jointOf, inverseBinds }: Shape, posed: Float64Array): Float64Array {
  const joints = jointOf?.length ?? 0,
    matrices = new Float64Array(joints * 16);
  if (jointOf && inverseBinds)
    for (let j = 0; j < joints; j++) multiply(matrices, j * 16, posed, jointOf[j] * 16, inverseBinds, j * 16);
  return matrices;
}

function skinInto(view: Float32Array, shape: Shape, posed: Float64Array): void {
  const { influences } = shape;
  if (!influences) {
    transformAll(view, shape.node);
    return;
  }
  bendAll(view, skinMatrices(shape, posed), influences);
}

function transformAll(view: Float32Array, m: Float64Array): void {
  const eye = identity(new Float64Array(16));
  if (m.every((value, i) => value === eye[i])) return;
  for (let i = 0; i < view.length; i += 3) {
    const x = view[i],
      y = view[i + 1],
      z = view[i + 2];
    view[i] = m[0] * x + m[4] * y + m[8] * z + m[12];
    view[i + 1] = m[1] * x + m[5] * y + m[9] * z + m[13];
    view[i + 2] = m[2] * x + m[6] * y + m[10] * z + m[14];
  }
}
