import { MeshoptSimplifier } from 'meshoptimizer/simplifier';

/** Fewer islands, or larger ones, are no cards but a surface. */
const LEAST_CARDS = 24,
  MOST_TRIANGLES = 80;
/** A card that lies so far off counts half, metres. */
const FAR_OFF = 0.006;
/** Share of the way along a card at either end whose corners stay. */
const ENDS = 0.02;

export interface CardMesh {
  positions: Float32Array;
  uv: Float32Array | null;
  indices: Uint32Array;
  /** 1 for vertices that have to stay. */
  lock: Uint8Array;
}

/** One way to draw a card, and what is lost by it. */
interface Level {
  indices: Uint32Array;
  worth: number;
}

/**
 * Brings a mesh of many small cards, as hair is made of, to a number of triangles. Reduced as one surface whole cards
 * would go where they are thin; here every card keeps its ends and loses segments on its way, and only where not even
 * that is enough the cards go that are seen least.
 * @param seen pixels that show each triangle, over some views
 * @returns indices, or null where it is no such mesh
 */
export function simplifyCards(mesh: CardMesh, target: number, seen: Float64Array): Uint32Array | null {
  const cards = islandsOf(mesh.indices, mesh.positions.length / 3);
  if (cards.length < LEAST_CARDS || mesh.indices.length / 3 / cards.length > MOST_TRIANGLES) return null;
  const worth = worthOf(mesh, cards, seen),
    ladders = cards.map((triangles, card) => ladderOf(mesh, triangles, worth[card])),
    chosen = new Int32Array(cards.length).fill(-1),
    steps = ladders.flatMap((levels, card) => worthwhile(levels).map((step) => ({ ...step, card })));
  steps.sort((a, b) => b.gain - a.gain || a.card - b.card || a.level - b.level);
  let left = target;
  for (const { card, from, level, cost } of steps) {
    if (cost > left || chosen[card] !== from) continue;
    chosen[card] = level;
    left -= cost;
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
const PLACE = 0.02;
/** What a card that no view shows is worth, against the root of the pixels of others. */
const UNSEEN = 2;

/**
 * What cards are worth: the root of what is seen of each, and less for each card of the same place that is seen better.
 * So no place is left bare, what is covered neither, while another has all.
 */
function worthOf({ positions, indices }: CardMesh, cards: readonly number[][], seen: Float64Array): Float64Array {
  const pixels = cards.map((triangles) => triangles.reduce((sum, t) => sum + seen[t], 0)),
    places = new Map<string, number[]>();
  cards.forEach((triangles, card) => {
    const middle = [0, 0, 0];
    for (const t of triangles)
      for (let k = 0; k < 9; k++) middle[k % 3] += positions[indices[t * 3 + Math.floor(k / 3)] * 3 + (k % 3)];
    const key = middle.map((sum) => Math.floor(sum / (triangles.length * 3) / PLACE)).join(' ');
    places.set(key, [...(places.get(key) ?? []), card]);
  });
  const out = new Float64Array(cards.length);
  for (const there of places.values()) {
    there.sort((a, b) => pixels[b] - pixels[a] || a - b);
    there.forEach((card, rank) => {
      out[card] = (Math.sqrt(pixels[card]) + UNSEEN) / (1 + rank);
    });
  }
  return out;
}

interface Step {
  /** Level before, −1 for a card that isn't drawn, and after. */
  from: number;
  level: number;
  /** Triangles that it takes, and what each of them gains. */
  cost: number;
  gain: number;
}

/** Steps up the ladder, each of which gains less a triangle than the one before: levels that a later one makes pointless are left out. */
function worthwhile(levels: readonly Level[]): Step[] {
  const steps: Step[] = [];
  const between = (from: number, level: number): Step => {
    const before =
        from < 0 ? { worth: 0, triangles: 0 } : { ...levels[from], triangles: levels[from].indices.length / 3 },
      cost = Math.max(1, levels[level].indices.length / 3 - before.triangles);
    return { from, level, cost, gain: (levels[level].worth - before.worth) / cost };
  };
  for (let level = 0; level < levels.length; level++) {
    let step = between(steps.at(-1)?.level ?? -1, level);
    for (let last = steps.at(-1); last && last.gain <= step.gain; last = steps.at(-1)) {
      steps.pop();
      step = between(last.from, level);
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
function ladderOf({ positions, uv, indices, lock }: CardMesh, triangles: readonly number[], worth: number): Level[] {
  const place = new Map<number, number>(),
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
  const levels: Level[] = [{ indices: back(local), worth }];
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
    levels.unshift({ indices: back(found), worth: worth * nearness(error * scale) });
    last = count;
  }
  return levels;
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
