import { AVERAGE_BODY, type Physique } from './body/anatomy.ts';
import { AVERAGE_PROPORTIONS, type Proportions, type Reshape, reshape } from './body/proportions.ts';
import type { Traits } from './head/traits.ts';
import type { HairStyle, SkinTone } from './looks.ts';
import type { GarmentName } from './body/wardrobe.ts';

export type PersonId = 'harbour-pilot' | 'deckhand' | 'rescue-swimmer' | 'port-signaller' | 'crane-operator';

/** One made-up person of Vell Sund: what the generator needs to tell them from the others. */
export interface Person {
  id: PersonId;
  name: string;
  traits: Partial<Traits>;
  tone: SkinTone;
  /** Iris, sRGB. */
  iris: readonly [number, number, number];
  hair: { style: HairStyle; color: readonly [number, number, number] };
  wears: readonly GarmentName[];
  /** Figure format: decides grid, rest pose, joint names and texture layout. */
  figure: 'Tessel' | 'Corvane';
  /** Height as a factor of 179 cm. */
  height: number;
  /** Stouter above 0, slimmer below, metres outwards at the belly. */
  girth: number;
  /** Build under the clothes, where it differs from the average. */
  physique?: Partial<Physique>;
  /** Lengths and breadths that differ from the average; without any, the average itself. */
  proportions?: Partial<Proportions>;
  /** Colours of garments that differ from the usual, sRGB. */
  colors?: Partial<Record<GarmentName, readonly [number, number, number]>>;
  /** Files are named after this. */
  prefix: string;
}

