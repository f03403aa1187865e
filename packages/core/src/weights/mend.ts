import type { Document, Primitive } from '@gltf-transform/core';
import {
  createDeformer,
  influencesOf,
  jointPosition,
  skeletonOf,
  trianglesOf,
  type Influences,
  type Part,
  type Skeleton,
  writeInfluences,
} from '../character/index.ts';
import { heightOf, TriangleTree } from '../geometry/index.ts';
import { jointRoles } from '../rig/index.ts';

export interface WeightFaults {
  /** Vertices that follow no joint. */
  unweighted: number;
  /** Weights of limbs of the other side. */
  otherSide: number;
  /** Weights of a far joint that no neighbour shares. */
  stray: number;
  /** Vertices whose weights don't sum to one. */
  sums: number;
}

/** Limbs of one side; what lies beyond the middle by more than a share of the height is on the other side. */
const LIMB = /^(left|right)(UpperArm|LowerArm|Hand|Thumb|Index|Middle|Ring|Little|LowerLeg|Foot|Toes)/;
const BEYOND = 0.025,
  FAR = 0.22,
  LEAST = 0.02,
  SUM = 1e-4;

interface Surface {
  part: Part;
  prim: Primitive;
  influences: Influences;
  joints: number[];
  rest: Float32Array;
  first: number;
}

function surfacesOf(
  document: Document,
  skeleton: Skeleton,
): { surfaces: Surface[]; height: number; all: Float32Array; indices: Uint32Array } {
  const deformer = createDeformer(document, () => true, false),
    all = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    surfaces: Surface[] = [],
    seen = new Set<Primitive>();
  const height = heightOf(all);
  for (const { part, firstVertex, vertices } of deformer.ranges) {
    const skin = part.node.getSkin(),
      influences = skin && influencesOf(part.prim);
    if (!skin || !influences || seen.has(part.prim)) continue;
    seen.add(part.prim);
    surfaces.push({
      part,
      prim: part.prim,
      influences,
      joints: skin.listJoints().map((joint) => skeleton.index.get(joint) ?? 0),
      rest: all.subarray(firstVertex * 3, (firstVertex + vertices) * 3),
      first: firstVertex,
    });
  }
  return { surfaces, height, all, indices: deformer.indices };
}

/** Neighbours along edges, as lists behind each other. */
function neighboursOf(indices: Uint32Array, count: number): { start: Uint32Array; list: Uint32Array } {
  const start = new Uint32Array(count + 1);
  for (let i = 0; i < indices.length; i++) start[indices[i] + 1] += 2;
  for (let v = 0; v < count; v++) start[v + 1] += start[v];
  const at = start.slice(),
    list = new Uint32Array(indices.length * 2);
  for (let t = 0; t + 2 < indices.length; t += 3)
    for (let k = 0; k < 3; k++) {
      const v = indices[t + k];
      list[at[v]++] = indices[t + ((k + 1) % 3)];
      list[at[v]++] = indices[t + ((k + 2) % 3)];
    }
  return { start, list };
}

interface Limits {
  side: Int8Array;
  global: Float64Array;
  beyond: number;
  far2: number;
}

/** Weights of limbs of the other side, and of joints that are far away; the sum of every vertex goes into `sums`. */
function suspicious(
  { influences: { perVertex, joints, weights }, joints: ofSkin, rest }: Surface,
  { side, global, beyond, far2 }: Limits,
  sums: Float64Array,
): { otherSide: number[]; far: number[] } {
  const otherSide: number[] = [],
    far: number[] = [],
    jointOf = Int32Array.from(ofSkin);
  for (let v = 0, k = 0; v < sums.length; v++) {
    const x = rest[v * 3],
      y = rest[v * 3 + 1],
      z = rest[v * 3 + 2];
    let sum = 0;
    for (const end = k + perVertex; k < end; k++) {
      const weight = weights[k];
      sum += weight;
      if (weight < LEAST) continue;
      const joint = jointOf[joints[k]],
        o = joint * 16 + 12;
      if (side[joint] !== 0 && x * side[joint] < beyond && global[o] * side[joint] > 0) {
        otherSide.push(k);
        continue;
      }
      const dx = x - global[o],
        dy = y - global[o + 1],
        dz = z - global[o + 2];
      if (dx * dx + dy * dy + dz * dz > far2) far.push(k);
    }
    sums[v] = sum;
  }
  return { otherSide, far };
}

