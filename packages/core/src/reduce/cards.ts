import { MeshoptSimplifier } from 'meshoptimizer/simplifier';
import TinyQueue from 'tinyqueue';
import type { StrandPixels } from '../appearance/index.ts';
import { LOOKED, triangleArea } from '../geometry/index.ts';
import { StrandCover } from './strand-cover.ts';

/** Fewer islands, or larger ones, are no cards but a surface. */
const LEAST_CARDS = 24,
  MOST_TRIANGLES = 80;
/** A card that lies so far off counts half, metres. */
const FAR_OFF = 0.006;
/** Share of the way along a card at either end whose corners stay. */
const ENDS = 0.02;

export interface CardMesh {
  /** At rest, metres. */
  positions: Float32Array;
  uv: Float32Array | null;
  indices: Uint32Array;
  /** 1 for vertices that have to stay. */
  lock: Uint8Array;
  /** Whether a place shows at all, or lies in what the cards lie on; everywhere where left out. */
  isAbove?(x: number, y: number, z: number): boolean;
}

/** One way to draw a card, and how near it comes to the card as it was, 0 … 1. */
interface Level {
  indices: Uint32Array;
  like: number;
}

/**
 * Brings a mesh of many small cards, as hair is made of, to a number of triangles. Reduced as one surface whole cards
 * would go where they are thin; here every card keeps its ends and loses segments on its way, and only where not even
 * that is enough the cards go that cover least of what no other covers. Chosen greedily by what a triangle gains; since a
 * card gains less the more are there, an old gain is an upper bound and only the best is asked again (Minoux 1978).
 * @param seen what shows of the strands
 * @returns indices, or null where it is no such mesh
 */
export function simplifyCards(mesh: CardMesh, target: number, seen: StrandPixels): Uint32Array | null {
  const cards = islandsOf(mesh.indices, mesh.positions.length / 3);
  if (cards.length < LEAST_CARDS || mesh.indices.length / 3 / cards.length > MOST_TRIANGLES) return null;
  const cardOf = new Int32Array(mesh.indices.length / 3);
  cards.forEach((triangles, card) => triangles.forEach((t) => (cardOf[t] = card)));
  const cover = new StrandCover(seen, cardOf, placesOf(mesh, cards)),
    ladders = cards.map((triangles) => ladderOf(mesh, triangles)),
    ways = ladders.map(worthwhile),
    chosen = new Int32Array(cards.length).fill(-1);
  const asked = (card: number, step: number): Asked => {
    const { level, cost } = ways[card][step];
    return { card, step, gain: cover.gain(card, ladders[card][level].like) / cost };
  };
  const queue = new TinyQueue<Asked>(
    ways.flatMap((steps, card) => (steps.length ? [asked(card, 0)] : [])),
    before,
  );
  let left = target;
  for (let best = queue.pop(); best; best = queue.pop()) {
    const { card, step } = best,
      { level, cost } = ways[card][step];
    if (cost > left) continue;
    const now = asked(card, step),
      next = queue.peek();
    if (next && before(now, next) > 0) {
      queue.push(now);
      continue;
    }
    cover.put(card, ladders[card][level].like);
    chosen[card] = level;
    left -= cost;
    if (step + 1 < ways[card].length) queue.push(asked(card, step + 1));
  }
  const kept = ladders.flatMap((levels, card) => (chosen[card] < 0 ? [] : [levels[chosen[card]].indices])),
    out = new Uint32Array(kept.reduce((sum, indices) => sum + indices.length, 0));
  let at = 0;
  for (const indices of kept) {
    out.set(indices, at);
    at += indices.length;
  }
  return out;
}

/** Metres along a place where cards stand in for each other. */
const PLACE = 0.015;

/** Places that each card passes, numbered as they come. */
function placesOf({ positions, indices }: CardMesh, cards: readonly number[][]): number[][] {
  const numbers = new Map<string, number>();
  return cards.map((triangles) => {
    const own = new Set<number>();
    for (const t of triangles) {
      const key = [0, 1, 2]
        .map((k) =>
          Math.floor(
            (positions[indices[t * 3] * 3 + k] +
              positions[indices[t * 3 + 1] * 3 + k] +
              positions[indices[t * 3 + 2] * 3 + k]) /
              3 /
              PLACE,
          ),
        )
        .join(' ');
      let number = numbers.get(key);
      if (number === undefined) numbers.set(key, (number = numbers.size));
      own.add(number);
    }
    return [...own];
  });
}

/** A step of a card, and what each of its triangles gains. */
interface Asked {
  card: number;
  step: number;
  gain: number;
}
const before = (a: Asked, b: Asked): number => b.gain - a.gain || a.card - b.card;

interface Step {
  level: number;
  /** Triangles that it takes more than the one before. */
  cost: number;
  gain: number;
}

