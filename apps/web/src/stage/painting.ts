import { influencesOf } from '@dimetra/core';
import * as THREE from 'three';
import type { StageFigure } from '../figure/build.ts';
import { COVERED_COLOR, heat, heatAgainst, segmentColor } from './looks.ts';
import { DENSITIES, MOST_CROOKED, MOST_INFLUENCES, type Side, type StageState } from './state.ts';

type Item = StageFigure['parts'][number];

const MISPLACED = new THREE.Color(0xe2c35a),
  CHOSEN = new THREE.Color(0xfff8e6);

/** What a part's colours were painted from: the same again needs no painting, as in every frame of a clip. */
const painted = new WeakMap<THREE.BufferGeometry, readonly unknown[]>();

/** Paints a part's vertices in the colours of a look; `figures` are both that stand. */
export function paint(item: Item, side: Side, state: StageState, figures: Record<Side, StageFigure | null>): void {
  const { geometry } = item.mesh,
    from = [
      state.look,
      state.joint[side],
      state.deviation,
      state.density,
      state.asymmetry,
      state.limitMm,
      state.regions,
      figures.source,
      figures.result,
    ],
    before = painted.get(geometry);
  if (before?.every((value, i) => value === from[i])) return;
  painted.set(geometry, from);
  const colors = colorsOf(geometry);
  if (state.look === 'segments') paintSegments(colors, item, figures[side]);
  else if (state.look === 'slots') paintSlots(colors, item, side, state, figures);
  else if (state.look === 'texel density') paintDensity(colors, item, side, state);
  else if (state.look === 'asymmetry') paintAsymmetry(colors, item, side, state);
  else paintHeat(colors, item, side, state);
  geometry.getAttribute('color').needsUpdate = true;
}

/** The colours of a geometry, made once. */
function colorsOf(geometry: THREE.BufferGeometry): Float32Array {
  const known = geometry.getAttribute('color');
  if (known?.array instanceof Float32Array) return known.array;
  const made = new THREE.BufferAttribute(new Float32Array(geometry.getAttribute('position').count * 3), 3);
  geometry.setAttribute('color', made);
  return made.array as Float32Array;
}

/** Every vertex in the colours of its joints, mixed by weight: a segment a joint, soft where they share. */
function paintSegments(colors: Float32Array, { part }: Item, figure: StageFigure | null): void {
  const influences = influencesOf(part.prim),
    joints = part.node.getSkin()?.listJoints() ?? [],
    tints = joints.map((joint) => segmentColor(figure?.skeleton.index.get(joint) ?? 0));
  colors.fill(0.05);
  if (!influences) return;
  for (let k = 0; k < influences.joints.length; k++) {
    const w = influences.weights[k],
      tint = tints[influences.joints[k]];
    if (!(w > 0 && tint)) continue;
    const at = Math.floor(k / influences.perVertex) * 3;
    colors[at] += w * tint.r;
    colors[at + 1] += w * tint.g;
    colors[at + 2] += w * tint.b;
  }
}

/** Every material in a colour of its own, alike on both sides; over it what would go elsewhere and what was clicked. */
function paintSlots(
  colors: Float32Array,
  { mesh, part }: Item,
  side: Side,
  { regions }: StageState,
  figures: Record<Side, StageFigure | null>,
): void {
  const index = mesh.geometry.getIndex() as THREE.BufferAttribute,
    everyPart = (figures.source ?? figures.result)?.parts ?? [],
    names = [...new Set(everyPart.map((entry) => entry.part.material?.getName() ?? ''))].sort();
  const own = segmentColor(Math.max(0, names.indexOf(part.material?.getName() ?? ''))).multiplyScalar(0.7);
  for (let i = 0; i < colors.length; i += 3) own.toArray(colors, i);
  const over = (faces: readonly number[] | undefined, color: THREE.Color) => {
    for (const face of faces ?? []) for (let k = 0; k < 3; k++) color.toArray(colors, index.getX(face * 3 + k) * 3);
  };
  if (side !== 'source') return;
  over(regions.misplaced.get(part.id), MISPLACED);
  over(regions.chosen.get(part.id), CHOSEN);
}

/** Every vertex by how densely the colour map lies there; grey where there is none. */
function paintDensity(colors: Float32Array, { part }: Item, side: Side, { density }: StageState): void {
  const values = density?.[side].get(part.id),
    color = new THREE.Color();
  for (let i = 0; i < colors.length / 3; i++) {
    if (values?.[i]) heat(color, densityShare(values[i]));
    else color.copy(COVERED_COLOR);
    color.toArray(colors, i * 3);
  }
}
/** Every vertex by how far it is from its mirror image; grey where there is none. */
function paintAsymmetry(colors: Float32Array, { part }: Item, side: Side, { asymmetry }: StageState): void {
  const values = asymmetry?.[side].get(part.id),
    color = new THREE.Color();
  for (let i = 0; i < colors.length / 3; i++) {
    if (values && values[i] >= 0) heat(color, Math.min(1, values[i] / MOST_CROOKED));
    else color.copy(COVERED_COLOR);
    color.toArray(colors, i * 3);
  }
}
/** 0 … 1 between the ends of the scale, by doublings. */
export const densityShare = (perCm: number): number =>
  Math.log2(perCm / DENSITIES[0]) / Math.log2(DENSITIES[1] / DENSITIES[0]);

/** Every vertex by a number of its own: how many influences, the weight of one joint, or how far it is off. */
function paintHeat(colors: Float32Array, { part }: Item, side: Side, state: StageState): void {
  const count = colors.length / 3,
    color = new THREE.Color(),
    distances = state.look === 'deviation' ? state.deviation?.[side].get(part.id) : undefined,
    apart = distances?.length === count ? distances : null,
    values = apart ? null : weightsShown(part, side, state, count);
  for (let i = 0; i < count; i++) {
    if (apart) heatAgainst(color, apart[i], state.limitMm);
    else heat(color, values?.[i] ?? 0);
    color.toArray(colors, i * 3);
  }
}

function weightsShown(part: Item['part'], side: Side, { look, joint }: StageState, count: number): Float32Array {
  const values = new Float32Array(count),
    influences = influencesOf(part.prim),
    joints = part.node.getSkin()?.listJoints() ?? [],
    chosen = joints.findIndex((entry) => entry.getName() === joint[side]);
  if (!influences) return values;
  for (let k = 0; k < influences.joints.length; k++) {
    const v = Math.floor(k / influences.perVertex);
    if (look === 'influences') values[v] += influences.weights[k] > 0 ? 1 / MOST_INFLUENCES : 0;
    else if (influences.joints[k] === chosen) values[v] += influences.weights[k];
  }
  return values;
}
