import type { MorphSeen } from './body.ts';
import type { ImageSeen } from './images.ts';
import type { Placed } from './motion.ts';
import type { Validation } from './validate.ts';
import type { VrmSeen } from './vrm.ts';

/** What somebody else's code finds in delivered bytes. Facts only: what they mean for a delivery is decided elsewhere. */
export interface Seen {
  validator: Validation;
  /** Why the loader doesn't open it; everything below is then empty. */
  refused?: string;
  joints: { joints: number; outside: string[] };
  /** Meshes that some node carries, and of them those that the scene doesn't show. */
  hidden: string[];
  clips: { channels: number; unbound: string[] };
  /** Width (X), height (Y), depth (Z) of what is drawn at rest, millimetres; null where nothing is drawn. */
  sizeMm: [number, number, number] | null;
  morphs: MorphSeen[];
  /** Places of numbers that aren't finite, with how many in each. */
  notFinite: { where: string; count: number }[];
  images: ImageSeen[];
  /** Images packed for graphics processors that open and are shown. */
  packed: number;
  /** Buffer views, and buffers, of coded arrays that the loader opens, and nobody but an extension asks for. */
  coded: { views: number; buffers: number };
  /** Nodes of no scene that stand in for others further away (MSFT_lod), which the validator doesn't know either. */
  standIns: number;
  /** Of a .bvh, where its joints stand in some frames, in the file's unit, in its order. */
  frames?: { frame: number; places: Placed[] }[];
  /** Of a .vrm, what the open loader for it understands; null where it understands nothing. */
  vrm?: VrmSeen | null;
}

/** What is seen of a file before anything of it is opened. */
export const nothingSeen = (): Omit<Seen, 'validator'> => ({
  joints: { joints: 0, outside: [] },
  hidden: [],
  clips: { channels: 0, unbound: [] },
  sizeMm: null,
  morphs: [],
  notFinite: [],
  images: [],
  packed: 0,
  coded: { views: 0, buffers: 0 },
  standIns: 0,
});
