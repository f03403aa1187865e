import type { HumanoidRole, Station, Target } from '@dimetra/core';
import type { Shows } from './load-model.ts';
import { movementOf } from './movements.ts';
import { isJointsAlone, type StatedReport } from './open-package.ts';

/** What another loader made of a package, as it stands on the quay: facts only. */
export interface Facts {
  /** Width, height, depth at rest, metres. */
  sizeM: [number, number, number];
  /** Lowest point at rest over the ground, metres. */
  lowestM: number;
  /** Where its front looks, by its joints: 1 straight ahead (+Z), −1 backwards; null where that can't be told. */
  ahead: number | null;
  joints: number;
  roles: HumanoidRole[];
  clips: { name: string; unbound: number }[];
  morphs: string[];
  materials: { name: string; maps: { slot: string; width: number; height: number }[] }[];
  /** What the loader has of a figure at all. */
  shows: Shows;
  /** Levels of detail behind the nearest, as the loader finds them. */
  levels: { n: number; fromM: number; triangles: number }[];
  missingFiles: string[];
  /** How low the soles come in each motion of its own, metres over the ground. */
  soles: { motion: string; lowestM: number }[];
  cost: Cost;
}
/** What it asks of a machine. */
export interface Cost {
  triangles: number;
  materials: number;
  drawCalls: number;
  textureMB: number;
}

export interface Fault {
  code: string;
  /** Station where it is mended. */
  station: Station;
  title: string;
  message: string;
}

/** Heights that nobody has, metres: another unit. */
const LEAST_M = 0.4,
  MOST_M = 4;
/** How far soles may be from the ground, metres: more is seen. */
const SOLES_M = 0.03;
const MOST_NAMED = 5;
/** Joints that motions made elsewhere speak to. */
const PLAYED: readonly HumanoidRole[] = [
  'hips',
  'spine',
  'head',
  ...(['left', 'right'] as const).flatMap((side): HumanoidRole[] => [
    `${side}UpperArm`,
    `${side}LowerArm`,
    `${side}Hand`,
    `${side}UpperLeg`,
    `${side}LowerLeg`,
    `${side}Foot`,
  ]),
];

const list = (names: readonly string[]): string =>
  `${names
    .slice(0, MOST_NAMED)
    .map((name) => `“${name}”`)
    .join(', ')}${names.length > MOST_NAMED ? ` and ${names.length - MOST_NAMED} more` : ''}`;
const cm = (metres: number): string => (metres * 100).toFixed(1);

/** What is wrong with a figure where it will stand, with the station that mends it. */
export function faultsOf(facts: Facts, stated: StatedReport | null, target: Target | null): Fault[] {
  return [
    ...(isJointsAlone(stated) ? [] : stature(facts, target)),
    ...missing(facts, stated),
    ...furtherLevels(facts, stated),
    ...ground(facts),
    ...white(facts, stated),
    ...tooMuch(facts.cost, target),
  ];
}

function stature({ sizeM: [width, height, depth], ahead }: Facts, target: Target | null): Fault[] {
  const out: Fault[] = [],
    tallest = Math.max(width, height, depth);
  if (!(tallest > 0))
    return [
      {
        code: 'nothing-drawn',
        station: 'deliver',
        title: 'Nothing is drawn',
        message: 'The loader finds no surface to draw.',
      },
    ];
  if (tallest < LEAST_M || tallest > MOST_M)
    out.push({
      code: 'unit',
      station: 'intake',
      title: 'Wrong unit',
      message: `It stands ${tallest < 1 ? `${cm(tallest)} cm` : `${tallest.toFixed(1)} m`} tall beside a person of 1.75 m. Say at Intake what one unit is${target?.package.unitMetres ? ', or in the target' : ''}.`,
    });
  else if (target && height > 1.2 * depth && (height * 100 < target.heightCm.min || height * 100 > target.heightCm.max))
    out.push({
      code: 'height',
      station: 'intake',
      title: 'Height',
      message: `It is ${cm(height)} cm tall; ${target.title} wants ${target.heightCm.min} to ${target.heightCm.max} cm.`,
    });
  // Arms out are as wide as one is tall: only the depth tells.
  if (depth > height * 1.2)
    out.push({
      code: 'lying',
      station: 'intake',
      title: 'Lying down',
      message: 'It lies on the quay: another axis points up. Say at Intake which one, or in the target.',
    });
  if (ahead !== null && ahead < 0)
    out.push({
      code: 'backwards',
      station: 'intake',
      title: 'Walks backwards',
      message: 'Its back is where it goes. Say at Intake where it faces.',
    });
  return out;
}

