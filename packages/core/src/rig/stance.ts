import type { Document } from '@gltf-transform/core';
import {
  createDeformer,
  jointPosition,
  readDossier,
  skeletonOf,
  type HumanoidRole,
  type Skeleton,
} from '../character/index.ts';
import { cross, sub, type Vec3 } from '../geometry/index.ts';
import { jointRoles, roleIndex } from './roles.ts';
import { soundCopy } from './broken-binds.ts';
import { bodyAxes } from './body-axes.ts';
import { skeletonFrame } from './skeleton-axes.ts';
import { stageThings } from './stage-things.ts';

export type UpAxis = 'x' | 'y' | 'z' | '-x' | '-y' | '-z';
/** Where a figure may look once it stands upright. */
export const FACINGS = ['+z', '-z', '+x', '-x'] as const;
export const UP_AXES: readonly UpAxis[] = ['y', 'z', 'x', '-y', '-z', '-x'];

export interface Stance {
  upAxis: UpAxis;
  unitMetres: number;
  /** Once it stands upright. */
  facing: (typeof FACINGS)[number];
  /** Along the up axis, with the unit found. */
  heightCm: number;
  /** Lowest point above the floor. */
  lowestCm: number;
  evidence: string[];
  /** Set where nothing tells the facing and the format's habit was taken. */
  facingUnsure?: true;
}

/** Units that occur: metre, centimetre, inch, foot, decimetre, the 0.45 to an inch that captured motion is often kept in, millimetre, and a scene a hundred times too small. */
const UNITS: readonly [number, string][] = [
  [1, 'metres'],
  [0.01, 'centimetres'],
  [0.0254, 'inches'],
  [0.3048, 'feet'],
  [0.1, 'decimetres'],
  [0.0254 / 0.45, 'units of 5.64 cm, as captured motion often has them,'],
  [0.001, 'millimetres'],
  [100, 'hundreds of metres'],
];
/** An adult stands between these, centimetres. */
export const ADULT_CM = [140, 210] as const;
const ADULT = [ADULT_CM[0] / 100, ADULT_CM[1] / 100] as const;

/**
 * Unit, up axis, facing and floor from the body's own proportions and joints. What the file declares is believed
 * where the body agrees: glTF declares metres and Y up, COLLADA says its own.
 */
export function measureStance(document: Document): Stance {
  const aside = new Set(stageThings(document).map(({ part }) => part.id));
  const deformer = createDeformer(soundCopy(document), (part) => !aside.has(part.id), false);
  const joints = Float32Array.from(deformer.skeleton.joints.flatMap((_, i) => jointPosition(deformer.skeleton, i)));
  // A skeleton without a mesh is as tall as its joints reach.
  const points = deformer.vertices ? deformer.evaluate(new Float32Array(deformer.vertices * 3)) : joints;
  const evidence: string[] = [];
  const { declared } = readDossier(document);
  const skeleton = skeletonOf(document),
    likely = declared ? declared.upAxis : 'y';
  const frame =
    frameByJoints(document, skeleton, evidence) ??
    (deformer.vertices ? null : frameByBones(skeleton, likely, evidence)) ??
    frameByBody(points, likely, evidence);
  const extent = extentAlong(points, frame.up);
  const unit = findUnit(extent.high - extent.low, declared?.unitMetres, evidence);
  const upAxis = axisName(frame.up) as UpAxis;
  const facing = facingAfter(upAxis, frame.forward);
  if (declared && declared.upAxis !== upAxis)
    evidence.push(`The file says ${declared.upAxis.toUpperCase()} is up; the body says ${upAxis.toUpperCase()}.`);
  return {
    upAxis,
    unitMetres: unit,
    facing,
    ...(frame.unsure && { facingUnsure: true as const }),
    heightCm: round((extent.high - extent.low) * unit * 100),
    lowestCm: Number.isFinite(extent.low) ? round(extent.low * unit * 100) : 0,
    evidence,
  };
}

const round = (x: number): number => (Number.isFinite(x) ? Math.round(x * 100) / 100 : 0);

