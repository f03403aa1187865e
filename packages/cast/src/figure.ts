import { bindByDistance, gather, type Bound } from './body/weights.ts';
import { fromHead, HEAD_AT, tesselJoints, type JointSpec } from './body/joints.ts';
import { allowedFor, chartsOf, garmentNet, swell, WARDROBE, type GarmentName } from './body/wardrobe.ts';
import { EXPRESSIONS } from './expressions.ts';
import { hairOf, lashes, teeth, type Cards } from './hair.ts';
import type { Person } from './people.ts';
import { buildHead, TAG, type Head } from './head/build.ts';
import { ear, eyeball } from './head/eye-and-ear.ts';
import { headLayout } from './head/layout.ts';
import type { Traits } from './head/traits.ts';
import { step } from './head/curves.ts';
import { triangulate, unroll, withUv, type Chart, type Surface } from './surface.ts';

/** One part of a figure, ready to be written. */
export interface FigurePart {
  name: string;
  material: string;
  surface: Surface;
  bound: Bound;
  /** Position deltas by morph name, one xyz per vertex of `surface`. */
  morphs: Map<string, Float32Array>;
  /** Values per vertex for painting. */
  extra: Float32Array[];
}
export interface Figure {
  joints: JointSpec[];
  parts: FigurePart[];
  head: Head;
}

export interface FigureOptions {
  /** 1 is about 100,000 triangles; larger for fewer. */
  coarse: number;
  progress(message: string): void;
}

/** A clothed person in figure format Tessel, standing 179 cm times their own height. */
export function buildPerson(person: Person, options: FigureOptions): Figure {
  const { progress } = options, { traits } = person;
  // The other figure format has its own polygons: another grid on head and clothes.
  const other = person.figure === 'Corvane', coarse = options.coarse * (other ? 1.18 : 1), shift = other ? 0.41 : 0;
  const joints = tesselJoints();
  const index = new Map(joints.map((joint, i) => [joint.name, i]));
  progress('head');
  const layout = headLayout(1.62 * Math.sqrt(coarse) * (coarse > 1.5 ? 1.5 : 1));
  const head = buildHead(layout, traits);
  const changed = EXPRESSIONS.map((expression) => { progress(`expression ${expression.name}`); return { expression, head: buildHead(layout, add(traits, expression.change)) }; });
  const parts: FigurePart[] = [headPart(head, changed, index), ...eyeParts(head, index), lashPart(head, changed, index), ...mouthParts(changed, index), hairPart(head, person, index)];
  for (const name of person.wears) { progress(name); parts.push(garmentPart(name, joints, Math.sqrt(coarse), shift, person.girth)); }
  const figure = { joints, parts, head };
  resize(figure, person.height);
  return figure;
}

/** Taller or smaller as a whole: surfaces, morphs, joints. */
function resize(figure: Figure, factor: number): void {
  if (factor === 1) return;
  for (const { surface, morphs } of figure.parts) for (const values of [surface.positions, ...morphs.values()]) for (let i = 0; i < values.length; i++) values[i] *= factor;
  for (const joint of figure.joints) joint.at = joint.at.map((v) => v * factor) as [number, number, number];
}

/** Changes that are factors of an average are applied on top of the person's own. */
function add(own: Partial<Traits>, change: Partial<Traits>): Partial<Traits> {
  return { ...own, ...change };
}

const single = (count: number, joint: number): Bound => { const b: Bound = { perVertex: 4, joints: new Uint16Array(count * 4), weights: new Float32Array(count * 4) }; for (let v = 0; v < count; v++) { b.joints[v * 4] = joint; b.weights[v * 4] = 1; } return b; };

function flat(points: readonly (readonly number[])[]): Float32Array {
  const out = new Float32Array(points.length * 3);
  points.forEach((p, i) => out.set(fromHead(p), i * 3));
  return out;
}

type Changed = { expression: (typeof EXPRESSIONS)[number]; head: Head }[];

