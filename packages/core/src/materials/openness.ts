import type { Document, Material } from '@gltf-transform/core';
import { createDeformer, type Deformer, floatsOf, type Part } from '../character/index.ts';
import { eachTexel, RayTree, turnOf } from '../geometry/index.ts';
import { bleedOutward } from '../pixels/index.ts';
import { jointRoles, poseSkeleton, RANGE_OF_MOTION, roleIndex } from '../rig/index.ts';

/** Directions that are looked in from each point, over the whole sphere; half of them lie before its surface. */
const DIRECTIONS = 96;
/** How far off something still shades, metres, and how far off the surface looking begins. */
const REACH = 0.06,
  OFF = 3e-4;
/** A direction that only grazes the surface tells nothing. */
const GRAZES = 0.05;
/** What keeps light out of a mouth. */
const SHADES: readonly Part['kind'][] = ['skin', 'lips', 'teeth', 'gums', 'tongue'];
/** Texels along a map of openness: it has no edges. */
export const OPENNESS_SIZE = 256;

/** How open a material's surface is, texel by texel, 0 … 255; `known` where any of it lies. */
export interface OpennessMap {
  open: Uint8Array;
  /** Least and mean of what lies on the surface, 0 … 1. */
  least: number;
  mean: number;
}

/**
 * How much of what is around each place of some materials is free to look out, with the mouth open where the figure has a
 * jaw (ambient occlusion with cosine weights; Zhukov, Iones & Kronin 1998).
 */
export class Openness {
  private figure: { deformer: Deformer; posed: Float32Array; normals: Float32Array; tree: RayTree } | null = null;

  constructor(private readonly document: Document) {}

  /** Null where the material lies on no map. */
  of(material: Material): OpennessMap | null {
    const { deformer } = this.opened(),
      sum = new Float64Array(OPENNESS_SIZE * OPENNESS_SIZE),
      count = new Uint32Array(sum.length);
    let least = 1,
      total = 0,
      texels = 0;
    for (const range of deformer.ranges) {
      const uv = range.part.material === material ? range.part.prim.getAttribute('TEXCOORD_0') : null;
      if (!uv) continue;
      const places = floatsOf(uv),
        open = this.openOf(range);
      for (let t = range.firstTriangle; t < range.firstTriangle + range.triangles; t++) {
        const [a, b, c] = [0, 1, 2].map((k) => deformer.indices[t * 3 + k] - range.firstVertex);
        eachTexel(places, a, b, c, OPENNESS_SIZE, (at, la, lb, lc) => {
          sum[at] += open[a] * la + open[b] * lb + open[c] * lc;
          count[at]++;
        });
      }
    }
    const rgb = new Uint8Array(sum.length * 3).fill(255),
      known = new Uint8Array(sum.length);
    for (let at = 0; at < sum.length; at++) {
      if (!count[at]) continue;
      const value = sum[at] / count[at];
      known[at] = 1;
      rgb.fill(Math.round(value * 255), at * 3, at * 3 + 3);
      least = Math.min(least, value);
      total += value;
      texels++;
    }
    if (!texels) return null;
    bleedOutward(rgb, OPENNESS_SIZE, OPENNESS_SIZE, 3, known, 8);
    return { open: rgb.filter((_, i) => i % 3 === 0), least, mean: total / texels };
  }

  private opened() {
    if (this.figure) return this.figure;
    const deformer = createDeformer(this.document, ({ kind }) => SHADES.includes(kind), false),
      { skeleton } = deformer,
      jaw = RANGE_OF_MOTION.find(({ name }) => name === 'jaw open'),
      pose = jaw && poseSkeleton(skeleton, roleIndex(jointRoles(this.document, skeleton)), jaw),
      posed = deformer.evaluate(new Float32Array(deformer.vertices * 3), {}, pose),
      normals = deformer.evaluateNormals(new Float32Array(deformer.vertices * 3), posed, pose);
    this.figure = { deformer, posed, normals, tree: new RayTree(posed, deformer.indices) };
    return this.figure;
  }

  /** Share of the light from all around that comes to each vertex of a part. */
  private openOf({ firstVertex, vertices }: Deformer['ranges'][number]): Float32Array {
    const { posed, normals, tree } = this.opened(),
      out = new Float32Array(vertices);
    for (let v = 0; v < vertices; v++) {
      const o = (firstVertex + v) * 3,
        [nx, ny, nz] = [normals[o], normals[o + 1], normals[o + 2]],
        [x, y, z] = [posed[o] + nx * OFF, posed[o + 1] + ny * OFF, posed[o + 2] + nz * OFF];
      let free = 0,
        all = 0;
      for (let d = 0; d < AROUND.length; d += 3) {
        const [dx, dy, dz] = [AROUND[d], AROUND[d + 1], AROUND[d + 2]],
          cosine = nx * dx + ny * dy + nz * dz;
        if (cosine < GRAZES) continue;
        all += cosine;
        // Skin is one sheet: seen from inside it shades as much.
        if (!tree.ray(x, y, z, dx, dy, dz, REACH) && !tree.ray(x, y, z, dx, dy, dz, REACH, true)) free += cosine;
      }
      out[v] = all ? withBounces(free / all) : 1;
    }
    return out;
  }
}

/** How much of the light that comes to a surface in a mouth is thrown on. */
const ALBEDO = 0.5;
/** Light that comes to a place in a hollow, with what its walls throw on to each other (Stewart & Langer 1997): free sky over 1 − albedo × the rest. */
export const withBounces = (free: number): number => free / (1 - ALBEDO * (1 - free));

/** Directions spread evenly over the sphere (a spiral by the golden angle). */
const AROUND = Float64Array.from(
  Array.from({ length: DIRECTIONS }, (_, i) => {
    const y = 1 - (2 * (i + 0.5)) / DIRECTIONS,
      r = Math.sqrt(1 - y * y),
      { cos, sin } = turnOf((i * 137.50776405) % 360);
    return [r * cos, y, r * sin];
  }).flat(),
);