/** Steps up the ladder, each of which gains less a triangle than the one before: levels that a later one makes pointless are left out. */
function worthwhile(levels: readonly Level[]): Step[] {
  const steps: Step[] = [],
    count = (level: number) => (level < 0 ? 0 : levels[level].indices.length / 3),
    like = (level: number) => (level < 0 ? 0 : levels[level].like);
  const between = (from: number, level: number): Step => {
    const cost = Math.max(1, count(level) - count(from));
    return { level, cost, gain: (like(level) - like(from)) / cost };
  };
  for (let level = 0; level < levels.length; level++) {
    let step = between(steps.at(-1)?.level ?? -1, level);
    for (let last = steps.at(-1); last && last.gain <= step.gain; last = steps.at(-1)) {
      steps.pop();
      step = between(steps.at(-1)?.level ?? -1, level);
    }
    steps.push(step);
  }
  return steps;
}

/** Triangles that hang together by their vertices, in the order in which they come. */
function islandsOf(indices: Uint32Array, vertices: number): number[][] {
  const up = Uint32Array.from({ length: vertices }, (_, v) => v);
  const top = (v: number): number => {
    let at = v;
    while (up[at] !== at) at = up[at] = up[up[at]];
    return at;
  };
  for (let i = 0; i < indices.length; i += 3) {
    const first = top(indices[i]);
    up[top(indices[i + 1])] = first;
    up[top(indices[i + 2])] = first;
  }
  const islands = new Map<number, number[]>();
  for (let t = 0; t < indices.length / 3; t++) {
    const key = top(indices[t * 3]),
      island = islands.get(key);
    if (island) island.push(t);
    else islands.set(key, [t]);
  }
  return [...islands.values()];
}

/** A card from as few triangles as its ends allow up to all it has. */
function ladderOf(mesh: CardMesh, triangles: readonly number[]): Level[] {
  const { positions, uv, indices, lock } = mesh,
    place = new Map<number, number>(),
    own: number[] = [];
  const local = Uint32Array.from(
    triangles.flatMap((t) => {
      return [0, 1, 2].map((k) => {
        const vertex = indices[t * 3 + k],
          known = place.get(vertex);
        if (known !== undefined) return known;
        place.set(vertex, own.length);
        return own.push(vertex) - 1;
      });
    }),
  );
  const points = Float32Array.from(own.flatMap((v) => [positions[v * 3], positions[v * 3 + 1], positions[v * 3 + 2]])),
    laid = uv ? Float32Array.from(own.flatMap((v) => [uv[v * 2], uv[v * 2 + 1]])) : new Float32Array(own.length * 2),
    stays = endsOf(uv ? laid : null, points);
  own.forEach((v, i) => {
    if (lock[v]) stays[i] = 1;
  });
  const back = (found: Uint32Array) => found.map((i) => own[i]),
    scale = MeshoptSimplifier.getScale(points, 3);
  const levels: Level[] = [{ indices: back(local), like: 1 }],
    shows = shareAbove(mesh, levels[0].indices);
  for (let last = triangles.length, asked = last >> 1; asked >= 1; asked = Math.min(last, asked) >> 1) {
    const [found, error] = MeshoptSimplifier.simplifyWithAttributes(
      local,
      points,
      3,
      laid,
      2,
      [0.2, 0.2],
      stays,
      asked * 3,
      1e3,
      [],
    );
    const count = found.length / 3;
    if (count >= last || !count) break;
    const indices = back(found),
      sunk = shows ? Math.min(1, shareAbove(mesh, indices) / shows) : 1;
    levels.unshift({ indices, like: nearness(error * scale) * sunk });
    last = count;
  }
  return levels;
}

/** Share of a card's surface that doesn't lie in what is below: with fewer segments it cuts through where that bends. */
function shareAbove({ positions, isAbove }: CardMesh, indices: Uint32Array): number {
  if (!isAbove) return 1;
  let above = 0,
    all = 0;
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = [0, 1, 2].map((k) => indices[t + k] * 3),
      size = triangleArea(positions, indices[t], indices[t + 1], indices[t + 2]) / LOOKED.length;
    for (const [p, q, r] of LOOKED) {
      const at = (k: number) => p * positions[a + k] + q * positions[b + k] + r * positions[c + k];
      all += size;
      if (isAbove(at(0), at(1), at(2))) above += size;
    }
  }
  return all ? above / all : 0;
}

/** How much a card counts that lies so far off where it was, metres. */
const nearness = (off: number): number => 1 / (1 + (off / FAR_OFF) * (off / FAR_OFF));

/** Marks the corners at both ends of a card, by the longer way over its map, or in space where it has none. */
function endsOf(uv: Float32Array | null, points: Float32Array): Uint8Array {
  const size = uv ? 2 : 3,
    values = uv ?? points,
    count = points.length / 3,
    out = new Uint8Array(count);
  let axis = 0,
    low = 0,
    most = -1;
  for (let k = 0; k < size; k++) {
    let from = Infinity,
      to = -Infinity;
    for (let i = k; i < values.length; i += size) {
      from = Math.min(from, values[i]);
      to = Math.max(to, values[i]);
    }
    if (to - from > most) {
      most = to - from;
      low = from;
      axis = k;
    }
  }
  for (let i = 0; i < count; i++) {
    const along = most > 0 ? (values[i * size + axis] - low) / most : 0;
    if (along <= ENDS || along >= 1 - ENDS) out[i] = 1;
  }
  return out;
}
