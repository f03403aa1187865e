import type { Document } from '@gltf-transform/core';
import type { JointMoved } from '../refit-joints.ts';
import { type PreparedMix, prepareMix } from './prepare.ts';
import { putMix } from './mix-base.ts';
import { mixMorphs } from './mix-morphs.ts';
import { ownPerson, personBeside } from './people.ts';
import { type Mixed, mixShape, type RegionWeights } from './shape.ts';

export interface MixedIn {
  document: Document;
  name: string;
  weights: RegionWeights;
}

export interface MixDone {
  prepared: PreparedMix;
  mix: Mixed;
  joints: JointMoved[];
  /** Morphs that only another figure had. */
  came: string[];
}

/**
 * Mixes other figures into one: shape, morphs, normals and joints. Its triangles, texture places, weights of joints and
 * clothes stay its own; what is worn goes along. Changes `document` alone.
 */
export function mixInto(
  document: Document,
  others: readonly MixedIn[],
  {
    softness = 1,
    joints = true,
    stop = () => {},
    ready = () => {},
  }: {
    softness?: number;
    joints?: boolean;
    stop?: () => void;
    /** Hears what was found before anything is changed; may throw. */
    ready?: (prepared: PreparedMix) => void;
  } = {},
): MixDone {
  const own = ownPerson(document),
    prepared = prepareMix(
      own,
      others.map((other) => personBeside(other.document, other.name, own)),
      stop,
    );
  ready(prepared);
  const mix = mixShape(
      prepared,
      others.map(({ weights }) => weights),
      softness,
      stop,
    ),
    // Before the shape, which they are movements of.
    came = mixMorphs(document, prepared, mix.shares, stop);
  return { prepared, mix, came, joints: putMix(document, prepared, mix, joints) };
}
