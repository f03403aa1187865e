import type { Document } from '@gltf-transform/core';
import {
  createDeformer,
  type Deformer,
  floatsOf,
  type Ground,
  groundOf,
  type Part,
  standsOff,
} from '../character/index.ts';
import { LOOKED, RayTree, vertexNormals, weldByPlace } from '../geometry/index.ts';
import { jointRoles, poseSkeleton, RANGE_OF_MOTION, roleIndex } from '../rig/index.ts';

/** Left between skin and cloth, metres. */
const CLEAR = 1e-3;
/** Skin that lies further outside, metres, lies outside another's cloth: a sleeve beside the flank. */
const OUTSIDE = 0.04;
/** No place is moved by more, metres: a forearm is twice as thick. */
const MOST = 0.03;
/** What lies further under cloth, metres, is under another's. */
const DEEPEST = 0.06;
/** What isn't on the skin as it was, metres, is something else. */
const NEAR = 0.03;
/** Each time round the places beside those that went in are looked at again. */
const ROUNDS = 4;
/** Corners, middles of edges and the middle: what lies between is as far in. */
const LOOKED_AT = LOOKED.slice(0, 7);

const CLOTHES: ReadonlySet<Part['role']> = new Set<Part['role']>(['garment', 'footwear']);
const isSkin = ({ role }: Part): boolean => role === 'body';

interface Dressed {
  deformer: Deformer;
  rest: Float32Array;
  cloth: RayTree;
}

function lookAt(document: Document): Dressed | null {
  const deformer = createDeformer(document, (part) => isSkin(part) || CLOTHES.has(part.role), false),
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    clothes = groundOf(deformer, rest, ({ role }) => CLOTHES.has(role));
  return clothes && { deformer, rest, cloth: new RayTree(rest, clothes.corners) };
}

/** Skin as it lay, and which of its vertices lay under cloth. */
export interface Underneath {
  skin: Ground;
  covered: Uint8Array;
}

/** What lies under clothes before anything is reduced; null where no skin wears any. */
export function lookUnderClothes(document: Document): Underneath | null {
  const dressed = lookAt(document);
  if (!dressed) return null;
  const { deformer, rest, cloth } = dressed,
    skin = groundOf(deformer, rest, isSkin);
  if (!skin) return null;
  const covered = new Uint8Array(deformer.vertices);
  const placeOf = firstAtPlaces(rest),
    normal = normalsOf(rest, skin.corners, placeOf);
  for (const v of new Set(skin.corners)) {
    const p = placeOf[v] * 3;
    if (isUnder(cloth, rest.subarray(v * 3, v * 3 + 3), normal.subarray(p, p + 3))) covered[v] = 1;
  }
  return { skin, covered };
}

/** Whether cloth lies over a place, however many layers of it: going out, one leaves it by its back. */
const isUnder = (cloth: RayTree, [x, y, z]: ArrayLike<number> & Iterable<number>, n: ArrayLike<number>): boolean =>
  cloth.ray(x, y, z, n[0], n[1], n[2], DEEPEST, true);

/**
 * Skin and cloth of fewer triangles cut through each other where they only lay close, and bend less alike. Skin that lay
 * under cloth with all that is around it, seen by nobody, goes in until it lies under it again, at rest and in every pose
 * of the range of motion.
 */
export function tuckUnderClothes(document: Document, before: Underneath): { vertices: number; mostMm: number } {
  const told = { vertices: 0, mostMm: 0 },
    dressed = lookAt(document);
  if (!dressed) return told;
  const { deformer, rest, cloth } = dressed,
    skin = new CoveredSkin(deformer, rest, before),
    roles = roleIndex(jointRoles(document, deformer.skeleton)),
    posed = new Float32Array(rest.length);
  for (const pose of [undefined, ...RANGE_OF_MOTION]) {
    deformer.evaluate(posed, {}, pose && poseSkeleton(deformer.skeleton, roles, pose));
    cloth.refit(posed);
    for (let round = 0; round < ROUNDS && skin.look(cloth, posed); round++);
  }
  skin.turnTo(rest);
  for (const { part, firstVertex, vertices } of deformer.ranges) {
    const accessor = part.prim.getAttribute('POSITION'),
      there = rest.subarray(firstVertex * 3, (firstVertex + vertices) * 3),
      off = isSkin(part) && accessor && standsOff(floatsOf(accessor), there);
    if (!off) continue;
    // What doesn't move stays to the last bit.
    const moved = floatsOf(accessor).slice();
    let any = false;
    for (let v = 0; v < vertices; v++) {
      const by = skin.inward(firstVertex + v);
      if (!by) continue;
      any = true;
      told.vertices++;
      told.mostMm = Math.max(told.mostMm, by * 1000);
      skin.moveIn(moved, v, rest, firstVertex + v);
      for (let k = 0; k < 3; k++) moved[v * 3 + k] -= off[k];
    }
    if (any) part.prim.setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(moved));
  }
  return told;
}