/**
 * Finds weights that can't be meant: vertices without any, limbs of the other side, far joints that no neighbour
 * shares, sums that are off. With `mend` they are taken out; what is left without weight takes on its neighbours',
 * along the mesh and then from the nearest surface.
 */
export function weightFaults(document: Document, mend = false): WeightFaults {
  const skeleton = skeletonOf(document),
    roles = jointRoles(document, skeleton),
    faults: WeightFaults = { unweighted: 0, otherSide: 0, stray: 0, sums: 0 };
  const { surfaces, height, all, indices } = surfacesOf(document, skeleton);
  const side = Int8Array.from(roles, ({ role }) => (LIMB.test(role) ? (role.startsWith('left') ? 1 : -1) : 0)),
    { global } = skeleton,
    beyond = -BEYOND * height;
  const far2 = (FAR * height) ** 2;
  const empty: { surface: Surface; vertices: number[]; near: ReturnType<typeof neighboursOf> }[] = [];
  for (const surface of surfaces) {
    const {
        influences: { perVertex, joints, weights },
      } = surface,
      count = joints.length / perVertex,
      none: number[] = [];
    // Most surfaces have nothing to ask their neighbours about.
    let asked: ReturnType<typeof neighboursOf> | null = null;
    const around = () => (asked ??= neighboursOf(trianglesOf(surface.prim), count));
    let changed = false;
    const has = (v: number, joint: number) => {
      for (let k = v * perVertex; k < (v + 1) * perVertex; k++)
        if (joints[k] === joint && weights[k] > 0.005) return true;
      return false;
    };
    const sums = new Float64Array(count),
      { otherSide, far } = suspicious(surface, { side, global, beyond, far2 }, sums),
      out = otherSide;
    faults.otherSide += otherSide.length;
    const sumAt = (v: number): number => {
      let sum = 0;
      for (let k = v * perVertex; k < (v + 1) * perVertex; k++) sum += weights[k];
      return sum;
    };
    for (const k of far) {
      const near = around(),
        v = Math.floor(k / perVertex);
      if (near.start[v] === near.start[v + 1]) continue;
      let shared = false;
      for (let n = near.start[v]; n < near.start[v + 1] && !shared; n++) shared = has(near.list[n], joints[k]);
      if (!shared) {
        faults.stray++;
        out.push(k);
      }
    }
    if (mend) {
      for (const k of out) {
        weights[k] = 0;
        changed = true;
      }
      for (const k of out) {
        const v = Math.floor(k / perVertex);
        sums[v] = sumAt(v);
      }
    }
    for (let v = 0; v < count; v++) {
      const sum = sums[v];
      if (!(sum > 0)) {
        none.push(v);
        continue;
      }
      if (Math.abs(sum - 1) > SUM && !out.length) faults.sums++;
      if (mend && Math.abs(sum - 1) > 1e-5) {
        changed = true;
        for (let k = v * perVertex; k < (v + 1) * perVertex; k++) weights[k] /= sum;
      }
    }
    const lost = new Set(out.map((k) => Math.floor(k / perVertex)));
    faults.unweighted += none.filter((v) => !lost.has(v)).length;
    if (mend && none.length) empty.push({ surface, vertices: none, near: around() });
    if (mend && changed) writeInfluences(document, surface.prim, surface.influences);
  }
  if (mend)
    for (const { surface, vertices, near } of empty) {
      const left = spread(surface, vertices, near);
      if (left.length) fromNearest(surface, left, surfaces, all, indices);
      writeInfluences(document, surface.prim, surface.influences);
    }
  return faults;
}

