import { carriedByLimbs, limbMaps } from './align.ts';
import { curveAnchors, type Curves } from './curves.ts';
import { type Evened, evenSides } from './even-sides.ts';
import type { Mesh } from './mesh.ts';
import { namedLoops } from './named-loops.ts';
import { isHidden, trustOf } from './openness.ts';
import { FULL, register, type RegisterOptions } from './register.ts';
import { type Skin, skinOpenness } from './skin.ts';

export interface Wrapped {
  /** Where each point of the body's mesh comes to lie, xyz. */
  places: Float32Array;
  /** Where limbs alone carried it. */
  aligned: Float32Array;
  /** 0 … 1 per point: how far it lies outside, where the other's surface says where it belongs. */
  trust: Float32Array;
  /** Openness of the other's points. */
  open: Float32Array;
  curves: Curves;
  /** What it took for both sides to be of one shape, where somebody asked for it. */
  evened?: Omit<Evened, 'places'>;
}

export interface WrapOptions extends RegisterOptions {
  /** Both sides get one shape. */
  symmetric?: boolean;
}

/**
 * A figure's skin takes on another's shape: first limb by limb, then by closest points with falling stiffness; curves that
 * both have hold it where surfaces alone would let it slide.
 */
export function wrapSkin(body: Skin, other: Skin, options: WrapOptions = {}): Wrapped {
  const { mesh } = body,
    limbs = limbMaps(body, other),
    begin = carriedByLimbs(body.rest, body.followed, limbs),
    aligned = new Float32Array(mesh.points * 3);
  for (let p = 0; p < mesh.points; p++)
    aligned.set(begin.subarray(mesh.vertexOf[p] * 3, mesh.vertexOf[p] * 3 + 3), p * 3);
  const { rays } = options.settings ?? FULL,
    ownOpen = skinOpenness(body, options.stop, rays),
    open = skinOpenness(other, options.stop, rays),
    trust = ownOpen.map(trustOf),
    { anchors, curves } = curveAnchors(looped(body, ownOpen), aligned, looped(other, open)),
    places = register({ ...mesh, places: aligned }, trust, outsideOf(other.mesh, open), anchors, options);
  if (!options.symmetric) return { places, aligned, trust, open, curves };
  const { places: even, ...evened } = evenSides(body, limbs, aligned, places);
  return { places: even, aligned, trust, open, curves, evened };
}

const looped = (skin: Skin, open: Float32Array) => ({ mesh: skin.mesh, loops: skin.loops ?? namedLoops(skin, open) });

/** A surface without what lies inside: triangles of which no corner can be seen. */
export function outsideOf(mesh: Mesh, open: Float32Array): Pick<Mesh, 'places' | 'corners' | 'border'> {
  const corners: number[] = [];
  for (let t = 0; t < mesh.corners.length; t += 3) {
    const own = mesh.corners.subarray(t, t + 3);
    if (!own.every((p) => isHidden(open[p]))) corners.push(...own);
  }
  return { places: mesh.places, corners: Uint32Array.from(corners), border: mesh.border };
}
