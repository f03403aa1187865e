import { compose, identity, invertAffine, multiply, quatFromAxis, type Quat, type Vec3 } from '../../geometry/index.ts';
import type { UsdPrim, UsdValue } from './layer.ts';
import { isNumbers, wordsOf } from './mesh.ts';

const AXES: Record<string, Vec3> = { X: [1, 0, 0], Y: [0, 1, 0], Z: [0, 0, 1] };

/** Whether the prim's place is not built on its parent's. */
export const resetsStack = (prim: UsdPrim): boolean =>
  wordsOf(prim.attributes.get('xformOpOrder')).includes('!resetXformStack!');

/** Times at which the prim's place is keyed, sorted. */
export function keyTimes(prim: UsdPrim): number[] {
  const times = new Set<number>();
  for (const op of wordsOf(prim.attributes.get('xformOpOrder')))
    for (const time of prim.attributes.get(op.replace(/^!invert!/, ''))?.samples?.times ?? []) times.add(time);
  return [...times].sort((a, b) => a - b);
}

/** Local matrix from the ops in their order, column major. @param time for keyed ops; their first key where not given */
export function localMatrix(prim: UsdPrim, time?: number): Float64Array {
  let out = identity(new Float64Array(16));
  for (const name of wordsOf(prim.attributes.get('xformOpOrder'))) {
    const inverse = name.startsWith('!invert!'),
      key = name.replace(/^!invert!/, ''),
      kind = key.split(':')[1] ?? '';
    const attribute = prim.attributes.get(key);
    const value = attribute && valueAt(attribute, time);
    if (value === undefined || value === null) continue;
    const next = new Float64Array(16);
    multiply(next, 0, out, 0, opMatrix(kind, value, inverse), 0);
    // A place that is no number, or a scale of nothing turned round, moves nothing.
    if (next.every((x) => Number.isFinite(x))) out = next;
  }
  return out;
}

function opMatrix(kind: string, value: UsdValue, inverse: boolean): Float64Array {
  const out = identity(new Float64Array(16)),
    v = isNumbers(value) ? Array.from(value) : [Number(value) || 0];
  const sign = inverse ? -1 : 1,
    none: Quat = [0, 0, 0, 1];
  if (kind === 'transform' && v.length === 16) {
    if (inverse) return inverted(Float64Array.from(v));
    return Float64Array.from(v);
  }
  if (kind.startsWith('translate')) {
    const at: Vec3 = kind.length > 9 ? (AXES[kind[9]].map((x) => x * v[0]) as Vec3) : [v[0] ?? 0, v[1] ?? 0, v[2] ?? 0];
    compose(
      out,
      0,
      at.map((x) => x * sign),
      none,
      [1, 1, 1],
    );
  } else if (kind.startsWith('scale')) {
    const by: Vec3 =
      kind.length > 5
        ? (AXES[kind[5]].map((x) => (x ? v[0] : 1)) as Vec3)
        : [v[0] ?? 1, v[1] ?? v[0] ?? 1, v[2] ?? v[0] ?? 1];
    compose(out, 0, [0, 0, 0], none, inverse ? by.map((x) => 1 / x) : by);
  } else if (kind === 'orient' && v.length === 4) {
    const l = Math.hypot(...v) || 1;
    compose(out, 0, [0, 0, 0], [(v[0] / l) * sign, (v[1] / l) * sign, (v[2] / l) * sign, v[3] / l], [1, 1, 1]);
  } else if (kind.startsWith('rotate')) {
    // rotateXYZ turns about x first: the rightmost factor.
    const axes = kind.slice(6);
    let turns = [...axes].map((axis, i) =>
      quatMatrix(
        quatFromAxis(
          AXES[axis] ?? [0, 0, 1],
          ((axes.length === 1 ? v[0] : (v['XYZ'.indexOf(axis)] ?? v[i])) || 0) * (Math.PI / 180) * sign,
        ),
      ),
    );
    if (inverse) turns = turns.reverse();
    let all = out;
    for (const turn of turns) {
      const next = new Float64Array(16);
      multiply(next, 0, turn, 0, all, 0);
      all = next;
    }
    return all;
  }
  return out;
}

function quatMatrix(q: Quat): Float64Array {
  const out = new Float64Array(16);
  compose(out, 0, [0, 0, 0], q, [1, 1, 1]);
  return out;
}

function inverted(m: Float64Array): Float64Array {
  const out = new Float64Array(16);
  invertAffine(out, 0, m, 0);
  return out;
}

/** A keyed value: the one at or, between two keys of numbers, blended in a straight line. */
export function valueAt(
  attribute: { value?: UsdValue; samples?: { times: number[]; values: UsdValue[] } },
  time?: number,
): UsdValue | undefined {
  const { samples } = attribute;
  if (!samples?.times.length) return attribute.value;
  const { times, values } = samples;
  if (time === undefined || time <= times[0]) return values[0];
  if (time >= times[times.length - 1]) return values[values.length - 1];
  let low = 0,
    high = times.length - 1;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (times[middle] <= time) low = middle;
    else high = middle;
  }
  const a = values[low],
    b = values[high],
    t = (time - times[low]) / (times[high] - times[low]);
  if (typeof a === 'number' && typeof b === 'number') return a + (b - a) * t;
  if (!isNumbers(a) || !isNumbers(b) || a.length !== b.length) return a;
  return Float64Array.from(a, (x, i) => x + (b[i] - x) * t);
}