function headPart(head: Head, changed: Changed, index: ReadonlyMap<string, number>): FigurePart {
  const ears = [ear(head, 1), ear(head, -1)];
  const all = [...head.positions, ...ears[0].positions, ...ears[1].positions];
  const quads = [...head.quads, ...ears.flatMap((shell, e) => { const first = head.positions.length + (e ? ears[0].positions.length : 0); return shell.quads.map((q) => q.map((i) => i + first)); })].flat();
  const positions = flat(all);
  const triangles = triangulate(positions, quads);
  const skull: Chart = { from: [0, HEAD_AT[1] - 0.092, HEAD_AT[2] - 0.005], to: [0, HEAD_AT[1] + 0.232, HEAD_AT[2] - 0.005], cutAt: [0, 0, -1], rect: [0.01, 0.01, 0.98, 0.8] };
  const earChart = (sign: number): Chart => ({ from: [sign * 0.085, HEAD_AT[1] + 0.06, HEAD_AT[2] - 0.02], to: [sign * 0.085, HEAD_AT[1] + 0.14, HEAD_AT[2] - 0.02], cutAt: [-sign, 0, -0.4], rect: [sign > 0 ? 0.02 : 0.35, 0.83, 0.3, 0.16] });
  // The bag behind the lips lies under them on the cylinder: it gets a place of its own, or its colour lands on them.
  const bag: Chart = { from: [0, HEAD_AT[1] + 0.03, HEAD_AT[2] + 0.075], to: [0, HEAD_AT[1] + 0.066, HEAD_AT[2] + 0.075], cutAt: [0, 0, -1], rect: [0.68, 0.83, 0.22, 0.16] };
  const inBag = (corners: readonly number[]) => corners.some((v) => v < head.positions.length && head.tag[v] === TAG.mouth);
  const isEar = (x: number, y: number, z: number) => Math.abs(x) > 0.0735 && y > HEAD_AT[1] + 0.06 && y < HEAD_AT[1] + 0.135 && z < HEAD_AT[2] + 0.012 && z > HEAD_AT[2] - 0.04;
  const surface = unroll(positions, triangles, [skull, earChart(1), earChart(-1), bag], (x, y, z, corners) => (isEar(x, y, z) ? (x > 0 ? 1 : 2) : inBag(corners) ? 3 : 0));
  const pick = (values: (i: number) => number) => Float32Array.from(surface.origin, (i) => (i < head.positions.length ? values(i) : 0));
  const morphs = new Map<string, Float32Array>();
  let jaw = new Float32Array(all.length), lidUp = new Float32Array(all.length);
  for (const { expression, head: other } of changed) {
    const delta = new Float32Array(surface.origin.length * 3);
    surface.origin.forEach((i, v) => {
      if (i >= head.positions.length) return;
      const share = sideShare(head.positions[i][0], expression.side);
      for (let k = 0; k < 3; k++) { const d = ((other.positions[i][k] - head.positions[i][k]) / 1000) * share; delta[v * 3 + k] = Math.abs(d) < 2e-6 ? 0 : d; }
    });
    morphs.set(expression.name, delta);
    const moved = (scale: number) => Float32Array.from(all, (_, i) => (i < head.positions.length ? Math.min(1, Math.hypot(...[0, 1, 2].map((k) => other.positions[i][k] - head.positions[i][k])) / scale) : 0));
    if (expression.name === 'jaw_open') jaw = moved(26);
    if (expression.name === 'blink') lidUp = moved(9);
  }
  const bound = headWeights(all, jaw, lidUp, index);
  return { name: 'Head', material: 'Skin_Head', surface, bound: follow(bound, surface), morphs, extra: [pick((i) => head.lip[i]), pick((i) => head.lash[i]), pick((i) => (head.tag[i] === TAG.mouth ? 1 : 0))] };
}

/** A morph of one side fades over a few millimetres across the middle, so that both sides add up to the whole. */
function sideShare(x: number, side: 'l' | 'r' | undefined): number {
  if (!side) return 1;
  const left = step(-3, 3, x);
  return side === 'l' ? left : 1 - left;
}

