import type { Document, Material } from '@gltf-transform/core';
import {
  createDeformer,
  type Deformer,
  floatsOf,
  type HumanoidRole,
  jointPosition,
  type Part,
  skeletonOf,
} from '../character/index.ts';
import { triangleArea } from '../geometry/index.ts';
import { type ImageCodec, LINEAR, type Pixels, toLab, toSrgb } from '../pixels/index.ts';
import { jointRoles, roleIndex } from '../rig/index.ts';

type Point = readonly [number, number, number];

/** Where things are on a figure that stands on the floor, faces +Z and is measured in metres. */
export interface Landmarks {
  /** Its height against one of 1.75 m. */
  scale: number;
  eyes: readonly Point[];
  hands: readonly Point[];
  /** Last joints of fingers and toes. */
  tips: readonly Point[];
  ankle: number;
  /** Whether eyes are joints of the skeleton; else they are guessed from its height. */
  known: boolean;
}

/** What a material covers and how it looks there; lengths as on a figure of 1.75 m. */
export interface KindFeatures {
  material: Material;
  parts: Part[];
  /** Square metres. */
  area: number;
  /** Corners of the box around it, from the middle between the eyes. */
  low: Point;
  high: Point;
  /** Middle of its surface, from there too. */
  middle: Point;
  /** Distance of its surface to the nearest eye: mean and largest. */
  eye: { mean: number; most: number };
  /** Shares of its surface: over the eyes, in the face, on the hands, by the tips of fingers and toes, under the ankles. */
  share: { crown: number; face: number; hands: number; tips: number; feet: number };
  /** CIE L*a*b*, on the average over its surface. */
  lab: Point;
  /** Opacity over its surface, 0 … 1. */
  alpha: { mean: number; spread: number };
}

/** Longest side of the picture that colours are taken from. */
const LOOK = 256;
const FINGERS = ['Thumb', 'Index', 'Middle', 'Ring', 'Little'];

/** What of each asked-for material tells what it is. @param document a figure that stands in metres and faces +Z */
export async function kindFeatures(
  document: Document,
  asked: ReadonlySet<Material>,
  images: ImageCodec,
): Promise<KindFeatures[]> {
  const deformer = createDeformer(document, () => true, false),
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    marks = landmarksOf(document, rest),
    out: KindFeatures[] = [];
  for (const material of asked) {
    const image = material.getBaseColorTexture()?.getImage(),
      map = image?.length ? await images.decode(image, LOOK).catch(() => null) : null,
      found = featuresOf(deformer, rest, marks, material, map);
    if (found) out.push(found);
  }
  return out;
}

export function landmarksOf(document: Document, rest: Float32Array): Landmarks {
  const skeleton = skeletonOf(document),
    roles = roleIndex(jointRoles(document, skeleton)),
    at = (role: string): Point[] => {
      const joint = roles.get(role as HumanoidRole);
      return joint === undefined ? [] : [[...jointPosition(skeleton, joint)] as unknown as Point];
    };
  let tall = 0;
  for (let i = 1; i < rest.length; i += 3) tall = Math.max(tall, rest[i]);
  const scale = tall / 1.75,
    eyes = [...at('leftEye'), ...at('rightEye')];
  return {
    scale,
    eyes: eyes.length === 2 ? eyes : guessedEyes(rest, tall),
    hands: [...at('leftHand'), ...at('rightHand')],
    tips: ['left', 'right'].flatMap((side) => [
      ...FINGERS.flatMap((finger) => at(`${side}${finger}Distal`)),
      ...at(`${side}Toes`),
    ]),
    ankle: at('leftFoot')[0]?.[1] ?? 0.08 * scale,
    known: eyes.length === 2,
  };
}

/** At 93 hundredths of the height, behind the front of the face. */
function guessedEyes(rest: Float32Array, tall: number): Point[] {
  let front = -Infinity;
  for (let i = 0; i < rest.length; i += 3)
    if (Math.abs(rest[i + 1] - tall * 0.93) < 0.02 * tall && Math.abs(rest[i]) < 0.03)
      front = Math.max(front, rest[i + 2]);
  const z = Number.isFinite(front) ? front - 0.015 * tall : 0;
  return [1, -1].map((side) => [side * 0.0183 * tall, tall * 0.93, z] as const);
}

/** Sums over a surface, each triangle by its area. */
class Sums {
  area = 0;
  x = 0;
  y = 0;
  z = 0;
  eye = 0;
  r = 0;
  g = 0;
  b = 0;
  alpha = 0;
  alphaSquared = 0;
  crown = 0;
  face = 0;
  hands = 0;
  tips = 0;
  feet = 0;
}

