import type { Document } from '@gltf-transform/core';
import { heightOf, pairPoints, TriangleTree } from '../geometry/index.ts';
import { jointRoles, middleOfFigure, roleIndex } from '../rig/index.ts';
import { standing, type Standing } from './standing.ts';
import { setStencil, type Stencils } from './stencil.ts';
import { symmetricPose } from './symmetric-pose.ts';
import { type WeldedPart, weldedPart } from './welded-part.ts';

/** What lies at the mirrored place of each vertex: a partner alone, or the corners of the surface there. */
export interface MirrorPairs extends Standing, Stencils {
  /** The plane x = middle, in character space. */
  middle: number;
  /** Part of each vertex, by its place in `sheets`. */
  partOf: Uint16Array;
  /** 1 for vertices that have a partner of their own. */
  paired: Uint8Array;
}

/** A part with fewer partners than this share of its points is no mirror image of itself in its mesh: all of it goes by the surface. */
const MIRRORED = 0.9;
/** A surface further than this from a mirrored place is another one, in shares of the height. */
const FAR = 0.02;

/** Pairs every part with itself or with the part that is its mirror image: by place and topology, else by the surface there. */
export function mirrorPairs(document: Document): MirrorPairs {
  const figure = standing(document),
    { deformer, rest, sheets } = figure,
    roles = roleIndex(jointRoles(document, deformer.skeleton)),
    middle = middleOfFigure(deformer.skeleton, roles),
    posed = symmetricPose(deformer.skeleton, roles),
    stands = posed ? deformer.evaluate(new Float32Array(rest.length), {}, posed) : rest,
    out: MirrorPairs = {
      ...figure,
      middle,
      partOf: new Uint16Array(deformer.vertices),
      corner: new Int32Array(deformer.vertices * 3).fill(-1),
      share: new Float32Array(deformer.vertices * 3),
      paired: new Uint8Array(deformer.vertices),
    },
    welded = sheets.map(({ part, first, vertices }, i) => {
      out.partOf.fill(i, first, first + vertices);
      return weldedPart(part, stands.subarray(first * 3, (first + vertices) * 3));
    }),
    height = heightOf(rest);
  sheets.forEach((_, i) => {
    const j = counterpart(i, out, welded, middle, height);
    if (j >= 0) pairParts(out, welded, i, j, FAR * height);
  });
  return out;
}

/** Points of a part that are looked at to find what it mirrors. */
const LOOKED = 60;

/** The part of the same kind that lies nearest to a part's mirror image; itself where it is its own. −1 for none. */
function counterpart(
  i: number,
  { sheets }: MirrorPairs,
  welded: readonly WeldedPart[],
  middle: number,
  height: number,
): number {
  const own = welded[i].surface,
    count = own.positions.length / 3,
    step = Math.max(1, Math.floor(count / LOOKED));
  let best = -1,
    least = Infinity;
  for (const j of [i, ...sheets.keys()]) {
    if ((j === i && best === i) || sheets[j].part.kind !== sheets[i].part.kind) continue;
    const other = welded[j].surface;
    if (
      !other.indices.length ||
      (j !== i && Math.abs(sheets[j].vertices - sheets[i].vertices) > 0.1 * sheets[i].vertices)
    )
      continue;
    const tree = new TriangleTree(other.positions, other.indices);
    let sum = 0,
      n = 0;
    for (let v = 0; v < count; v += step, n++)
      sum += tree.closest(2 * middle - own.positions[v * 3], own.positions[v * 3 + 1], own.positions[v * 3 + 2], -1);
    const mean = sum / (n || 1);
    if (j === i && mean < FAR * height) return i;
    if (mean < least) {
      least = mean;
      best = j;
    }
  }
  return least < 5 * FAR * height ? best : -1;
}

function pairParts(out: MirrorPairs, welded: readonly WeldedPart[], i: number, j: number, far: number): void {
  const a = welded[i],
    b = welded[j],
    { first, vertices } = out.sheets[i],
    to = out.sheets[j].first,
    partner = pairPoints(a.surface, b.surface, out.middle);
  if (partner.reduce((sum, w) => sum + (w >= 0 ? 1 : 0), 0) < MIRRORED * partner.length) partner.fill(-1);
  let tree: TriangleTree | null = null;
  for (let v = 0; v < vertices; v++) {
    const point = a.pointOf[v],
      at = (first + v) * 3;
    if (partner[point] >= 0) {
      out.corner[at] = to + likeliest(a, v, b, b.vertices[partner[point]]);
      out.share[at] = 1;
      out.paired[first + v] = 1;
      continue;
    }
    tree ??= new TriangleTree(b.surface.positions, b.surface.indices);
    const p = a.surface.positions,
      off = tree.closest(2 * out.middle - p[point * 3], p[point * 3 + 1], p[point * 3 + 2], -1);
    if (!(off < far)) continue;
    const { triangle, v: second, w: third } = tree.hit,
      corners = [0, 1, 2].map((k) => to + b.vertices[b.surface.indices[triangle * 3 + k]][0]);
    setStencil(out, first + v, corners as [number, number, number], second, third);
  }
}

/** Of vertices at one place the one whose normal is most like the mirrored one. */
function likeliest(a: WeldedPart, v: number, b: WeldedPart, among: readonly number[]): number {
  if (among.length < 2 || !a.normals || !b.normals) return among[0];
  let best = among[0],
    most = -Infinity;
  for (const w of among) {
    const dot =
      -a.normals[v * 3] * b.normals[w * 3] +
      a.normals[v * 3 + 1] * b.normals[w * 3 + 1] +
      a.normals[v * 3 + 2] * b.normals[w * 3 + 2];
    if (dot > most) {
      most = dot;
      best = w;
    }
  }
  return best;
}

/** On which side of the middle a vertex lies: 1 left (+X), −1 right, 0 in the middle, where it is its own partner. */
export function sideOfVertex({ corner, rest, middle }: MirrorPairs, v: number): -1 | 0 | 1 {
  if (corner[v * 3] === v && corner[v * 3 + 1] < 0) return 0;
  const x = rest[v * 3] - middle;
  return x > 0 ? 1 : x < 0 ? -1 : 0;
}
