import type { HumanoidRole } from '../character/index.ts';
import { parseFigure, type Figure } from './figure.ts';
import { between, NEUTRAL_HEIGHT, NEUTRAL_PLACES as AT, type Place } from './neutral-body.ts';

/**
 * Humanoid animation figures after ISO/IEC 19774-1:2019 (H-Anim), levels of articulation 1 to 4, with the standard's
 * joint names and hierarchy. Its rest is upright with the arms at the sides and joint axes along the body's.
 */
type Row = [name: string, parent: string | null, role: string, at: Place];

const SPINE = [
  'vl5',
  'vl4',
  'vl3',
  'vl2',
  'vl1',
  ...Array.from({ length: 12 }, (_, i) => `vt${12 - i}`),
  ...Array.from({ length: 7 }, (_, i) => `vc${7 - i}`),
];
/** Spine joints of each level, and what they are called as humanoid roles. */
const SPINE_OF: readonly (readonly string[])[] = [
  ['vl5'],
  ['vl5', 'vl3', 'vl1', 'vt10', 'vt6', 'vt1', 'vc4', 'vc2'],
  SPINE,
  SPINE,
];
const SPINE_ROLE: Readonly<Record<string, string>> = { vl5: 'spine', vt10: 'chest', vt6: 'upperChest' };

function spinePlace(name: string): Place {
  const i = SPINE.indexOf(name),
    neck = SPINE.indexOf('vc7');
  if (i >= neck) return between(AT.neck, AT.head, (i - neck) / 7);
  // Lumbar, then thoracic vertebrae, at even steps from the sacrum's top to the neck.
  return between(AT.spine, AT.neck, i / neck);
}

function trunk(level: number): Row[] {
  const rows: Row[] = [
    ['humanoid_root', null, 'hips', AT.hips],
    ['sacroiliac', 'humanoid_root', 'helper', [0, 0.94, -0.01]],
  ];
  let parent = 'humanoid_root';
  const neck = level === 2 ? 'vc4' : 'vc7';
  for (const name of SPINE_OF[level - 1]) {
    rows.push([name, parent, SPINE_ROLE[name] ?? (name === neck ? 'neck' : 'extra'), spinePlace(name)]);
    parent = name;
  }
  rows.push(['skullbase', parent, 'head', AT.head]);
  if (level >= 3) rows.push(['temporomandibular', 'skullbase', 'jaw', AT.jaw]);
  return rows;
}

const DIGITS = ['Thumb', 'Index', 'Middle', 'Ring', 'Little'] as const;