export const PEOPLE: readonly Person[] = [
  {
    id: 'harbour-pilot',
    name: 'Harbour pilot',
    figure: 'Tessel',
    prefix: 'pilot',
    height: 1,
    girth: 0,
    traits: {
      brow: 1.15,
      glab: 0.8,
      noseW: 1.04,
      bridge: 1.08,
      jaw: 1.04,
      chin: 1.15,
      cheekbone: 1.15,
      nasolabial: 0.5,
      tear: 0.9,
      lipFull: 0.85,
      larynx: 1.1,
      scm: 1.15,
      asym: 0.6,
    },
    tone: {
      base: [0.47, 0.29, 0.205],
      lip: [0.42, 0.195, 0.16],
      brow: [0.085, 0.06, 0.045],
      stubble: 0.55,
      freckles: 0.35,
    },
    iris: [0.36, 0.46, 0.5],
    hair: { style: 'cropped', color: [0.27, 0.2, 0.145] },
    wears: ['jacket', 'trousers', 'boots', 'beanie', 'vest', 'hands'],
  },
  {
    id: 'deckhand',
    name: 'Deckhand',
    figure: 'Tessel',
    prefix: 'deckhand',
    height: 0.985,
    girth: 0.004,
    physique: { muscle: 1.06, chest: 1.03 },
    // Stocky: short limbs on a broad, deep trunk.
    proportions: {
      thigh: 0.93,
      shin: 0.93,
      trunk: 1.04,
      neck: 0.86,
      head: 1.03,
      shoulders: 1.06,
      hips: 1.02,
      depth: 1.05,
      upperArm: 0.95,
      forearm: 0.94,
      hand: 1.04,
      foot: 1.02,
    },
    traits: {
      faceW: 1.02,
      brow: 0.9,
      glab: 0.5,
      noseW: 1.2,
      noseP: 0.94,
      bridge: 0.78,
      lipFull: 1.3,
      mouthW: 26.5,
      cheekbone: 1.35,
      jaw: 0.98,
      chin: 0.9,
      nasolabial: 0.3,
      tear: 0.5,
      lidUp: 4.5,
      cantTilt: 2.2,
      socket: 0.85,
      temple: 0.7,
      scm: 1,
      larynx: 0.9,
      browY: 0.6,
      earScale: 0.96,
      asym: 0.5,
    },
    tone: {
      base: [0.17, 0.085, 0.05],
      lip: [0.225, 0.085, 0.075],
      brow: [0.02, 0.015, 0.012],
      stubble: 0.25,
      freckles: 0,
    },
    iris: [0.22, 0.13, 0.08],
    hair: { style: 'curly', color: [0.06, 0.045, 0.035] },
    wears: ['sweater', 'bib', 'trousers', 'boots', 'hands'],
    colors: { trousers: [0.72, 0.5, 0.08], sweater: [0.42, 0.4, 0.36] },
  },
  {
    id: 'rescue-swimmer',
    name: 'Rescue swimmer',
    figure: 'Corvane',
    prefix: 'swimmer',
    height: 0.955,
    girth: -0.006,
    physique: { bust: 0.026, waist: 0.9, hips: 1.03, chest: 0.92, muscle: 0.94 },
    // Long-limbed, slender neck, small hands and feet.
    proportions: {
      thigh: 1.05,
      shin: 1.06,
      trunk: 0.97,
      neck: 1.1,
      head: 0.96,
      shoulders: 0.97,
      hips: 1.03,
      upperArm: 1.03,
      forearm: 1.05,
      hand: 0.96,
      foot: 0.95,
    },
    traits: {
      headW: 0.965,
      faceW: 0.99,
      jaw: 0.96,
      brow: 0.15,
      glab: 0,
      noseW: 0.86,
      noseL: 0.96,
      noseP: 0.9,
      bridge: 0.85,
      tipUp: 1.4,
      lipFull: 1.2,
      lidUp: 4.7,
      lidLo: 5.5,
      cantTilt: 2.4,
      eyeW: 15,
      chin: 0.6,
      neckW: 0.84,
      scm: 0.5,
      larynx: 0,
      nasolabial: 0.1,
      tear: 0.3,
      browY: 1.4,
      cheekbone: 1,
      cheekFat: 0.7,
      temple: 0.3,
      fbulge: 1.8,
      socket: 0.75,
      mouthW: 23.5,
      earScale: 0.9,
      marion: 0,
      crease: 4.2,
      philtrum: 1.1,
    },
    tone: { base: [0.55, 0.35, 0.255], lip: [0.5, 0.235, 0.2], brow: [0.14, 0.085, 0.05], stubble: 0, freckles: 0.8 },
    iris: [0.3, 0.42, 0.3],
    hair: { style: 'tied', color: [0.42, 0.26, 0.13] },
    wears: ['drysuit', 'boots', 'vest', 'hands'],
  },
  {
    id: 'port-signaller',
    name: 'Port signaller',
    figure: 'Corvane',
    prefix: 'signaller',
    height: 0.975,
    girth: 0.008,
    physique: { muscle: 0.92, waist: 1.05 },
    // Slight: narrow shoulders, long forearms and hands.
    proportions: {
      thigh: 0.98,
      shin: 1.03,
      neck: 1.04,
      shoulders: 0.92,
      hips: 0.95,
      depth: 0.96,
      upperArm: 0.97,
      forearm: 1.08,
      hand: 1.05,
      foot: 1.04,
    },
    traits: {
      faceW: 1.06,
      jaw: 1.1,
      brow: 1.5,
      glab: 1.4,
      noseW: 1.18,
      noseL: 1.08,
      noseP: 1.1,
      bridge: 1.2,
      tipUp: -1.2,
      lipFull: 0.55,
      wrinkle: 1,
      nasolabial: 1.1,
      tear: 1.8,
      eyebag: 1,
      marion: 1.1,
      jowl: 0.55,
      hood: 1.3,
      lidUp: 3.5,
      lidLo: 4.9,
      cantTilt: 0.4,
      larynx: 1.3,
      earScale: 1.12,
      temple: 1.2,
      scm: 1.3,
      cheekFat: -0.25,
      browY: -1,
      crease: 3.2,
      creaseAmp: 1.4,
      neckW: 1.06,
      mouthW: 26,
      asym: 1.1,
    },
    tone: { base: [0.43, 0.255, 0.18], lip: [0.375, 0.18, 0.15], brow: [0.3, 0.28, 0.26], stubble: 0.5, freckles: 0.1 },
    iris: [0.4, 0.48, 0.52],
    hair: { style: 'cropped', color: [0.5, 0.48, 0.45] },
    wears: ['sweater', 'trousers', 'boots', 'waistcoat', 'headset', 'lanyard', 'hands'],
  },
  {
    id: 'crane-operator',
    name: 'Crane operator',
    figure: 'Tessel',
    prefix: 'crane',
    height: 0.965,
    girth: 0.02,
    physique: { waist: 1.06, chest: 1.03, hips: 1.05, muscle: 0.95, bust: 0.02 },
    // Heavy: a broad, deep trunk on short legs; small hands.
    proportions: {
      thigh: 0.97,
      shin: 0.94,
      trunk: 1.03,
      neck: 0.92,
      hips: 1.08,
      depth: 1.08,
      upperArm: 0.98,
      forearm: 0.95,
      hand: 0.94,
      foot: 0.93,
    },
    traits: {
      faceW: 1.08,
      jaw: 1.03,
      cheekFat: 1.3,
      jowl: 0.7,
      submental: 1,
      neckW: 1.18,
      lipFull: 1.1,
      nasolabial: 0.9,
      temple: 0.1,
      lidUp: 3.9,
      lidLo: 5,
      hood: 0.8,
      noseW: 1.1,
      noseL: 0.98,
      tear: 1,
      eyebag: 0.6,
      marion: 0.5,
      scm: 0.15,
      larynx: 0,
      chin: 0.7,
      brow: 0.4,
      glab: 0.3,
      cheekbone: 0.6,
    },
    tone: {
      base: [0.33, 0.185, 0.115],
      lip: [0.325, 0.145, 0.12],
      brow: [0.03, 0.022, 0.018],
      stubble: 0,
      freckles: 0,
    },
    iris: [0.25, 0.17, 0.1],
    hair: { style: 'cropped', color: [0.07, 0.055, 0.045] },
    wears: ['overalls', 'boots', 'headset', 'hands'],
  },
];
/** A person's build; the neck is as wide as the head's. */
export const physiqueOf = (person: Person): Physique => ({
  ...AVERAGE_BODY,
  neck: person.traits.neckW ?? 1,
  ...person.physique,
});
export const personById = (id: PersonId): Person => PEOPLE.find((person) => person.id === id) as Person;
/** From the average skeleton to a person's own, both 179 cm tall. */
export const reshapeOf = ({ proportions }: Person): Reshape => reshape({ ...AVERAGE_PROPORTIONS, ...proportions });
const NECK_ROOT: readonly [number, number, number] = [0, 1.5, 0];
/** Height of the root of a person's neck, metres, before they are made as tall as they are. */
export const neckRoot = (person: Person): number => reshapeOf(person)(NECK_ROOT)[1];
