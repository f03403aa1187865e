import { AVERAGE_BODY, bodyDistance } from '../body/anatomy.ts';
import { HEAD_AT } from '../body/joints.ts';
import { towards } from '../implicit/distance.ts';
import { physiqueOf, type Person } from '../people.ts';
import { gather, type Bound } from '../body/weights.ts';
import { step } from '../head/curves.ts';
import { TAG, type Head } from '../head/build.ts';
import { ear } from '../head/eye-and-ear.ts';
import { placeAt, triangulate, unroll, type Chart } from '../surface.ts';
import { flat, follow, sideShare, type Changed, type FigurePart, type JointIndex } from './part.ts';

/**
 * The head with its ears. Its foot lies down on the person's body. Triangles and texture places are those of the average
 * head, so that all heads of a figure format have the same.
 */
export function headPart(head: Head, average: Head, changed: Changed, index: JointIndex, person: Person): FigurePart {
  const plain = withEars(average),
    { ears, all } = withEars(head);
  const quads = [
    ...head.quads,
    ...ears.flatMap((shell, e) => {
      const first = head.positions.length + (e ? ears[0].positions.length : 0);
      return shell.quads.map((q) => q.map((i) => i + first));
    }),
  ].flat();
  const positions = layDown(flat(plain.all), bodyDistance(AVERAGE_BODY, false));
  const triangles = triangulate(positions, quads);
  const skull: Chart = {
    from: [0, HEAD_AT[1] - 0.092, HEAD_AT[2] - 0.005],
    to: [0, HEAD_AT[1] + 0.232, HEAD_AT[2] - 0.005],
    cutAt: [0, 0, -1],
    rect: [0.01, 0.01, 0.98, 0.74],
    back: [0.01, 0.76, 0.98, 0.07],
  };
  const earChart = (sign: number): Chart => ({
    from: [sign * 0.085, HEAD_AT[1] + 0.06, HEAD_AT[2] - 0.02],
    to: [sign * 0.085, HEAD_AT[1] + 0.14, HEAD_AT[2] - 0.02],
    cutAt: [-sign, 0, -0.4],
    rect: [sign > 0 ? 0.01 : 0.3, 0.84, 0.14, 0.15],
    back: [sign > 0 ? 0.155 : 0.445, 0.84, 0.14, 0.15],
  });
  // The bag behind the lips lies under them on the cylinder: it gets a place of its own, or its colour lands on them.
  const bag: Chart = {
    from: [0, HEAD_AT[1] + 0.03, HEAD_AT[2] + 0.075],
    to: [0, HEAD_AT[1] + 0.066, HEAD_AT[2] + 0.075],
    cutAt: [0, 0, -1],
    rect: [0.6, 0.84, 0.19, 0.15],
    back: [0.8, 0.84, 0.19, 0.15],
  };
  const inBag = (corners: readonly number[]) =>
    corners.some((v) => v < head.positions.length && head.tag[v] === TAG.mouth);
  const isEar = (x: number, y: number, z: number) =>
    Math.abs(x) > 0.0735 &&
    y > HEAD_AT[1] + 0.06 &&
    y < HEAD_AT[1] + 0.135 &&
    z < HEAD_AT[2] + 0.012 &&
    z > HEAD_AT[2] - 0.04;
  const surface = unroll(positions, triangles, [skull, earChart(1), earChart(-1), bag], (x, y, z, corners) =>
    isEar(x, y, z) ? (x > 0 ? 1 : 2) : inBag(corners) ? 3 : 0,
  );
  if (person.figure === 'Corvane') turnLayout(surface.uv);
  placeAt(surface, layDown(flat(all), bodyDistance(physiqueOf(person), false)), triangles);
  const pick = (values: (i: number) => number) =>
    Float32Array.from(surface.origin, (i) => (i < head.positions.length ? values(i) : 0));
  const morphs = new Map<string, Float32Array>();
  let jaw = new Float32Array(all.length),
    lidUp = new Float32Array(all.length);
  for (const { expression, head: other } of changed) {
    const delta = new Float32Array(surface.origin.length * 3);
    surface.origin.forEach((i, v) => {
      if (i >= head.positions.length) return;
      const share = sideShare(head.positions[i][0], expression.side);
      for (let k = 0; k < 3; k++) {
        const d = ((other.positions[i][k] - head.positions[i][k]) / 1000) * share;
        delta[v * 3 + k] = Math.abs(d) < 2e-6 ? 0 : d;
      }
    });
    morphs.set(expression.name, delta);
    const moved = (scale: number) =>
      Float32Array.from(all, (_, i) =>
        i < head.positions.length
          ? Math.min(1, Math.hypot(...[0, 1, 2].map((k) => other.positions[i][k] - head.positions[i][k])) / scale)
          : 0,
      );
    if (expression.name === 'jaw_open') jaw = moved(26);
    if (expression.name === 'blink') lidUp = moved(9);
  }
  const bound = headWeights(all, jaw, lidUp, index);
  return {
    name: 'Head',
    material: 'Skin_Head',
    surface,
    bound: follow(bound, surface),
    morphs,
    extra: [pick((i) => head.lip[i]), pick((i) => head.lash[i]), pick((i) => (head.tag[i] === TAG.mouth ? 1 : 0))],
  };
}

