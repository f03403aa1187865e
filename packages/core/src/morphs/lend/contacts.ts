import type { Vec3 } from '../../geometry/index.ts';
import type { SkinMesh } from '../mix/skin-mesh.ts';
import { spreadMoves } from './spread-moves.ts';

/** Points of a skin that another's movement brings together: which, and how they then lie to each other there. */
export interface Contact {
  /** The one that goes farther, and the one it comes to lie on. */
  from: number;
  to: number;
  /** Place of `from` less that of `to`, once moved, on the other. */
  apart: Vec3;
}

/** Lids and lips lie on each other when they are this near, metres. */
const TOUCHES = 0.0012;
/** They were this much farther apart before, in metres and in times. */
const CAME = 0.002;
const TIMES = 3;

/**
 * Which points come to lie on which when the other moves.
 * @param places xyz by vertex: where each is on the other at rest
 * @param moved how far it goes there
 */
export function contactsOf({ points, vertexOf }: SkinMesh, places: Float32Array, moved: Float32Array): Contact[] {
  const cells = new Map<string, number[]>(),
    at = new Float64Array(points * 3),
    cell = (i: number, k: number) => Math.floor(at[i * 3 + k] / TOUCHES),
    far = new Float64Array(points),
    out: Contact[] = [];
  for (let i = 0; i < points; i++) {
    const v = vertexOf[i] * 3;
    for (let k = 0; k < 3; k++) at[i * 3 + k] = places[v + k] + moved[v + k];
    far[i] = Math.hypot(moved[v], moved[v + 1], moved[v + 2]);
    const key = `${cell(i, 0)},${cell(i, 1)},${cell(i, 2)}`,
      list = cells.get(key);
    if (list) list.push(i);
    else cells.set(key, [i]);
  }
  for (let i = 0; i < points; i++) {
    if (far[i] < CAME / 2) continue;
    let best: Contact | null = null,
      nearest = TOUCHES;
    for (let x = -1; x <= 1; x++)
      for (let y = -1; y <= 1; y++)
        for (let z = -1; z <= 1; z++)
          for (const j of cells.get(`${cell(i, 0) + x},${cell(i, 1) + y},${cell(i, 2) + z}`) ?? []) {
            if (far[j] > far[i] || i === j) continue;
            const apart: Vec3 = [0, 0, 0];
            let before = 0;
            for (let k = 0; k < 3; k++) {
              apart[k] = at[i * 3 + k] - at[j * 3 + k];
              before += (places[vertexOf[i] * 3 + k] - places[vertexOf[j] * 3 + k]) ** 2;
            }
            const now = Math.hypot(...apart);
            before = Math.sqrt(before);
            if (now >= nearest || before < now + CAME || before < TIMES * now) continue;
            nearest = now;
            best = { from: i, to: j, apart };
          }
    if (best) out.push(best);
  }
  return out;
}

/**
 * Lets points that touch on the other touch here, however large the opening between them is: what the transfer leaves between
 * them is shared out by how far each of the two goes, and evened out over the skin around.
 * @param found how far each point goes, three lists by axis; changed in place
 * @param scale own size over the other's
 */
export function keepContacts(
  skin: SkinMesh,
  rest: Float32Array,
  found: readonly Float64Array[],
  contacts: readonly Contact[],
  scale: number,
): void {
  if (!contacts.length) return;
  const { vertexOf } = skin;
  const sums = new Map<number, { by: Vec3; count: number }>(),
    ask = (point: number, by: readonly number[], share: number) => {
      const known = sums.get(point) ?? { by: [0, 0, 0], count: 0 };
      for (let k = 0; k < 3; k++) known.by[k] += by[k] * share;
      known.count++;
      sums.set(point, known);
    };
  for (const { from: i, to: j, apart } of contacts) {
    const [v, u] = [vertexOf[i] * 3, vertexOf[j] * 3],
      missing = [0, 1, 2].map((k) => apart[k] * scale - (rest[v + k] + found[k][i] - rest[u + k] - found[k][j])),
      goes = [i, j].map((point) => Math.hypot(found[0][point], found[1][point], found[2][point])),
      share = goes[0] / (goes[0] + goes[1] || 1);
    ask(i, missing, share);
    ask(j, missing, share - 1);
  }
  const moves = new Map([...sums].map(([point, { by, count }]) => [point, by.map((x) => x / count) as Vec3] as const));
  spreadMoves(skin, rest, moves, found);
}
