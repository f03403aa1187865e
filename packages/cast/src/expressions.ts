import type { Traits } from './head/traits.ts';

/** A morph of the head as a change of traits; `side` keeps only one half. */
export interface Expression {
  name: string;
  change: Partial<Traits>;
  side?: 'l' | 'r';
}

const sided = (name: string, change: Partial<Traits>): Expression[] => [
  { name, change },
  { name: `${name}_l`, change, side: 'l' },
  { name: `${name}_r`, change, side: 'r' },
];

/** Expressions, visemes and likeness dials of figure format Tessel. */
export const EXPRESSIONS: readonly Expression[] = [
  ...sided('blink', { blink: 1 }),
  ...sided('smile', { smile: 1 }),
  ...sided('brow_up', { browLift: 4, glab: 0.6 }),
  ...sided('brow_down', { browLift: -3.5, glab: 2.2, brow: 1.35 }),
  ...sided('squint', { lidUp: 3, lidLo: 3.6, tear: 1.4 }),
  ...sided('eye_wide', { lidUp: 6.2, lidLo: 5.9 }),
  // Lids follow where the eyes look; the eyes themselves turn in their own parts.
  { name: 'gaze_up', change: { lidUp: 5.1 } },
  { name: 'gaze_down', change: { lidUp: 3.4 } },
  ...sided('cheek_puff', { cheekFat: 1 }),
  ...sided('sneer', { nasolabial: 1.5, noseW: 1.12, tipUp: 1.2 }),
  { name: 'jaw_open', change: { jawOpen: 1 } },
  { name: 'jaw_half', change: { jawOpen: 0.5 } },
  { name: 'say_aa', change: { jawOpen: 0.75, lipFull: 0.92 } },
  { name: 'say_oh', change: { jawOpen: 0.5, mouthW: 20.5, lipFull: 1.25 } },
  { name: 'say_oo', change: { jawOpen: 0.18, mouthW: 18, lipFull: 1.45 } },
  { name: 'say_ee', change: { jawOpen: 0.15, mouthW: 28, smile: 0.35 } },
  { name: 'say_mm', change: { lipFull: 0.6 } },
  { name: 'say_ff', change: { jawOpen: 0.08, lipFull: 0.75, mouthW: 24 } },
  { name: 'say_ch', change: { jawOpen: 0.12, mouthW: 21, lipFull: 1.3 } },
  { name: 'say_ww', change: { jawOpen: 0.1, mouthW: 18.4, lipFull: 1.5 } },
  { name: 'say_er', change: { jawOpen: 0.25, mouthW: 23 } },
  { name: 'say_dd', change: { jawOpen: 0.2, mouthW: 26 } },
  ...sided('cheek_raise', { cheekFat: 0.45, lidLo: 4.3 }),
  { name: 'surprise', change: { browLift: 4, lidUp: 6, jawOpen: 0.4 } },
  { name: 'worry', change: { browLift: 2.5, glab: 1.7 } },
  { name: 'wince', change: { lidUp: 3.3, browLift: -2, cheekFat: 0.3 } },
  { name: 'tired', change: { lidUp: 3.6, eyebag: 0.9, hood: 1 } },
  { name: 'lips_thin', change: { lipFull: 0.5 } },
  { name: 'pucker', change: { mouthW: 18.5, lipFull: 1.4 } },
  { name: 'lips_wide', change: { mouthW: 28.5 } },
  { name: 'frown', change: { marion: 1.2, chin: 1.5, nasolabial: 0.9 } },
  { name: 'age', change: { wrinkle: 1, tear: 1.8, nasolabial: 1.1, eyebag: 1, marion: 1 } },
  { name: 'jowls', change: { jowl: 0.9, submental: 0.7 } },
  { name: 'nose_broad', change: { noseW: 1.25 } },
  { name: 'nose_long', change: { noseL: 1.12, noseP: 1.1 } },
  { name: 'nose_bridge', change: { bridge: 1.35 } },
  { name: 'cheekbones', change: { cheekbone: 2.2 } },
  { name: 'chin_strong', change: { chin: 2, jaw: 1.06 } },
  { name: 'jaw_broad', change: { jaw: 1.12 } },
  { name: 'face_narrow', change: { faceW: 0.93 } },
  { name: 'lids_heavy', change: { hood: 1.6, crease: 3 } },
  { name: 'brow_heavy', change: { brow: 2, glab: 1.8 } },
  { name: 'temples_hollow', change: { temple: 2.2 } },
  { name: 'neck_strong', change: { scm: 1.8, neckW: 1.06 } },
];
