import type { Document } from '@gltf-transform/core';
import type { JointMoved } from '../refit-joints.ts';
import { type MixBench, mixBench } from './bench.ts';
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
  bench: MixBench;
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
    ready?: (bench: MixBench) => void;
  } = {},
): MixDone {
  const own = ownPerson(document),
    bench = mixBench(
      own,
      others.map((other) => personBeside(other.document, other.name, own)),
      stop,
    );
  ready(bench);
  const mix = mixShape(
      bench,
      others.map(({ weights }) => weights),
      softness,
      stop,
    ),
    // Before the shape, which they are movements of.
    came = mixMorphs(document, bench, mix.shares, stop);
  return { bench, mix, came, joints: putMix(document, bench, mix, joints) };
}