/** Skin that lay under cloth, by places: vertices that lie on one another are one. */
class CoveredSkin {
  /** Corners of the triangles that lay wholly under cloth, and may give way. */
  private readonly triangles: Uint32Array;
  /** The first vertex at each vertex's place, which stands for it. */
  private readonly placeOf: Uint32Array;
  /** 1 where a place may be moved: all around it was covered. */
  private readonly free: Uint8Array;
  /** How far each place has gone in, metres. */
  private readonly gone: Float64Array;
  private readonly corners: Uint32Array;
  private normal: Float32Array = new Float32Array(0);

  constructor({ ranges, indices }: Deformer, rest: Float32Array, before: Underneath) {
    this.placeOf = firstAtPlaces(rest);
    const places = this.placeOf.length,
      corners = (this.corners = Uint32Array.from(
        ranges.flatMap(({ part, firstTriangle, triangles }) =>
          isSkin(part) ? [...indices.subarray(firstTriangle * 3, (firstTriangle + triangles) * 3)] : [],
        ),
      )),
      state = new Uint8Array(places),
      isOpen = (v: number): boolean => {
        const p = this.placeOf[v];
        state[p] ||= wasCovered(before, rest, v) ? COVERED : OPEN;
        return state[p] === OPEN;
      };
    this.free = new Uint8Array(places).fill(1);
    const under: number[] = [];
    for (let t = 0; t < corners.length; t += 3) {
      const three = corners.subarray(t, t + 3);
      if (three.some(isOpen)) for (const v of three) this.free[this.placeOf[v]] = 0;
      else under.push(...three);
    }
    this.triangles = Uint32Array.from(under);
    this.gone = new Float64Array(places);
  }

  /** Places go in along their normals as they are at some time. */
  turnTo(positions: Float32Array): void {
    this.normal = normalsOf(positions, this.corners, this.placeOf);
  }

  /** Places go in where they lie outside the cloth. @returns whether any did */
  look(cloth: RayTree, posed: Float32Array): boolean {
    this.turnTo(posed);
    const { triangles, placeOf, free, normal } = this,
      at = posed.slice(),
      asked = new Float64Array(this.gone.length);
    for (const v of triangles) this.moveIn(at, v, posed, v);
    for (let t = 0; t < triangles.length; t += 3) {
      const points = [placeOf[triangles[t]], placeOf[triangles[t + 1]], placeOf[triangles[t + 2]]];
      if (!points.some((p) => free[p])) continue;
      for (const shares of LOOKED_AT) {
        const place = mean(shares, (c, k) => at[triangles[t + c] * 3 + k]),
          out = mean(shares, (c, k) => normal[points[c] * 3 + k]);
        if (isUnder(cloth, place, out)) continue;
        // Outside all of it: as far in as the outermost lies.
        if (!cloth.ray(place[0], place[1], place[2], -out[0], -out[1], -out[2], OUTSIDE)) continue;
        const height = cloth.met.distance;
        const give = shares.map((share, c) => (free[points[c]] ? share : 0)),
          squares = give.reduce((sum, share) => sum + share * share, 0);
        if (squares < 0.02) continue;
        give.forEach((share, c) => {
          asked[points[c]] = Math.max(asked[points[c]], ((height + CLEAR) * share) / squares);
        });
      }
    }
    let any = false;
    for (let p = 0; p < asked.length; p++) {
      if (!asked[p] || this.gone[p] >= MOST) continue;
      this.gone[p] = Math.min(MOST, this.gone[p] + asked[p]);
      any = true;
    }
    return any;
  }

  inward(v: number): number {
    return this.gone[this.placeOf[v]];
  }

  /** Writes a vertex where it has gone to, from where it stood. */
  moveIn(to: Float32Array, v: number, from: Float32Array, was: number): void {
    const p = this.placeOf[was];
    for (let k = 0; k < 3; k++) to[v * 3 + k] = from[was * 3 + k] - this.normal[p * 3 + k] * this.gone[p];
  }
}
const OPEN = 1,
  COVERED = 2;

const mean = (shares: readonly number[], of: (corner: number, k: number) => number): [number, number, number] =>
  [0, 1, 2].map((k) => shares.reduce((sum, share, c) => sum + share * of(c, k), 0)) as [number, number, number];

/** Unit normals of places, weighted by area, at the first vertex of each. */
const normalsOf = (positions: Float32Array, corners: Uint32Array, placeOf: Uint32Array): Float32Array =>
  vertexNormals(
    positions,
    corners.map((v) => placeOf[v]),
  );

/** The first vertex at each vertex's place. */
function firstAtPlaces(positions: Float32Array): Uint32Array {
  const { pointOf } = weldByPlace(positions),
    first = new Map<number, number>();
  return pointOf.map((point, v) => {
    if (!first.has(point)) first.set(point, v);
    return first.get(point) as number;
  });
}

function wasCovered({ skin, covered }: Underneath, rest: Float32Array, v: number): boolean {
  const off = skin.tree.closest(rest[v * 3], rest[v * 3 + 1], rest[v * 3 + 2]),
    t = skin.tree.hit.triangle * 3;
  return off < NEAR && [0, 1, 2].every((k) => covered[skin.corners[t + k]] === 1);
}
