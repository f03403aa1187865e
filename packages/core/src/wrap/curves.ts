import type { Vec3 } from '../geometry/index.ts';
import { alongLoop, borderLoops, isolines, type Loop, measureLoop, placeAlong, placesOfLoop } from './loops.ts';
import type { Mesh } from './mesh.ts';
import type { Anchor } from './register.ts';

/** A figure's skin to look for curves on. */
export interface Curved {
  mesh: Mesh;
  /** Openness per point. */
  open: ArrayLike<number>;
  /** Where the eyes lie, in the middle between them; null where nobody says. */
  eyes: Vec3 | null;
}

/** Openness along the line between the lips, and of what lies in the mouth less. */
const LIPS = 0.3;
/** Where a mouth is looked for about the eyes, in parts of a head's usual size in metres: below, in front of, beside. */
const MOUTH = { below: 0.045, lowest: 0.13, behind: 0.05, beside: 0.01 };
/** Borders longer than this are ends of skin under clothes, not sockets, metres. */
const LONGEST = 0.2;
/** How far apart middles of borders may lie once limbs are on each other, metres, and how much longer one may be. */
const NEAR = 0.015;
const LONGER = 1.6;

/**
 * Curves that both skins have – the line between the lips, borders of sockets – tell points beside them where they go, by
 * arc length from one end to the other. Nobody has to place them.
 * @param aligned places of the points of `body` on the other's limbs
 */
export function curveAnchors(
  body: Curved,
  aligned: Float32Array,
  other: Curved,
): { anchors: Anchor[]; curves: number } {
  const pairs: [Loop, Loop][] = [],
    lips = [mouthOf(body), mouthOf(other)];
  if (lips[0] && lips[1]) pairs.push([lips[0], lips[1]]);
  const theirs = borderLoops(other.mesh).map((loop) => ({
      loop,
      ...measureLoop(placesOfLoop(loop, other.mesh.places)),
    })),
    taken = new Set<Loop>();
  for (const loop of borderLoops(body.mesh)) {
    const own = measureLoop(placesOfLoop(loop, aligned));
    if (own.length > LONGEST) continue;
    const near = theirs
      .filter(
        (one) =>
          !taken.has(one.loop) &&
          Math.hypot(...own.middle.map((x, k) => x - one.middle[k])) < NEAR &&
          Math.max(own.length / one.length, one.length / own.length) < LONGER,
      )
      .map((one) => ({ one, far: Math.hypot(...own.middle.map((x, k) => x - one.middle[k])) }))
      .sort((a, b) => a.far - b.far)[0];
    if (!near) continue;
    taken.add(near.one.loop);
    pairs.push([loop, near.one.loop]);
  }
  const anchors = new Map<number, Anchor>();
  for (const [loop, to] of pairs)
    for (const anchor of along(loop, aligned, to, other.mesh.places)) anchors.set(anchor.point, anchor);
  return { anchors: [...anchors.values()], curves: pairs.length };
}

function mouthOf({ mesh, open, eyes }: Curved): Loop | null {
  if (!eyes) return null;
  const soft = smoothed(mesh, open);
  return (
    isolines(mesh, soft, LIPS)
      .map((loop) => ({ loop, ...measureLoop(placesOfLoop(loop, mesh.places)) }))
      .filter(
        ({ middle: [x, y, z] }) =>
          Math.abs(x - eyes[0]) < MOUTH.beside &&
          y < eyes[1] - MOUTH.below &&
          y > eyes[1] - MOUTH.lowest &&
          z > eyes[2] - MOUTH.behind,
      )
      .sort((a, b) => b.length - a.length)[0]?.loop ?? null
  );
}

/** A value per point with that of its neighbours mixed in, so that its isolines are clean. */
function smoothed({ points, start, neighbour }: Mesh, value: ArrayLike<number>): Float64Array {
  const out = new Float64Array(points);
  for (let i = 0; i < points; i++) {
    let sum = value[i];
    for (let k = start[i]; k < start[i + 1]; k++) sum += value[neighbour[k]];
    out[i] = sum / (1 + start[i + 1] - start[i]);
  }
  return out;
}

/** Points beside one loop go to the other, as far from it as they are. */
function along(loop: Loop, aligned: Float32Array, to: Loop, places: Float32Array): Anchor[] {
  const here = placesOfLoop(loop, aligned),
    there = placesOfLoop(to, places),
    axis = widestAxis(here),
    a = alongLoop(here, axis),
    b = alongLoop(there, axis),
    scale = measureLoop(there).length / (measureLoop(here).length || 1),
    out: Anchor[] = [];
  for (let i = 0; i < a.length; i++) {
    const place = placeAlong(there, b, a[i]),
      point = loop.share[i] < 0.5 ? loop.from[i] : loop.to[i];
    if (!place) continue;
    out.push({
      point,
      to: place.map((x, k) => x + (aligned[point * 3 + k] - here[i * 3 + k]) * scale) as Vec3,
    });
  }
  return out;
}

function widestAxis(places: Float64Array): number {
  const low = [Infinity, Infinity, Infinity],
    high = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < places.length; i++) {
    low[i % 3] = Math.min(low[i % 3], places[i]);
    high[i % 3] = Math.max(high[i % 3], places[i]);
  }
  const wide = high.map((x, k) => x - low[k]);
  return wide.indexOf(Math.max(...wide));
}