function side(level: number, s: 'l' | 'r'): Row[] {
  const left = s === 'l',
    named = left ? 'left' : 'right';
  const at = (role: string): Place => AT[`${named}${role}` as HumanoidRole];
  const role = (name: string) => `${named}${name}`;
  const rows: Row[] = [];
  const put = (name: string, parent: string, part: string, place: Place) => {
    rows.push([
      `${s}_${name}`,
      /^(sacroiliac|skullbase|vt1|vl5)$/.test(parent) ? parent : `${s}_${parent}`,
      part,
      place,
    ]);
  };
  put('hip', 'sacroiliac', role('UpperLeg'), at('UpperLeg'));
  put('knee', 'hip', role('LowerLeg'), at('LowerLeg'));
  put('talocrural', 'knee', role('Foot'), at('Foot'));
  const heel = at('Foot'),
    ball = at('Toes');
  if (level === 1) put('tarsometatarsal_2', 'talocrural', role('Toes'), ball);
  else if (level < 4) {
    put('talocalcaneonavicular', 'talocrural', 'helper', between(heel, ball, 0.2));
    put('tarsometatarsal_2', 'talocalcaneonavicular', 'helper', between(heel, ball, 0.55));
    put('metatarsophalangeal_2', 'tarsometatarsal_2', role('Toes'), ball);
  } else {
    put('talocalcaneonavicular', 'talocrural', 'helper', between(heel, ball, 0.2));
    put('calcaneocuboid', 'talocalcaneonavicular', 'helper', spread(between(heel, ball, 0.32), left, 4));
    put('transversetarsal', 'calcaneocuboid', 'helper', spread(between(heel, ball, 0.4), left, 4));
    for (let n = 1; n <= 3; n++)
      put(`cuneonavicular_${n}`, 'talocalcaneonavicular', 'helper', spread(between(heel, ball, 0.4), left, n));
    for (let n = 1; n <= 5; n++) {
      put(
        `tarsometatarsal_${n}`,
        n <= 3 ? `cuneonavicular_${n}` : 'transversetarsal',
        'helper',
        spread(between(heel, ball, 0.55), left, n),
      );
      put(
        `metatarsophalangeal_${n}`,
        `tarsometatarsal_${n}`,
        n === 2 ? role('Toes') : 'helper',
        n === 2 ? ball : spread(ball, left, n),
      );
      const toe = (t: number): Place => {
        const [x, y, z] = spread(ball, left, n);
        return [x, y - 0.004 * t, z + 0.028 * t];
      };
      if (n === 1) put('tarsal_interphalangeal_1', 'metatarsophalangeal_1', 'helper', toe(1));
      else {
        put(`tarsal_proximal_interphalangeal_${n}`, `metatarsophalangeal_${n}`, 'helper', toe(0.8));
        put(`tarsal_distal_interphalangeal_${n}`, `tarsal_proximal_interphalangeal_${n}`, 'helper', toe(1.4));
      }
    }
  }
  const chest = level === 1 ? 'vl5' : 'vt1';
  if (level >= 2) {
    put('sternoclavicular', chest, role('Shoulder'), at('Shoulder'));
    put('acromioclavicular', 'sternoclavicular', 'helper', between(at('Shoulder'), at('UpperArm'), 0.85));
  }
  put('shoulder', level >= 2 ? 'acromioclavicular' : chest, role('UpperArm'), at('UpperArm'));
  put('elbow', 'shoulder', role('LowerArm'), at('LowerArm'));
  put('radiocarpal', 'elbow', role('Hand'), at('Hand'));
  if (level >= 2)
    DIGITS.forEach((digit, i) => {
      const n = i + 1,
        first = at(`${digit}${i ? 'Proximal' : 'Metacarpal'}`);
      const carpal = level === 4 ? `midcarpal_${n > 3 ? '4_5' : n}` : 'radiocarpal';
      if (level === 4 && n < 5) put(carpal, 'radiocarpal', 'helper', between(at('Hand'), first, 0.15));
      put(
        `carpometacarpal_${n}`,
        carpal,
        i ? 'helper' : role('ThumbMetacarpal'),
        i ? between(at('Hand'), first, 0.3) : first,
      );
      put(
        `metacarpophalangeal_${n}`,
        `carpometacarpal_${n}`,
        role(i ? `${digit}Proximal` : 'ThumbProximal'),
        i ? first : at('ThumbProximal'),
      );
      if (!i) put('carpal_interphalangeal_1', 'metacarpophalangeal_1', role('ThumbDistal'), at('ThumbDistal'));
      else {
        put(
          `carpal_proximal_interphalangeal_${n}`,
          `metacarpophalangeal_${n}`,
          role(`${digit}Intermediate`),
          at(`${digit}Intermediate`),
        );
        put(
          `carpal_distal_interphalangeal_${n}`,
          `carpal_proximal_interphalangeal_${n}`,
          role(`${digit}Distal`),
          at(`${digit}Distal`),
        );
      }
    });
  if (level >= 3) {
    const eye = at('Eye');
    put('eyelid_joint', 'skullbase', 'face', [eye[0], eye[1] + 0.002, eye[2]]);
    put('eyeball_joint', 'skullbase', role('Eye'), eye);
    put('eyebrow_joint', 'skullbase', 'face', [eye[0], eye[1] + 0.02, eye[2] + 0.015]);
  }
  return rows;
}

/** Toes and small bones of the foot lie beside each other: number 2 in the middle line, 1 inside, 5 outside. */
function spread([x, y, z]: Place, left: boolean, n: number): Place {
  return [x + (left ? 1 : -1) * 0.014 * (n - 2), y, z];
}

export function hanimFigure(level: 1 | 2 | 3 | 4): Figure {
  const rows = [...trunk(level), ...side(level, 'l'), ...side(level, 'r')];
  return parseFigure({
    schema: 1,
    id: `h-anim-${level}`,
    title: `H-Anim level ${level}`,
    note: `Joint names and hierarchy of ISO/IEC 19774-1, level of articulation ${level}.`,
    heightM: NEUTRAL_HEIGHT,
    joints: rows.map(([name, parent, role, at]) => ({ name, parent, role, at })),
  });
}
