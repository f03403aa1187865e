import { FacingTree, vertexNormals } from '../geometry/index.ts';
import type { Mesh } from './mesh.ts';
import { RAYS } from './openness.ts';
import { turnedFaces } from './turned-faces.ts';
import { GivingSurface } from './register-solver.ts';

/** A point of the surface that should come to lie somewhere, as strongly as the surface is stiff. */
export interface Anchor {
  point: number;
  to: readonly [number, number, number];
  /** Somebody said so: it lies there whatever the surface is like. */
  firm?: boolean;
}

export interface RegisterSettings {
  /** Stiffness of each level, falling. */
  alphas: readonly number[];
  /** Rounds of closest points and giving way at each level. */
  rounds: number;
  /** Steps of a solve. */
  steps: number;
  /** How far off closest points are looked for, at the first level and at the last, metres. */
  reach: readonly [number, number];
  /** Times that turned faces are looked for and let go of, at the end. */
  mending: number;
  /** Directions that openness is looked for in. */
  rays: number;
}

/** As the registration is run; a look in a quarter of the time comes from {@link PREVIEW}. */
export const FULL: RegisterSettings = {
  alphas: [100, 20, 4, 1, 0.3, 0.1],
  rounds: 2,
  steps: 100,
  reach: [0.03, 0.006],
  mending: 3,
  rays: RAYS,
};
export const PREVIEW: RegisterSettings = { ...FULL, rounds: 1, steps: 20, mending: 0, rays: RAYS / 2 };

/** Cosine of the largest angle between normals of points that are taken for the same. */
const FACING = 0.5;
/** How strongly anchors hold, in parts of the stiffness. */
const ANCHORED = 0.5;
/** How strongly those hold that somebody put there, against closest places of weight 1. */
const FIRM = 100;
/** Points that have moved less in a round, RMS in metres, lie where they will. */
const SETTLED = 1e-5;

/** What is trusted less lies inside: nothing holds it but its neighbours, and it keeps its shape the more. */
const INSIDE = 0.5;
const INNER_STIFFER = 100;

export interface RegisterOptions {
  settings?: RegisterSettings;
  stop?(): void;
  /** Called after each round with the share of all rounds, and where points lie. */
  after?(done: number, places: Float32Array): void;
}

/**
 * Non-rigid closest points with falling stiffness (Amberg, Romdhani & Vetter 2007): `mesh`, which lies about the other
 * surface, comes to lie on it. Points go to the closest place that faces their way; what finds none, or is closest to a
 * border, goes along with its neighbours.
 * @param mesh its places are where it begins, and what keeps its shape
 * @param trust 0 … 1 per point: how much closest places count; 0 for what no surface outside corresponds to
 * @param surface what it comes to lie on; triangles that are left out attract nothing
 * @returns places, xyz per point
 */
export function register(
  mesh: Mesh,
  trust: ArrayLike<number>,
  surface: Pick<Mesh, 'places' | 'corners' | 'border'>,
  anchors: readonly Anchor[],
  { settings = FULL, stop = () => {}, after }: RegisterOptions = {},
): Float32Array {
  const n = mesh.points,
    solver = new GivingSurface(mesh.places, mesh, (i, j) =>
      trust[i] < INSIDE && trust[j] < INSIDE ? INNER_STIFFER : 1,
    ),
    tree = new FacingTree(surface.places, surface.corners),
    to = new Float64Array(n * 3),
    weight = new Float64Array(n),
    { alphas, rounds, steps, reach, mending } = settings,
    places = new Float32Array(mesh.places),
    before = new Float32Array(places.length);
  const round = (alpha: number, far: number, counts: ArrayLike<number>, held: readonly Anchor[]): number => {
    stop();
    const normals = vertexNormals(places, mesh.corners);
    for (let i = 0; i < n; i++) {
      weight[i] = 0;
      if (!(counts[i] > 0) || !tree.closestTo(places, normals, i, FACING, far)) continue;
      const { triangle, v, w } = tree.hit,
        a = surface.corners[triangle * 3],
        b = surface.corners[triangle * 3 + 1],
        c = surface.corners[triangle * 3 + 2],
        u = 1 - v - w;
      if (liesOnBorder(surface.border, a, b, c, u, v, w)) continue;
      weight[i] = counts[i];
      for (let k = 0; k < 3; k++)
        to[i * 3 + k] = surface.places[a * 3 + k] * u + surface.places[b * 3 + k] * v + surface.places[c * 3 + k] * w;
    }
    for (const { point, to: place, firm } of held) {
      // An anchor takes the place of what is closest.
      weight[point] = firm ? FIRM : ANCHORED * alpha;
      to.set(place, point * 3);
    }
    solver.solve({ to, weight }, alpha, steps);
    before.set(places);
    solver.places(places);
    let moved = 0;
    for (let k = 0; k < places.length; k++) moved += (places[k] - before[k]) ** 2;
    return Math.sqrt(moved / Math.max(1, n));
  };
  for (const [level, alpha] of alphas.entries()) {
    const along = alphas.length > 1 ? level / (alphas.length - 1) : 1,
      far = reach[0] + (reach[1] - reach[0]) * along;
    for (let r = 0; r < rounds; r++) {
      const moved = round(alpha, far, trust, anchors);
      after?.((level * rounds + r + 1) / (alphas.length * rounds), places);
      if (moved < SETTLED) break;
    }
  }
  // Corners of faces that turned over, and what is around them, go along with their neighbours instead.
  const free = Float32Array.from(trust);
  for (let pass = 0; pass < mending; pass++) {
    const turned = turnedFaces(mesh.corners, places, mesh.places);
    if (!turned.length) break;
    for (const t of turned) for (let k = 0; k < 3; k++) loosen(free, mesh, mesh.corners[t + k]);
    round(
      alphas[alphas.length - 1],
      reach[1],
      free,
      anchors.filter(({ point, firm }) => firm || free[point] === trust[point]),
    );
  }
  return places;
}

/** A point and its neighbours follow the surface no more. */
function loosen(free: Float32Array, { start, neighbour }: Pick<Mesh, 'start' | 'neighbour'>, point: number): void {
  free[point] = 0;
  for (let k = start[point]; k < start[point + 1]; k++) free[neighbour[k]] = 0;
}

/** What is closest to a border lies beyond it. */
function liesOnBorder(border: Uint8Array, a: number, b: number, c: number, u: number, v: number, w: number): boolean {
  const least = 1e-4,
    inside = u > least && v > least && w > least;
  return !inside && (u <= least || border[a] > 0) && (v <= least || border[b] > 0) && (w <= least || border[c] > 0);
}