function headWeights(points: readonly (readonly number[])[], jaw: Float32Array, lid: Float32Array, index: ReadonlyMap<string, number>): Bound {
  const dense = new Map<number, Float32Array>();
  const put = (name: string, v: number, w: number) => { if (w <= 0) return; const j = index.get(name) as number; let c = dense.get(j); if (!c) { c = new Float32Array(points.length); dense.set(j, c); } c[v] += w; };
  points.forEach(([x, y, z], v) => {
    // Neck rings follow the neck, the skull the head; the line between slopes down to the front.
    const level = y + z * 0.25;
    const toHead = step(-22, 22, level), toHigh = step(-62, -24, level) * (1 - toHead), toLow = 1 - toHead - toHigh;
    const l = lid[v] * 0.8, upper = y > 112 ? l : 0, lower = y > 112 ? 0 : l;
    const side = x > 0 ? 'l' : 'r';
    const spot = (cx: number, cy: number, r: number) => 0.35 * Math.exp(-((Math.abs(x) - cx) ** 2 + (y - cy) ** 2) / (r * r)) * step(40, 70, z) * step(1, 6, Math.abs(x));
    const free = toHead * (1 - jaw[v]) * (1 - l);
    const brow = spot(14, 131, 10), browOut = spot(42, 131, 11), cheek = spot(44, 88, 15), nostril = spot(11, 78, 6);
    const extra = Math.min(0.9, brow + browOut + cheek + nostril);
    const scale = brow + browOut + cheek + nostril > 0 ? (extra / (brow + browOut + cheek + nostril)) * free : 0;
    put(`brow_inner_${side}`, v, brow * scale); put(`brow_outer_${side}`, v, browOut * scale); put(`cheek_${side}`, v, cheek * scale); put(`nostril_${side}`, v, nostril * scale);
    put('head', v, free * (1 - extra));
    put('jaw', v, toHead * jaw[v]);
    put(`lid_upper_${side}`, v, toHead * (1 - jaw[v]) * upper); put(`lid_lower_${side}`, v, toHead * (1 - jaw[v]) * lower);
    put('neck_high', v, toHigh); put('neck_low', v, toLow * step(-95, -70, y)); put('chest_high', v, toLow * (1 - step(-95, -70, y)));
  });
  return gather(dense, points.length, 8);
}

function follow(bound: Bound, surface: Surface): Bound {
  const out: Bound = { perVertex: bound.perVertex, joints: new Uint16Array(surface.origin.length * bound.perVertex), weights: new Float32Array(surface.origin.length * bound.perVertex) };
  surface.origin.forEach((from, v) => { for (let k = 0; k < bound.perVertex; k++) { out.joints[v * bound.perVertex + k] = bound.joints[from * bound.perVertex + k]; out.weights[v * bound.perVertex + k] = bound.weights[from * bound.perVertex + k]; } });
  return out;
}

function eyeParts(head: Head, index: ReadonlyMap<string, number>): FigurePart[] {
  const make = (name: string, material: string, grow: number): FigurePart => {
    const shells = ([1, -1] as const).map((side) => eyeball(head, side, grow));
    const positions = flat([...shells[0].positions, ...shells[1].positions]);
    const n = shells[0].positions.length;
    const quads = [...shells[0].quads, ...shells[1].quads.map((q) => q.map((i) => i + n))].flat();
    const surface = withUv(positions, triangulate(positions, quads), shells.flatMap((shell) => shell.uv).flat());
    const left = single(n, index.get('eye_l') as number), right = single(n, index.get('eye_r') as number);
    const bound: Bound = { perVertex: 4, joints: Uint16Array.from([...left.joints, ...right.joints]), weights: Float32Array.from([...left.weights, ...right.weights]) };
    return { name, material, surface, bound, morphs: new Map(), extra: [] };
  };
  return [make('Eyes', 'Eyes', 0), make('Corneas', 'Cornea', 0.22)];
}

