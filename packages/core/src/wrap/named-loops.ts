import { type HumanoidRole, jointPosition, roleLabel, type Skeleton } from '../character/index.ts';
import { FacingTree, type Vec3 } from '../geometry/index.ts';
import { loopOn } from './loop-on.ts';
import { borderLoops, isolines, type Loop, measureLoop, type NamedLoop, placesOfLoop } from './loops.ts';
import type { Mesh } from './mesh.ts';
import type { Skin } from './skin.ts';

/** Where a skin is looked at for loops. */
type Looked = Pick<Skin, 'mesh' | 'deformer' | 'skeleton' | 'roles' | 'nails'>;

/** Openness along the line between the lips, and of what lies in the mouth less; the same at the rims of nostrils. */
const LIPS = 0.3;
const NOSTRILS = 0.4;
/** Where a mouth is looked for about the middle between the eyes, metres on a head of usual size: below, in front of, beside. */
const MOUTH = { below: 0.045, lowest: 0.13, behind: 0.05, beside: 0.01 };
/** Where a nostril is: below the eyes, above the mouth, beside the middle; and how long its rim is. */
const NOSTRIL = { below: 0.02, beside: [0.002, 0.025], length: [0.008, 0.07] };
/** Borders longer than this are ends of skin under clothes, not sockets, and how far off the eye's joint their middle is, metres. */
const LIDS = { longest: 0.2, off: 0.035 };
const EAR = { beside: [0.045, 0.11], off: 0.05, shortest: 0.03 };
/** A seam's middle lies no farther from the joint that it is called by, metres. */
const SEAM = 0.12;
const LEAST_SEAM = 0.1;
/** A nail's middle lies no farther from the joint of its finger, metres. */
const NAIL = 0.05;

/**
 * What is known of a skin by its shape: the line between the lips, rims of eyelids and nostrils, outlines of nails, and the
 * seams between its parts.
 * @param open openness per point
 */
export function namedLoops(skin: Looked, open: ArrayLike<number>): NamedLoop[] {
  return [...ofFace(skin, open), ...ofNails(skin), ...seams(skin)];
}

function ofFace({ mesh, skeleton, roles }: Looked, open: ArrayLike<number>): NamedLoop[] {
  const eyes = (['leftEye', 'rightEye'] as const).map((role) => {
    const joint = roles.get(role);
    return joint === undefined ? null : jointPosition(skeleton, joint);
  });
  if (!eyes[0] || !eyes[1]) return [];
  const [left, right] = eyes,
    middle = left.map((x, k) => (x + right[k]) / 2) as Vec3,
    out: NamedLoop[] = [],
    take = (name: string, loop: Loop | undefined) => {
      if (loop) out.push({ name, loop, holds: true });
    },
    soft = smoothed(mesh, open),
    lips = measured(mesh, isolines(mesh, soft, LIPS))
      .filter(
        ({ middle: [x, y, z] }) =>
          Math.abs(x - middle[0]) < MOUTH.beside &&
          y < middle[1] - MOUTH.below &&
          y > middle[1] - MOUTH.lowest &&
          z > middle[2] - MOUTH.behind,
      )
      .sort((a, b) => b.length - a.length)[0];
  take('Lips', lips?.loop);
  const borders = measured(mesh, borderLoops(mesh)).filter(({ length }) => length < LIDS.longest),
    nearest = (to: Vec3) => {
      const [best] = borders
        .map((one) => ({ ...one, off: distance(one.middle, to) }))
        .filter(({ off }) => off < LIDS.off)
        .sort((a, b) => a.off - b.off);
      return best?.loop;
    };
  take('Eyelids left', nearest(left));
  take('Eyelids right', nearest(right));
  for (const side of ['left', 'right'] as const)
    take(`Ear ${side}`, borders.find((one) => liesAtEar(one, middle, side === 'left' ? 1 : -1))?.loop);
  return [...out, ...nostrilsOf(mesh, soft, middle, lips ? lips.middle[1] + 0.008 : middle[1] - MOUTH.lowest)];
}

