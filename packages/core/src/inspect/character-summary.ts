import type { JointRole, Stored } from '../character/index.ts';
import type { MorphRow } from '../morphs/index.ts';

export interface MapSummary {
  file: string;
  width: number;
  height: number;
}
/** The inventory of a character (I3): a contract, version 1. */
export interface CharacterSummary {
  name: string;
  heightCm: number;
  /** Lowest point above the floor. */
  lowestCm: number;
  upAxis: string;
  unitMetres: number;
  facing: string;
  /** Set where nothing tells the facing. */
  facingUnsure?: true;
  evidence: string[];
  triangles: number;
  vertices: number;
  parts: {
    id: string;
    name: string;
    role: string;
    kind: string;
    material: string | null;
    triangles: number;
    vertices: number;
    morphTargets: string[] /** How much of it can be seen from outside, 0 to 1, where that was looked at. */;
    seen?: number;
  }[];
  joints: { name: string; parent: string | null; role: JointRole; confidence: number; reason: string }[];
  influencesMax: number;
  materials: {
    name: string;
    kind: string;
    /** How certain that is, 0 … 1, and what tells it; not known of what was read long ago. */
    kindConfidence?: number;
    kindReason?: string;
    alphaMode: string;
    doubleSided: boolean;
    maps: Record<string, MapSummary>;
    /** A bright grey without a colour map where hardly anything is so by itself: what a lost map leaves behind, or meant so. */
    white?: true;
  }[];
  textures: { name: string; width: number; height: number; mimeType: string; bytes: number }[];
  textureMemoryBytes: number;
  morphTargets: string[];
  /** What each morph is for, where it moves the body and what it costs; looked at as the character arrives. */
  morphs?: MorphRow[];
  clips: { name: string; seconds: number; channels: number }[];
  /** How its files held it, where that is worth knowing. */
  stored?: Stored;
}