function findUnit(height: number, declared: number | undefined, evidence: string[]): number {
  const name = (metres: number) =>
    UNITS.find(([value]) => Math.abs(value / metres - 1) < 1e-3)?.[1] ?? `units of ${metres} m`;
  const first = declared ?? 1;
  const said = `${Number(height.toPrecision(4))} units read as`;
  const fits = (metres: number, slack: number) =>
    height * metres >= ADULT[0] * (1 - slack) && height * metres <= ADULT[1] * (1 + slack);
  if (fits(first, 0.28) || !(height > 0)) {
    evidence.push(
      `${said} ${name(first)} give ${(height * first * 100).toFixed(1)} cm, as the ${declared ? 'file' : 'format'} declares.`,
    );
    return first;
  }
  const found = UNITS.find(([metres]) => fits(metres, 0)) ?? UNITS.find(([metres]) => fits(metres, 0.28));
  if (!found) {
    evidence.push(
      `${said} ${name(first)} give ${(height * first * 100).toFixed(1)} cm, which no adult is; no usual unit fits better.`,
    );
    return first;
  }
  evidence.push(
    `${said} ${found[1]} give ${(height * found[0] * 100).toFixed(1)} cm; an adult stands ${ADULT_CM.join(' to ')} cm.`,
  );
  return found[0];
}

interface Frame {
  up: Vec3;
  forward: Vec3;
  unsure?: boolean;
}

/** From joints whose role is known: the head is above the hips, the left limbs lie to the left. */
function frameByJoints(
  document: Document,
  skeleton: ReturnType<typeof createDeformer>['skeleton'],
  evidence: string[],
): Frame | null {
  // Roles told by shape take for granted that the figure stands; here only names count.
  const found = roleIndex(
    jointRoles(document, skeleton).map((role) =>
      role.reason.includes('name') || role.reason.includes('hand') || role.reason.includes('file')
        ? role
        : { ...role, role: 'unknown' as const },
    ),
  );
  const at = (role: HumanoidRole): Vec3 | null => {
    const i = found.get(role);
    return i === undefined ? null : jointPosition(skeleton, i);
  };
  const head = at('head') ?? at('neck'),
    hips = at('hips') ?? at('spine');
  if (!head || !hips) return null;
  const up = nearestAxis(sub(head, hips));
  if (!up) return null;
  const across: Vec3 = [0, 0, 0];
  for (const limb of ['UpperArm', 'UpperLeg', 'Foot', 'Hand', 'Shoulder'] as const) {
    const left = at(`left${limb}`),
      right = at(`right${limb}`);
    if (left && right) {
      const d = sub(left, right);
      for (let k = 0; k < 3; k++) across[k] += d[k];
    }
  }
  evidence.push(`The head lies above the hips along ${axisName(up).toUpperCase()}.`);
  const toes = toeDirection(at, up);
  const bySide = nearestAxis(cross(across, up));
  const forward = toes ?? bySide;
  if (toes) evidence.push(`The toes point to ${signed(toes)}.`);
  else if (bySide) evidence.push(`The left limbs lie to the left when it looks to ${signed(bySide)}.`);
  else evidence.push('No joint tells the facing; it is taken as the format declares.');
  if (toes && bySide && !same(toes, bySide))
    evidence.push('The joints called left lie on the right: the figure may be mirrored.');
  return { up, forward: forward ?? defaultForward(up), unsure: !forward };
}

function toeDirection(at: (role: HumanoidRole) => Vec3 | null, up: Vec3): Vec3 | null {
  const sum: Vec3 = [0, 0, 0];
  for (const side of ['left', 'right'] as const) {
    const toe = at(`${side}Toes`),
      ankle = at(`${side}Foot`);
    if (!toe || !ankle) continue;
    const d = sub(toe, ankle);
    for (let k = 0; k < 3; k++) if (up[k] === 0) sum[k] += d[k];
  }
  return nearestAxis(sum);
}