/** Rims of nostrils, between the eyes and the mouth; one alone is some other hollow. */
function nostrilsOf(mesh: Mesh, open: ArrayLike<number>, eyes: Vec3, lowest: number): NamedLoop[] {
  const rims = measured(mesh, isolines(mesh, open, NOSTRILS)).filter(({ middle: [x, y, z], length }) => {
      const beside = Math.abs(x - eyes[0]);
      return (
        y < eyes[1] - NOSTRIL.below &&
        y > lowest &&
        z > eyes[2] &&
        beside > NOSTRIL.beside[0] &&
        beside < NOSTRIL.beside[1] &&
        length > NOSTRIL.length[0] &&
        length < NOSTRIL.length[1]
      );
    }),
    widest = (side: number) =>
      rims.filter(({ middle }) => (middle[0] - eyes[0]) * side > 0).sort((a, b) => b.length - a.length)[0]?.loop,
    [left, right] = [widest(1), widest(-1)];
  return left && right
    ? [
        { name: 'Nostril left', loop: left, holds: true },
        { name: 'Nostril right', loop: right, holds: true },
      ]
    : [];
}

/** Where ears are a piece of their own that is put onto a head, their rim is a border. */
const liesAtEar = (
  { middle: [x, y, z], length }: { middle: Vec3; length: number },
  eyes: Vec3,
  side: number,
): boolean =>
  (x - eyes[0]) * side > EAR.beside[0] &&
  (x - eyes[0]) * side < EAR.beside[1] &&
  Math.abs(y - eyes[1]) < EAR.off &&
  z < eyes[2] &&
  length > EAR.shortest;

/** Outlines of nails, as they lie on the skin beneath. */
function ofNails({ mesh, nails, skeleton, roles }: Looked): NamedLoop[] {
  const out: NamedLoop[] = [];
  if (!nails) return out;
  const tree = new FacingTree(mesh.places, mesh.corners),
    ends = [...roles].filter(([role]) => /Distal$/.test(role));
  for (const { loop, middle } of measured(nails, borderLoops(nails))) {
    const best = nearestOf(ends, skeleton, middle),
      name = best && best.off < NAIL ? roleLabel(best.role).replace(' distal', ' nail') : null;
    if (!name || out.some((one) => one.name === name)) continue;
    out.push({ name, loop: loopOn(mesh, tree, placesOfLoop(loop, nails.places)), holds: true });
  }
  return out;
}

/** Where one part of the skin ends, at the neck, the hands and the feet: at a border, or at another part of it. */
function seams({ mesh, deformer, skeleton, roles }: Looked): NamedLoop[] {
  const out: NamedLoop[] = [];
  const ends = [...roles].filter(([role]) => /^(neck|(left|right)(Hand|Foot))$/.test(role));
  for (const { firstVertex, part } of deformer.ranges) {
    const corners: number[] = [];
    for (let t = 0; t < mesh.triangleOf.length; t++) {
      const vertex = deformer.indices[mesh.triangleOf[t] * 3];
      if (vertex >= firstVertex && vertex < firstVertex + part.vertices)
        corners.push(...mesh.corners.subarray(t * 3, t * 3 + 3));
    }
    const around = measured(mesh, borderLoops({ corners: Uint32Array.from(corners), points: mesh.points })).filter(
      ({ length }) => length > LEAST_SEAM,
    );
    for (const { loop, middle } of around) {
      const best = nearestOf(ends, skeleton, middle),
        name = best && best.off < SEAM ? `Seam at ${roleLabel(best.role).toLowerCase()}` : null;
      // The other part's side of it is the same seam.
      if (name && !out.some((one) => one.name === name)) out.push({ name, loop, holds: true });
    }
  }
  return out;
}

/** Which of some joints is nearest to a place. */
function nearestOf(joints: readonly (readonly [HumanoidRole, number])[], skeleton: Skeleton, to: Vec3) {
  return joints
    .map(([role, joint]) => ({ role, off: distance(to, jointPosition(skeleton, joint)) }))
    .sort((a, b) => a.off - b.off)[0] as { role: HumanoidRole; off: number } | undefined;
}

const measured = (mesh: Pick<Mesh, 'places'>, loops: readonly Loop[]) =>
  loops.map((loop) => ({ loop, ...measureLoop(placesOfLoop(loop, mesh.places)) }));
const distance = (a: readonly number[], b: readonly number[]): number =>
  Math.sqrt((a[0] - b[0]) ** 2 + (a[1] - b[1]) ** 2 + (a[2] - b[2]) ** 2);

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