/** Weights grow from the rim of a hole inwards, a ring at a time: the mean of the neighbours that have some. @returns what no neighbour reaches */
function spread(
  { influences: { perVertex, joints, weights } }: Surface,
  vertices: readonly number[],
  { start, list }: ReturnType<typeof neighboursOf>,
): number[] {
  let waiting = [...vertices];
  const empty = new Set(vertices);
  for (let progress = true; progress && waiting.length; ) {
    progress = false;
    const next: number[] = [],
      filled: [number, Map<number, number>][] = [];
    for (const v of waiting) {
      const sum = new Map<number, number>();
      for (let n = start[v]; n < start[v + 1]; n++)
        if (!empty.has(list[n]))
          for (let k = list[n] * perVertex; k < (list[n] + 1) * perVertex; k++)
            if (weights[k] > 0) sum.set(joints[k], (sum.get(joints[k]) ?? 0) + weights[k]);
      if (sum.size) filled.push([v, sum]);
      else next.push(v);
    }
    for (const [v, sum] of filled) {
      put(v, sum, perVertex, joints, weights);
      empty.delete(v);
      progress = true;
    }
    waiting = next;
  }
  return waiting;
}

function put(
  v: number,
  sum: ReadonlyMap<number, number>,
  perVertex: number,
  joints: Uint16Array,
  weights: Float32Array,
): void {
  const row = [...sum].sort((a, b) => b[1] - a[1] || a[0] - b[0]).slice(0, perVertex),
    total = row.reduce((all, [, w]) => all + w, 0);
  row.forEach(([joint, w], k) => {
    joints[v * perVertex + k] = joint;
    weights[v * perVertex + k] = w / total;
  });
}

/** A piece without any weight takes those of the nearest triangle that has some. */
function fromNearest(
  surface: Surface,
  vertices: readonly number[],
  surfaces: readonly Surface[],
  all: Float32Array,
  indices: Uint32Array,
): void {
  const owner = new Map<number, { surface: Surface; vertex: number }>();
  for (const other of surfaces)
    for (let v = 0; v < other.rest.length / 3; v++) {
      const { perVertex, weights } = other.influences;
      for (let k = v * perVertex; k < (v + 1) * perVertex; k++)
        if (weights[k] > 0) {
          owner.set(other.first + v, { surface: other, vertex: v });
          break;
        }
    }
  const usable: number[] = [];
  for (let t = 0; t + 2 < indices.length; t += 3)
    if (owner.has(indices[t]) && owner.has(indices[t + 1]) && owner.has(indices[t + 2]))
      usable.push(indices[t], indices[t + 1], indices[t + 2]);
  if (!usable.length) return;
  const list = Uint32Array.from(usable),
    tree = new TriangleTree(all, list),
    slot = new Map(surface.joints.map((joint, i) => [joint, i]));
  for (const v of vertices) {
    tree.closest(surface.rest[v * 3], surface.rest[v * 3 + 1], surface.rest[v * 3 + 2], -1);
    const sum = new Map<number, number>();
    for (let k = 0; k < 3; k++) {
      const from = owner.get(list[tree.hit.triangle * 3 + k]);
      if (!from) continue;
      const { perVertex, joints, weights } = from.surface.influences;
      for (let i = from.vertex * perVertex; i < (from.vertex + 1) * perVertex; i++) {
        const mine = weights[i] > 0 ? slot.get(from.surface.joints[joints[i]]) : undefined;
        if (mine !== undefined) sum.set(mine, (sum.get(mine) ?? 0) + weights[i]);
      }
    }
    if (sum.size) put(v, sum, surface.influences.perVertex, surface.influences.joints, surface.influences.weights);
  }
}

