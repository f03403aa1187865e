import type { Vec3 } from '../geometry/index.ts';
import { alongLoop, borderLoops, type Loop, measureLoop, type NamedLoop, placeAlong, placesOfLoop } from './loops.ts';
import type { Mesh } from './mesh.ts';
import type { Anchor } from './register.ts';

/** Borders longer than this are ends of skin under clothes, not sockets, metres. */
const LONGEST = 0.2;
/** How far apart middles of borders may lie once limbs are on each other, metres, and how much longer one may be. */
const NEAR = 0.015;
const LONGER = 1.6;
/** Loops of one name whose middles are farther apart than this, metres, are not where the other is: a seam is cut where somebody liked. */
const ASTRAY = 0.025;
/** Points farther from a loop than this share of its length lie beside it by chance: polygons are too few there. */
const BESIDE = 0.1;

/**
 * Loops that both skins have by one name – the line between the lips, rims of eyelids and nostrils, outlines of nails – and
 * borders that lie about each other tell points beside them where they go, by arc length from one end to the other. Nobody
 * has to place them.
 * @param aligned places of the points of `body` on the other's limbs
 */
export function curveAnchors(
  body: Looped,
  aligned: Float32Array,
  other: Looped,
): { anchors: Anchor[]; curves: Curves } {
  const middleOf = (loop: Loop, places: Float32Array) => measureLoop(placesOfLoop(loop, places)).middle,
    isNear = (own: Loop, its: Loop) => {
      const to = middleOf(its, other.mesh.places);
      return Math.hypot(...middleOf(own, aligned).map((x, k) => x - to[k])) < ASTRAY;
    },
    curves: Curves = { both: [], alone: [] },
    pairs: { loop: Loop; to: Loop }[] = [];
  for (const { name, loop, holds } of body.loops) {
    if (!holds) continue;
    const to = other.loops.find((one) => one.name === name && isNear(loop, one.loop));
    curves[to ? 'both' : 'alone'].push(name);
    if (to) pairs.push({ loop, to: to.loop });
  }
  const named = ({ border }: Mesh, of: readonly NamedLoop[]) =>
      new Set(
        of.flatMap(({ loop }) =>
          Array.from(loop.from, (p, i) => (loop.share[i] < 0.5 ? p : loop.to[i])).filter((p) => border[p]),
        ),
      ),
    ownNamed = named(body.mesh, body.loops),
    theirNamed = named(other.mesh, other.loops),
    theirs = borderLoops(other.mesh)
      .filter((loop) => !theirNamed.has(loop.from[0]))
      .map((loop) => ({ loop, ...measureLoop(placesOfLoop(loop, other.mesh.places)) })),
    taken = new Set<Loop>();
  for (const loop of borderLoops(body.mesh)) {
    const own = measureLoop(placesOfLoop(loop, aligned));
    if (own.length > LONGEST || ownNamed.has(loop.from[0])) continue;
    const near = theirs
      .map((one) => ({ one, far: Math.hypot(...own.middle.map((x, k) => x - one.middle[k])) }))
      .filter(
        ({ one, far }) =>
          !taken.has(one.loop) && far < NEAR && Math.max(own.length / one.length, one.length / own.length) < LONGER,
      )
      .sort((a, b) => a.far - b.far)[0];
    if (!near) continue;
    taken.add(near.one.loop);
    curves.both.push('');
    pairs.push({ loop, to: near.one.loop });
  }
  const anchors = new Map<number, Anchor>();
  for (const { loop, to } of pairs)
    for (const anchor of along(loop, aligned, to, other.mesh.places)) anchors.set(anchor.point, anchor);
  return { anchors: [...anchors.values()], curves };
}

/** Loops that held a wrap: names of those that both skins have (empty for borders without one), and of those without counterpart. */
export interface Curves {
  both: string[];
  alone: string[];
}

/** A skin with its loops. */
interface Looped {
  mesh: Mesh;
  loops: readonly NamedLoop[];
}

/** Points beside one loop go to the other, as far from it as they are. Loops that run the other way round are turned. */
function along(loop: Loop, aligned: Float32Array, to: Loop, places: Float32Array): Anchor[] {
  const one = alongAsItRuns(loop, aligned, placesOfLoop(to, places)),
    other = alongAsItRuns(loop, aligned, placesOfLoop(turned(to), places)),
    way = (anchors: readonly Anchor[]) =>
      anchors.reduce((sum, { point, to }) => sum + to.reduce((s, x, k) => s + (x - aligned[point * 3 + k]) ** 2, 0), 0);
  return way(other) < way(one) ? other : one;
}
const turned = ({ from, to, share }: Loop): Loop => ({
  from: from.toReversed(),
  to: to.toReversed(),
  share: share.toReversed(),
});

function alongAsItRuns(loop: Loop, aligned: Float32Array, there: Float64Array): Anchor[] {
  const here = placesOfLoop(loop, aligned),
    axis = widestAxis(here),
    a = alongLoop(here, axis),
    b = alongLoop(there, axis),
    { length } = measureLoop(here),
    scale = measureLoop(there).length / (length || 1),
    goals = new Map<number, Anchor>();
  for (let i = 0; i < a.length; i++) {
    const place = placeAlong(there, b, a[i]),
      point = loop.share[i] < 0.5 ? loop.from[i] : loop.to[i];
    if (!place) continue;
    const by = place.map((_, k) => aligned[point * 3 + k] - here[i * 3 + k]),
      off = Math.hypot(...by);
    if (off > BESIDE * length) continue;
    goals.set(point, { point, to: place.map((x, k) => x + by[k] * scale) as Vec3 });
  }
  return [...goals.values()];
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