/** From where the joints of a bare skeleton lie, whatever they are called. */
function frameByBones(skeleton: Skeleton, declared: 'x' | 'y' | 'z', evidence: string[]): Frame | null {
  const found = skeletonFrame(skeleton, axisOf(declared));
  if (!found) return null;
  evidence.push(
    `The joints make a body that stands along ${axisName(found.up).toUpperCase()}.`,
    found.forward
      ? `Toes, knees and elbows say that it looks to ${signed(found.forward)}.`
      : 'Neither toes nor knees nor elbows tell which way it looks; that is taken as the format has it, and not sure.',
  );
  return { up: found.up, forward: found.forward ?? defaultForward(found.up), unsure: !found.forward };
}

/** From the shape alone: one head, two feet, soles that reach in front of the ankles. */
function frameByBody(points: Float32Array, declared: 'x' | 'y' | 'z', evidence: string[]): Frame {
  const found = bodyAxes(points);
  if (!found) {
    evidence.push(`The shape tells neither up nor front; ${declared.toUpperCase()} is taken as up.`);
    const up = axisOf(declared);
    return { up, forward: defaultForward(up), unsure: true };
  }
  evidence.push(
    `One head at one end and two feet at the other lie along ${axisName(found.up).toUpperCase()}.`,
    found.forward
      ? `The soles reach out to ${signed(found.forward)} of the ankles.`
      : "The feet don't tell the facing; it is taken as the format declares.",
  );
  return { up: found.up, forward: found.forward ?? defaultForward(found.up), unsure: !found.forward };
}

const axisOf = (name: 'x' | 'y' | 'z'): Vec3 => (name === 'x' ? [1, 0, 0] : name === 'y' ? [0, 1, 0] : [0, 0, 1]);
/** With Y up figures look to +Z, with Z up to −Y, as most programs have it. */
const defaultForward = (up: Vec3): Vec3 =>
  up[1] !== 0 ? [0, 0, 1] : up[2] !== 0 ? [0, -Math.sign(up[2]), 0] : [0, 0, 1];
const same = (a: Vec3, b: Vec3): boolean => a[0] === b[0] && a[1] === b[1] && a[2] === b[2];

/** The signed axis a direction lies nearest to; null where it is short. */
export function nearestAxis(d: ArrayLike<number>): Vec3 | null {
  let best = 0;
  for (let k = 1; k < 3; k++) if (Math.abs(d[k]) > Math.abs(d[best])) best = k;
  if (!(Math.abs(d[best]) > 1e-9)) return null;
  const out: Vec3 = [0, 0, 0];
  out[best] = Math.sign(d[best]);
  return out;
}

function axisName(v: Vec3): string {
  const k = v.findIndex((x) => x !== 0);
  return `${v[k] < 0 ? '-' : ''}${'xyz'[k]}`;
}
const signed = (v: Vec3): string => {
  const name = axisName(v);
  return (name.startsWith('-') ? name : `+${name}`).toUpperCase();
};

function extentAlong(points: Float32Array, up: Vec3): { low: number; high: number } {
  const k = up.findIndex((x) => x !== 0);
  let low = Infinity,
    high = -Infinity;
  for (let i = k; i < points.length; i += 3) {
    const value = points[i] * up[k];
    if (value < low) low = value;
    if (value > high) high = value;
  }
  return high >= low ? { low, high } : { low: 0, high: 0 };
}

/** Where a direction of the file points once the up axis stands upright; the same turns as the step makes. */
function facingAfter(up: UpAxis, [x, y, z]: Vec3): Stance['facing'] {
  const turned: Record<UpAxis, Vec3> = {
    y: [x, y, z],
    '-y': [x, -y, -z],
    z: [x, z, -y],
    '-z': [x, -z, y],
    x: [-y, x, z],
    '-x': [y, -x, z],
  };
  const [fx, , fz] = turned[up];
  return Math.abs(fz) >= Math.abs(fx) ? (fz >= 0 ? '+z' : '-z') : fx > 0 ? '+x' : '-x';
}