/** The weights of one side laid on the other: by the mirrored place on the surface and the mirrored joint. */
export function mirrorWeights(document: Document, from: 'left' | 'right'): { changed: number } {
  const skeleton = skeletonOf(document),
    { surfaces, height } = surfacesOf(document, skeleton),
    s = from === 'left' ? 1 : -1;
  const mirrored = skeleton.joints.map((_, j) => {
    const [x, y, z] = jointPosition(skeleton, j);
    if (Math.abs(x) < 0.003 * height) return j;
    let best = 0.015 * height,
      found = j;
    skeleton.joints.forEach((_joint, i) => {
      const p = jointPosition(skeleton, i),
        d = Math.hypot(p[0] + x, p[1] - y, p[2] - z);
      if (d < best) {
        best = d;
        found = i;
      }
    });
    return found;
  });
  let changed = 0;
  for (const surface of surfaces) {
    const {
        influences: { perVertex, joints, weights },
        rest,
      } = surface,
      count = rest.length / 3,
      indices = trianglesOf(surface.prim),
      slot = new Map(surface.joints.map((joint, i) => [joint, i]));
    const tree = new TriangleTree(Float32Array.from(rest), indices),
      source = { joints: joints.slice(), weights: weights.slice() };
    if (!indices.length) continue;
    for (let v = 0; v < count; v++) {
      if (rest[v * 3] * s > -0.002 * height) continue;
      const far = tree.closest(-rest[v * 3], rest[v * 3 + 1], rest[v * 3 + 2], -1);
      if (far > 0.01 * height) continue;
      const sum = new Map<number, number>(),
        shares = [1 - tree.hit.v - tree.hit.w, tree.hit.v, tree.hit.w];
      for (let c = 0; c < 3; c++) {
        const u = indices[tree.hit.triangle * 3 + c];
        for (let k = u * perVertex; k < (u + 1) * perVertex; k++) {
          const mine = source.weights[k] > 0 ? slot.get(mirrored[surface.joints[source.joints[k]]]) : undefined;
          if (mine !== undefined && shares[c] > 0) sum.set(mine, (sum.get(mine) ?? 0) + source.weights[k] * shares[c]);
        }
      }
      if (!sum.size) continue;
      weights.fill(0, v * perVertex, (v + 1) * perVertex);
      put(v, sum, perVertex, joints, weights);
      changed++;
    }
    writeInfluences(document, surface.prim, surface.influences);
  }
  return { changed };
}

/** Every weight takes on its neighbours', `rounds` times; sums stay one. */
export function smoothWeights(document: Document, rounds: number): void {
  const skeleton = skeletonOf(document),
    { surfaces } = surfacesOf(document, skeleton);
  for (const { prim, influences } of surfaces) {
    const { perVertex, joints, weights } = influences,
      count = joints.length / perVertex,
      { start, list } = neighboursOf(trianglesOf(prim), count);
    for (let round = 0; round < rounds; round++) {
      const j = joints.slice(),
        w = weights.slice();
      for (let v = 0; v < count; v++) {
        const sum = new Map<number, number>(),
          degree = start[v + 1] - start[v];
        if (!degree) continue;
        for (let k = v * perVertex; k < (v + 1) * perVertex; k++)
          if (w[k] > 0) sum.set(j[k], (sum.get(j[k]) ?? 0) + w[k] * 0.5);
        for (let n = start[v]; n < start[v + 1]; n++)
          for (let k = list[n] * perVertex; k < (list[n] + 1) * perVertex; k++)
            if (w[k] > 0) sum.set(j[k], (sum.get(j[k]) ?? 0) + (w[k] * 0.5) / degree);
        if (!sum.size) continue;
        weights.fill(0, v * perVertex, (v + 1) * perVertex);
        put(v, sum, perVertex, joints, weights);
      }
    }
    writeInfluences(document, prim, influences);
  }
}
