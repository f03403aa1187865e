import type { Stated } from '../check/index.ts';
import type { Contents } from '../inspect/index.ts';

/** What of a figure's contents and statements a format has a place for, so that what is read again can be held to it. */
export interface Held {
  contents(all: Contents): Contents;
  stated(all: Stated): Stated;
  /** Metres that its way of writing numbers may change what a morph moves by. */
  blurM: number;
}
const EVERYTHING: Held = { contents: (all) => all, stated: (all) => all, blurM: 0 };

/** A clip of USD has keys for every joint at every time: its channels are not counted. */
const USD: Held = {
  ...EVERYTHING,
  contents: (all) => ({ ...all, clips: all.clips.map((clip) => ({ ...clip, channels: 0 })) }),
};

/** Maps that an OBJ's materials have a key for that is read as one map. */
const OBJ_MAPS: readonly string[] = ['baseColor', 'normal', 'emissive', 'occlusion'];
/** OBJ holds surfaces, their materials and maps. */
const OBJ: Held = {
  contents: (all) => ({
    ...all,
    joints: [],
    clips: [],
    morphTargets: [],
    parts: all.parts.map((part) => ({ ...part, morphTargets: [] })),
    materials: all.materials.map((material) => ({
      ...material,
      alphaMode: 'OPAQUE',
      doubleSided: false,
      maps: Object.fromEntries(Object.entries(material.maps).filter(([channel]) => OBJ_MAPS.includes(channel))),
    })) as Contents['materials'],
  }),
  stated: (all) => ({ ...all, morphs: [] }),
  blurM: 0,
};

/** Maps that a .dae has a place for, its profile of ours among them. */
const DAE_MAPS: readonly string[] = ['baseColor', 'normal', 'metallicRoughness', 'emissive', 'occlusion'];
/** COLLADA knows clear and not clear, keys for every joint that a clip moves, and clips of joints alone. */
const DAE: Held = {
  ...EVERYTHING,
  // Places are written to the micrometre: both ends of a way may be off by half of that in each of three directions.
  blurM: Math.sqrt(3) * 1e-6,
  contents: (all) => ({
    ...all,
    // Surfaces of one mesh are meshes of their own there, on the same node.
    parts: all.parts.map((part) => ({
      ...part,
      name: part.name.replace(` · ${part.material}`, '').replace(/ \d+$/, ''),
    })),
    clips: all.clips.map((clip) => ({ ...clip, channels: 0 })),
    materials: all.materials.map((material) => ({
      ...material,
      alphaMode: material.alphaMode === 'OPAQUE' ? 'OPAQUE' : 'BLEND',
      maps: Object.fromEntries(Object.entries(material.maps).filter(([channel]) => DAE_MAPS.includes(channel))),
    })) as Contents['materials'],
  }),
};

/** @param path of the delivered model */
export const heldBy = (path: string): Held =>
  /\.usd[az]$/i.test(path) ? USD : /\.dae$/i.test(path) ? DAE : /\.obj$/i.test(path) ? OBJ : EVERYTHING;