function cardsPart(name: string, material: string, cards: Cards, bound: (count: number) => Bound): FigurePart {
  const surface = withUv(cards.positions, cards.triangles, cards.uv);
  return { name, material, surface, bound: bound(surface.origin.length), morphs: new Map(), extra: [] };
}

function morphCards(part: FigurePart, changed: Changed, make: (head: Head) => Cards, wanted: (name: string) => boolean): FigurePart {
  for (const { expression, head } of changed) {
    if (!wanted(expression.name)) continue;
    const other = make(head).positions;
    const delta = new Float32Array(part.surface.positions.length);
    for (let i = 0; i < delta.length; i++) {
      const d = (other[i] - part.surface.positions[i]) * sideShare(part.surface.positions[i - (i % 3)] * 1000, expression.side);
      delta[i] = Math.abs(d) < 2e-6 ? 0 : d;
    }
    if (delta.some((d) => d !== 0)) part.morphs.set(expression.name, delta);
  }
  return part;
}

function lashPart(head: Head, changed: Changed, index: ReadonlyMap<string, number>): FigurePart {
  const part = cardsPart('Lashes', 'Lashes', lashes(head), (count) => single(count, index.get('head') as number));
  for (let v = 0; v < part.surface.origin.length; v++) {
    const side = part.surface.positions[v * 3] > 0 ? 'l' : 'r';
    part.bound.joints.set([index.get(`lid_upper_${side}`) as number, index.get('head') as number], v * 4);
    part.bound.weights.set([0.8, 0.2], v * 4);
  }
  return morphCards(part, changed, lashes, (name) => /blink|squint|eye_wide|lids|brow|age/.test(name));
}

function mouthParts(changed: Changed, index: ReadonlyMap<string, number>): FigurePart[] {
  const upper = cardsPart('Teeth_Upper', 'Teeth', teeth(false), (count) => single(count, index.get('head') as number));
  const lower = cardsPart('Teeth_Lower', 'Teeth', teeth(true), (count) => single(count, index.get('jaw') as number));
  for (const { expression } of changed) {
    const open = expression.change.jawOpen;
    if (!open) continue;
    const angle = open * 0.3, c = Math.cos(angle), n = Math.sin(angle), pivot = fromHead([0, 92, 8]);
    const delta = new Float32Array(lower.surface.positions.length);
    for (let i = 0; i < delta.length; i += 3) {
      const y = lower.surface.positions[i + 1] - pivot[1], z = lower.surface.positions[i + 2] - pivot[2];
      delta[i + 1] = y * c - z * n - y;
      delta[i + 2] = y * n + z * c - z;
    }
    lower.morphs.set(expression.name, delta);
  }
  return [upper, lower];
}

const hairPart = (head: Head, person: Person, index: ReadonlyMap<string, number>): FigurePart => cardsPart('Hair', 'Hair', hairOf(head, person.hair.style), (count) => single(count, index.get('head') as number));

function garmentPart(name: GarmentName, joints: readonly JointSpec[], scale: number, shift: number, girth: number): FigurePart {
  const garment = WARDROBE[name], net = garmentNet(name, scale, shift);
  const positions = Float32Array.from(net.positions), triangles = triangulate(net.positions, net.quads);
  const { charts, chartOf } = chartsOf(garment);
  const surface = unroll(positions, triangles, charts, chartOf);
  const bound = follow(bindByDistance(positions, triangles, joints, allowedFor(garment), garment.smoothing), surface);
  const part: FigurePart = { name: garment.part, material: garment.material, surface, bound, morphs: new Map(), extra: [] };
  if (!garment.swells) return part;
  if (girth) { const own = swell(surface.positions, surface.normals, girth); for (let i = 0; i < own.length; i++) surface.positions[i] += own[i]; }
  part.morphs.set('build_heavy', swell(surface.positions, surface.normals, 0.026));
  part.morphs.set('build_slim', swell(surface.positions, surface.normals, -0.012));
  return part;
}
