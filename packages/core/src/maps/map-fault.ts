import type { Material, Texture } from '@gltf-transform/core';
import { type MapChannel, textureFile } from '../character/index.ts';
import type { Curved, Holding, SurfaceLayout } from './reading/index.ts';

/** What pixels say against what a map is used for; each has one mend, see `materials/mend-map.ts`. */
export const MAP_FAULTS = [
  'textures.unreadable',
  'textures.green-down',
  'textures.gloss-as-roughness',
  'textures.bump-as-normal',
  'textures.normal-curve',
  'textures.normal-third',
  'textures.normal-object',
  'textures.not-normal',
  'textures.not-colour',
  'textures.channel-order',
  'textures.grey-surface',
  'textures.colour-linear',
  'textures.data-curve',
  'textures.constant',
  'textures.foreign-layout',
] as const;
export type MapFaultCode = (typeof MAP_FAULTS)[number];

export interface MapFault {
  code: MapFaultCode;
  texture: Texture;
  material: Material;
  /** Where the material has it. */
  channel: MapChannel;
  measured: number;
  /** In words, for the user. */
  why: string;
  /** Whether the run may act on it by itself. */
  sure: boolean;
  /** What the mend needs to know. */
  holding?: Holding;
  layout?: SurfaceLayout;
  curved?: Exclude<Curved, 'no'>;
  /** Id of the figure that it was painted for. */
  figure?: string;
}

/** The step that mends a fault. */
export const repairOf = ({ code }: Pick<MapFault, 'code'>): string =>
  code === 'textures.foreign-layout' ? 'fit.layout' : 'materials.channels';

const SAYS: Record<MapFaultCode, { is: string; run?: string; done?: string }> = {
  'textures.unreadable': { is: 'can’t be read' },
  'textures.green-down': { is: 'has green pointing down', run: 'turns it', done: 'was turned' },
  'textures.gloss-as-roughness': { is: 'holds gloss', run: 'inverts it', done: 'was inverted' },
  'textures.bump-as-normal': { is: 'is a bump map', run: 'makes normals of it', done: 'was made into normals' },
  'textures.normal-curve': { is: 'has a curve of colours on it', run: 'takes that off', done: 'was freed of it' },
  'textures.normal-third': { is: 'lacks a third direction', run: 'works it out', done: 'got one' },
  'textures.normal-object': { is: 'holds directions of the whole figure' },
  'textures.not-normal': { is: 'holds no normals' },
  'textures.not-colour': { is: 'holds no colours' },
  'textures.channel-order': {
    is: 'has its channels in another order',
    run: 'puts them right',
    done: 'was put in order',
  },
  'textures.grey-surface': {
    is: 'would make metal of it',
    run: 'reads it as roughness alone',
    done: 'is read as roughness alone',
  },
  'textures.colour-linear': { is: 'is in linear light', run: 'encodes it', done: 'was encoded' },
  'textures.data-curve': { is: 'has a curve of colours on it', run: 'takes that off', done: 'was freed of it' },
  'textures.constant': { is: 'is one value all over', run: 'makes a factor of it', done: 'became a factor' },
  'textures.foreign-layout': { is: 'is laid out for another figure' },
};
const CALLED: Partial<Record<MapChannel, string>> = {
  baseColor: 'colour',
  normal: 'normal',
  metallicRoughness: 'roughness',
  clearcoatNormal: 'coat’s normal',
};

/** What a fault means, for the user: before a run, or after one that mended it. */
export function faultMessage({ code, channel, texture, material, why, sure }: MapFault, mended = false): string {
  const { is, run, done } = SAYS[code],
    what = `The ${CALLED[channel] ?? channel} map “${textureFile(texture)}” of “${material.getName()}”`;
  if (code === 'textures.foreign-layout')
    return `${what} ${is}: ${why}. Have it laid out anew at Fit, by “Maps of another layout”, or put the right one in its place.`;
  if (mended && done) return `${what} ${is}: ${why}. It ${done}.`;
  if (!run) return `${what} ${sure ? is : `perhaps ${is}`}: ${why}. Look at it, and put the right one in its place.`;
  return sure
    ? `${what} ${is}: ${why}. The run ${run}.`
    : `${what} ${is.replace(/^(holds|has|is|lacks|would)/, (verb) => MAY[verb] ?? verb)}: ${why}. That is not enough to be sure; look, and say so if it is.`;
}
const MAY: Record<string, string> = {
  holds: 'may hold',
  has: 'may have',
  is: 'may be',
  lacks: 'may lack',
  would: 'might',
};