function featuresOf(
  { ranges, indices }: Deformer,
  rest: Float32Array,
  marks: Landmarks,
  material: Material,
  map: Pixels | null,
): KindFeatures | null {
  const { scale, eyes } = marks,
    origin = [0, 1, 2].map((k) => (eyes[0][k] + eyes[1][k]) / 2),
    factor = material.getBaseColorFactor(),
    opaque = material.getAlphaMode() === 'OPAQUE',
    set = material.getBaseColorTextureInfo()?.getTexCoord() ?? 0,
    low = [Infinity, Infinity, Infinity],
    high = [-Infinity, -Infinity, -Infinity],
    sums = new Sums(),
    parts: Part[] = [];
  let most = 0;
  for (const range of ranges) {
    if (range.part.material !== material) continue;
    parts.push(range.part);
    const places = range.part.prim.getAttribute(`TEXCOORD_${set}`),
      uv = places && floatsOf(places);
    for (let t = range.firstTriangle; t < range.firstTriangle + range.triangles; t++) {
      const a = indices[t * 3],
        b = indices[t * 3 + 1],
        c = indices[t * 3 + 2],
        area = triangleArea(rest, a, b, c) / (scale * scale),
        p = [0, 1, 2].map((k) => (rest[a * 3 + k] + rest[b * 3 + k] + rest[c * 3 + k]) / 3),
        [x, y, z] = p.map((value, k) => (value - origin[k]) / scale),
        eye = Math.min(...eyes.map((point) => distance(p, point))) / scale;
      for (const corner of [a, b, c])
        for (let k = 0; k < 3; k++) {
          const value = (rest[corner * 3 + k] - origin[k]) / scale;
          low[k] = Math.min(low[k], value);
          high[k] = Math.max(high[k], value);
        }
      most = Math.max(most, eye);
      sums.area += area;
      sums.x += x * area;
      sums.y += y * area;
      sums.z += z * area;
      sums.eye += eye * area;
      if (y > 0.03) sums.crown += area;
      else if (y > -0.12 && z > -0.06 && Math.abs(x) < 0.08) sums.face += area;
      if (marks.hands.some((point) => distance(p, point) < 0.16 * scale)) sums.hands += area;
      if (marks.tips.some((point) => distance(p, point) < 0.05 * scale)) sums.tips += area;
      if (p[1] < marks.ankle) sums.feet += area;
      const at = map && uv ? texelOf(map, uv, a - range.firstVertex, b - range.firstVertex, c - range.firstVertex) : -1,
        light = (k: number) => factor[k] * (map && at >= 0 ? LINEAR[map.data[at + k]] : 1),
        alpha = opaque ? 1 : factor[3] * (map && at >= 0 ? map.data[at + 3] / 255 : 1);
      sums.r += light(0) * area;
      sums.g += light(1) * area;
      sums.b += light(2) * area;
      sums.alpha += alpha * area;
      sums.alphaSquared += alpha * alpha * area;
    }
  }
  const { area } = sums;
  if (!(area > 0)) return null;
  const mean = sums.alpha / area;
  return {
    material,
    parts,
    area,
    low: low as unknown as Point,
    high: high as unknown as Point,
    middle: [sums.x / area, sums.y / area, sums.z / area],
    eye: { mean: sums.eye / area, most },
    share: {
      crown: sums.crown / area,
      face: sums.face / area,
      hands: sums.hands / area,
      tips: sums.tips / area,
      feet: sums.feet / area,
    },
    lab: toLab([toSrgb(sums.r / area), toSrgb(sums.g / area), toSrgb(sums.b / area)]),
    alpha: { mean, spread: Math.sqrt(Math.max(0, sums.alphaSquared / area - mean * mean)) },
  };
}

const distance = (p: ArrayLike<number>, q: ArrayLike<number>): number =>
  Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2]);

/** Where the middle of a triangle lies in a picture's data. */
function texelOf({ width, height }: Pixels, uv: Float32Array, a: number, b: number, c: number): number {
  const middle = (k: number) => (uv[a * 2 + k] + uv[b * 2 + k] + uv[c * 2 + k]) / 3,
    fold = (value: number, size: number) => Math.min(size - 1, Math.floor((value - Math.floor(value)) * size));
  const x = fold(middle(0), width),
    y = fold(middle(1), height);
  return Number.isFinite(x + y) ? (y * width + x) * 4 : -1;
}