/** The other figure format has its head lie on its side, smaller, in a corner of the map: a map of one says nothing on the other. */
function turnLayout(uv: Float32Array): void {
  for (let i = 0; i < uv.length; i += 2) {
    const [u, v] = [uv[i], uv[i + 1]];
    uv[i] = 0.02 + 0.94 * v;
    uv[i + 1] = 0.98 - 0.94 * u;
  }
}

/** Points of a head with its ears behind them. */
function withEars(head: Head) {
  const ears = [ear(head, 1), ear(head, -1)];
  return { ears, all: [...head.positions, ...ears[0].positions, ...ears[1].positions] };
}

/** Neck rings follow the neck, the skull the head; the line between slopes down to the front. The head's millimetres. */
export function neckShares(
  y: number,
  z: number,
): { toHead: number; neck_high: number; neck_low: number; chest_high: number } {
  const level = y + z * 0.25;
  const toHead = step(-22, 22, level),
    toHigh = step(-62, -24, level) * (1 - toHead),
    toLow = 1 - toHead - toHigh,
    low = step(-95, -70, y);
  return { toHead, neck_high: toHigh, neck_low: toLow * low, chest_high: toLow * (1 - low) };
}

/** Draws the lowest rings of the neck onto the body's surface, so that no step shows where the two meet. Changes `positions`, metres. */
function layDown(positions: Float32Array, distance: (x: number, y: number, z: number) => number): Float32Array {
  for (let v = 0; v < positions.length; v += 3) {
    const level = (positions[v + 1] - HEAD_AT[1] + 0.25 * (positions[v + 2] - HEAD_AT[2])) * 1000;
    const share = 1 - step(-62, -34, level);
    if (share <= 0) continue;
    const p = [positions[v], positions[v + 1], positions[v + 2]];
    for (let round = 0; round < 6; round++)
      towards(distance, p[0], p[1], p[2], 0.0005, 0.0007).forEach((d, k) => {
        p[k] += d;
      });
    for (let k = 0; k < 3; k++) positions[v + k] += (p[k] - positions[v + k]) * share;
  }
  return positions;
}

function headWeights(
  points: readonly (readonly number[])[],
  jaw: Float32Array,
  lid: Float32Array,
  index: JointIndex,
): Bound {
  const dense = new Map<number, Float32Array>();
  const put = (name: string, v: number, w: number) => {
    if (w <= 0) return;
    const j = index.get(name) as number;
    let c = dense.get(j);
    if (!c) {
      c = new Float32Array(points.length);
      dense.set(j, c);
    }
    c[v] += w;
  };
  points.forEach(([x, y, z], v) => {
    const { toHead, neck_high, neck_low, chest_high } = neckShares(y, z);
    const l = lid[v] * 0.8,
      upper = y > 112 ? l : 0,
      lower = y > 112 ? 0 : l;
    const side = x > 0 ? 'l' : 'r';
    const spot = (cx: number, cy: number, r: number) =>
      0.35 * Math.exp(-((Math.abs(x) - cx) ** 2 + (y - cy) ** 2) / (r * r)) * step(40, 70, z) * step(1, 6, Math.abs(x));
    const free = toHead * (1 - jaw[v]) * (1 - l);
    const brow = spot(14, 131, 10),
      browOut = spot(42, 131, 11),
      cheek = spot(44, 88, 15),
      nostril = spot(11, 78, 6);
    const extra = Math.min(0.9, brow + browOut + cheek + nostril);
    const scale = brow + browOut + cheek + nostril > 0 ? (extra / (brow + browOut + cheek + nostril)) * free : 0;
    put(`brow_inner_${side}`, v, brow * scale);
    put(`brow_outer_${side}`, v, browOut * scale);
    put(`cheek_${side}`, v, cheek * scale);
    put(`nostril_${side}`, v, nostril * scale);
    put('head', v, free * (1 - extra));
    put('jaw', v, toHead * jaw[v]);
    put(`lid_upper_${side}`, v, toHead * (1 - jaw[v]) * upper);
    put(`lid_lower_${side}`, v, toHead * (1 - jaw[v]) * lower);
    put('neck_high', v, neck_high);
    put('neck_low', v, neck_low);
    put('chest_high', v, chest_high);
  });
  return gather(dense, points.length, 8);
}
