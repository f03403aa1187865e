import { bodyDistance } from '../body/anatomy.ts';
import { towards } from '../implicit/distance.ts';
import { HEAD_AT, type JointSpec } from '../body/joints.ts';
import { nailPlates } from '../body/nails.ts';
import { allowedFor, chartsOf, formOf, garmentNet, swell, WARDROBE, type GarmentName } from '../body/wardrobe.ts';
import { bindByDistance, gather, type Bound } from '../body/weights.ts';
import { step } from '../head/curves.ts';
import { physiqueOf, type Person } from '../people.ts';
import { placeAt, triangulate, unroll } from '../surface.ts';
import { neckShares } from './head-part.ts';
import { cardsPart, follow, single, type FigurePart, type JointIndex } from './part.ts';

/**
 * The body below the clothes: the average body's polygons, texture places and weights, drawn onto this person's own form,
 * so that all bodies of a figure format share one topology. About the neck it bends as the head's foot does, so that the
 * two stay on one another.
 */
export function bodyPart(person: Person, joints: readonly JointSpec[], scale: number, shift: number): FigurePart {
  const garment = WARDROBE.body,
    net = garmentNet('body', scale, shift);
  const positions = Float32Array.from(net.positions),
    triangles = triangulate(net.positions, net.quads);
  const { charts, chartOf } = chartsOf(garment);
  const surface = unroll(positions, triangles, charts, chartOf);
  placeAt(surface, drawnOnto(positions, triangles, bodyDistance(physiqueOf(person))), triangles);
  const bound = follow(
    withNeck(
      bindByDistance(positions, triangles, joints, allowedFor(garment), garment.smoothing),
      positions,
      new Map(joints.map((joint, i) => [joint.name, i])),
    ),
    surface,
  );
  const part: FigurePart = {
    name: garment.part,
    material: garment.material,
    surface,
    bound,
    morphs: new Map(),
    extra: [],
  };
  // The body follows its clothes, a little less, and not at all where the head stands on it.
  const grow = (amount: number) => {
    const moved = swell(surface.positions, surface.normals, amount);
    for (let i = 0; i < moved.length; i++) moved[i] *= 0.85 * step(1.44, 1.34, surface.positions[i - (i % 3) + 1]);
    return moved;
  };
  if (person.girth)
    grow(person.girth).forEach((d, i) => {
      surface.positions[i] += d;
    });
  part.morphs.set('build_heavy', grow(0.026));
  part.morphs.set('build_slim', grow(-0.012));
  return part;
}

/** Points moved along the gradient onto another form, a little at a time with their neighbours, so that no face turns over. */
function drawnOnto(
  positions: Float32Array,
  triangles: Uint32Array,
  distance: (x: number, y: number, z: number) => number,
): Float32Array {
  const out = Float64Array.from(positions),
    move = new Float64Array(positions.length);
  const sum = new Float64Array(positions.length),
    degree = new Float64Array(positions.length / 3);
  for (let round = 0; round < 12; round++) {
    for (let v = 0; v < out.length; v += 3) move.set(towards(distance, out[v], out[v + 1], out[v + 2], 0.0005), v);
    // Early rounds move neighbours alike, the last ones each to its place.
    if (round < 8) {
      sum.fill(0);
      degree.fill(0);
      for (let t = 0; t < triangles.length; t += 3)
        for (let k = 0; k < 3; k++) {
          const a = triangles[t + k],
            b = triangles[t + ((k + 1) % 3)];
          degree[a]++;
          for (let c = 0; c < 3; c++) sum[a * 3 + c] += move[b * 3 + c];
        }
      for (let i = 0; i < move.length; i++) move[i] = 0.4 * move[i] + (0.6 * sum[i]) / Math.max(1, degree[(i / 3) | 0]);
    }
    for (let i = 0; i < out.length; i++) out[i] += move[i];
  }
  return Float32Array.from(out);
}

function withNeck(bound: Bound, positions: Float32Array, index: JointIndex): Bound {
  const count = positions.length / 3,
    dense = new Map<number, Float32Array>();
  const put = (joint: number, v: number, w: number) => {
    if (w <= 0) return;
    let column = dense.get(joint);
    if (!column) {
      column = new Float32Array(count);
      dense.set(joint, column);
    }
    column[v] += w;
  };
  for (let v = 0; v < count; v++) {
    const [x, y, z] = [positions[v * 3], positions[v * 3 + 1] - HEAD_AT[1], positions[v * 3 + 2] - HEAD_AT[2]];
    const share = step(-0.105, -0.07, y + 0.25 * z) * step(0.105, 0.08, Math.abs(x)),
      neck = neckShares(y * 1000, z * 1000);
    for (let k = v * bound.perVertex; k < (v + 1) * bound.perVertex; k++)
      put(bound.joints[k], v, bound.weights[k] * (1 - share));
    for (const [joint, w] of [
      ['head', neck.toHead],
      ['neck_high', neck.neck_high],
      ['neck_low', neck.neck_low],
      ['chest_high', neck.chest_high],
    ] as const)
      put(index.get(joint) as number, v, w * share);
  }
  return gather(dense, count, 8);
}

/**
 * How open to the light each vertex lies, 0 … 1: how much nearer the surface is than it would be alone, a few steps out
 * along the normal (ambient occlusion from a distance field, after Evans 2006).
 */
function openness(
  { positions, normals }: { positions: Float32Array; normals: Float32Array },
  distance: (x: number, y: number, z: number) => number,
): Float32Array {
  const out = new Float32Array(positions.length / 3);
  for (let v = 0; v < out.length; v++) {
    let closed = 0;
    for (let step = 1; step <= 5; step++) {
      const share = 0.35 - 0.05 * step,
        h = 0.008 * step * step,
        at = (k: number) => positions[v * 3 + k] + normals[v * 3 + k] * h;
      closed += share * Math.max(0, 1 - distance(at(0), at(1), at(2)) / h);
    }
    out[v] = Math.max(0.25, 1 - 1.1 * closed);
  }
  return out;
}

/** Twenty plates on the ends of the fingers, each on its last joint. */
export function nailsPart(index: JointIndex): FigurePart {
  const { cards, joints } = nailPlates();
  return cardsPart('Nails', 'Nails', cards, (count) => {
    const bound = single(count, 0);
    joints.forEach((name, v) => {
      bound.joints[v * 4] = index.get(name) as number;
    });
    return bound;
  });
}

export function garmentPart(
  name: GarmentName,
  joints: readonly JointSpec[],
  scale: number,
  shift: number,
  girth: number,
  wears: readonly GarmentName[] = ['jacket'],
): FigurePart {
  const garment = WARDROBE[name],
    distance = formOf(name, wears),
    net = garmentNet(name, scale, shift, distance);
  const positions = Float32Array.from(net.positions),
    triangles = triangulate(net.positions, net.quads);
  const { charts, chartOf } = chartsOf(garment);
  const surface = unroll(positions, triangles, charts, chartOf);
  const bound = follow(bindByDistance(positions, triangles, joints, allowedFor(garment), garment.smoothing), surface);
  const part: FigurePart = {
    name: garment.part,
    material: garment.material,
    surface,
    bound,
    morphs: new Map(),
    extra: [openness(surface, distance)],
  };
  if (!garment.swells) return part;
  if (girth) {
    const own = swell(surface.positions, surface.normals, girth);
    for (let i = 0; i < own.length; i++) surface.positions[i] += own[i];
  }
  part.morphs.set('build_heavy', swell(surface.positions, surface.normals, 0.026));
  part.morphs.set('build_slim', swell(surface.positions, surface.normals, -0.012));
  return part;
}