function missing({ clips, morphs, joints, roles, missingFiles, shows }: Facts, stated: StatedReport | null): Fault[] {
  const out: Fault[] = [],
    { result } = stated ?? {},
    there = new Set(clips.map(({ name }) => name)),
    named = (result?.clips ?? []).map(({ name }) => name),
    lost =
      shows.clips === 'named'
        ? named.filter((name) => !there.has(name))
        : shows.clips === 'any' && !clips.length
          ? named
          : [],
    unbound = clips.filter((clip) => clip.unbound > 0),
    dials = new Set(morphs),
    gone = shows.morphs ? (result?.morphTargets ?? []).filter((name) => !dials.has(name)) : [];
  if (missingFiles.length)
    out.push({
      code: 'files',
      station: 'deliver',
      title: 'Files are missing',
      message: `The model asks for ${list(missingFiles)}, which the package doesn't hold.`,
    });
  if (lost.length)
    out.push({
      code: 'clips',
      station: 'motion',
      title: 'Clips are missing',
      message: `The report names ${list(lost)}; the loader finds ${lost.length === 1 ? 'no such clip' : 'no such clips'}.`,
    });
  if (unbound.length)
    out.push({
      code: 'unbound',
      station: 'motion',
      title: 'Clips move nothing',
      message: `Channels of ${list(unbound.map(({ name }) => name))} find no joint of their name.`,
    });
  if (gone.length)
    out.push({
      code: 'morphs',
      station: 'morphs',
      title: 'Morphs are missing',
      message: `The report names ${list(gone)}; the loader finds ${gone.length === 1 ? 'no such morph' : 'no such morphs'}.`,
    });
  const has = new Set<string>(roles),
    without = joints ? PLAYED.filter((role) => !has.has(role)) : [];
  if (without.length)
    out.push({
      code: 'joints',
      station: 'skeleton',
      title: 'Joints nobody knows',
      message: `No joint is known as ${list(without)}: motions made elsewhere leave them still.`,
    });
  return out;
}

/** Levels that the report states, and the loader doesn't find as they should be. */
function furtherLevels({ levels, cost }: Facts, stated: StatedReport | null): Fault[] {
  const lost = (stated?.levels ?? []).filter(({ n }) => !levels.some((found) => found.n === n && found.triangles > 0)),
    heavy = levels.filter(({ triangles }) => triangles >= cost.triangles);
  return [
    ...(lost.length
      ? [
          {
            code: 'levels',
            station: 'deliver' as const,
            title: 'Levels of detail are missing',
            message: `The report names level ${lost.map(({ n }) => n).join(', ')}; the loader finds no such level in the package.`,
          },
        ]
      : []),
    ...(heavy.length
      ? [
          {
            code: 'levels-heavy',
            station: 'reduce' as const,
            title: 'Levels of detail that save nothing',
            message: `Level ${heavy.map(({ n }) => n).join(', ')} has no fewer triangles than the nearest.`,
          },
        ]
      : []),
  ];
}

function ground({ lowestM, soles, sizeM }: Facts): Fault[] {
  const out: Fault[] = [],
    // What has another unit or lies down has been told of already.
    person = sizeM[1] > LEAST_M && sizeM[1] < MOST_M && sizeM[2] <= sizeM[1] * 1.2;
  if (person && Math.abs(lowestM) > SOLES_M)
    out.push({
      code: 'floor',
      station: 'intake',
      title: lowestM < 0 ? 'Stands in the floor' : 'Stands over the floor',
      message: `At rest its lowest point is ${cm(Math.abs(lowestM))} cm ${lowestM < 0 ? 'below' : 'above'} the ground. Stand it on the floor at Intake.`,
    });
  for (const { motion, lowestM: low } of person ? soles : []) {
    // Who swims or sits may be anywhere over the ground; who walks may not.
    if (low >= -SOLES_M && (low <= SOLES_M || !movementOf(motion))) continue;
    out.push({
      code: `soles ${motion}`,
      station: 'motion',
      title: low < 0 ? 'Feet in the floor' : 'Feet over the floor',
      message: `In “${motion}” the soles come ${low < 0 ? `${cm(-low)} cm under the ground` : `no nearer to the ground than ${cm(low)} cm`}.`,
    });
  }
  return out;
}

/** Slots that the report says have a map, and the loader shows without. */
function white({ materials }: Facts, stated: StatedReport | null): Fault[] {
  const bare = new Map<string, string[]>();
  for (const { name, maps = {} } of stated?.result?.materials ?? []) {
    const found = materials.find((material) => material.name === name);
    if (!found) continue;
    const shown = new Set(found.maps.filter(({ width, height }) => width > 0 && height > 0).map(({ slot }) => slot));
    for (const slot of SHOWN_SLOTS)
      if (slot in maps && !shown.has(slot)) bare.set(slot, [...(bare.get(slot) ?? []), name]);
  }
  return [...bare].map(([slot, names]) => ({
    code: `white ${slot}`,
    station: 'textures',
    title: slot === 'baseColor' ? 'White' : `Without its ${SLOT_WORDS[slot] ?? slot}`,
    message: `${list(names)} ${names.length === 1 ? 'comes' : 'come'} without the map of ${SLOT_WORDS[slot] ?? slot} that the report names: it is not in the package, or can't be opened there.`,
  }));
}
const SLOT_WORDS: Record<string, string> = { baseColor: 'colours', normal: 'normals' };
/** Channels that every loader here has a place for. */
const SHOWN_SLOTS: readonly string[] = ['baseColor', 'normal'];

function tooMuch(cost: Cost, target: Target | null): Fault[] {
  if (!target) return [];
  const over = (code: string, what: string, measured: number, limit: number | undefined, station: Station): Fault[] =>
    limit !== undefined && measured > limit
      ? [
          {
            code,
            station,
            title: `More ${what} than allowed`,
            message: `As it is drawn it has ${measured.toLocaleString('en-GB', { maximumFractionDigits: 1 })} ${what}; ${target.title} allows ${limit.toLocaleString('en-GB')}.`,
          },
        ]
      : [];
  return [
    ...over('triangles', 'triangles', cost.triangles, target.triangles.max, 'reduce'),
    ...over('materials', 'materials', cost.materials, target.materials.max, 'materials'),
    ...over('texture-memory', 'MB of textures', cost.textureMB, target.textures.maxMemoryMB, 'textures'),
  ];
}
