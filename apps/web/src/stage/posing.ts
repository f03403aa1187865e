import {
  poseByTurns,
  poseSkeleton,
  RANGE_OF_MOTION,
  rangeOfMotionAt,
  retarget,
  rolesFromSource,
  type PlayableClip,
  type Quat,
  type Skeleton,
} from '@dimetra/core';
import type { Document } from '@gltf-transform/core';
import * as THREE from 'three';
import type { StageFigure } from '../figure/build.ts';
import { RANGE } from '../store/view-slice.ts';
import type { Side, StageState } from './state.ts';

/** How the figures on the stage stand: at rest, posed, turned by hand, or in a clip of their own or of another's. */
export class Posing {
  private motion: Document | null = null;
  private readonly onBorrowed = new Map<StageFigure, PlayableClip[]>();

  constructor(private readonly figures: Record<Side, StageFigure | null>) {}

  /** A motion from elsewhere, for both figures: played through the roles of its joints. */
  setMotion(motion: Document | null): void {
    this.motion = motion;
    this.onBorrowed.clear();
  }

  /** Moves a figure's bones. @param asItCame from the rest pose that the character came in, where it has another now */
  pose(figure: StageFigure, side: Side, state: StageState, asItCame: boolean): void {
    const base = figure.home && asItCame ? figure.home : figure.skeleton,
      matrices = this.matricesOf(figure, base, state, state.turned[side]);
    figure.bones.forEach((bone, i) => bone.matrixWorld.fromArray(matrices, i * 16));
    for (const { mesh } of figure.parts) if (mesh instanceof THREE.SkinnedMesh) mesh.skeleton.update();
  }

  /** Names and lengths of the clips that a figure brings, and of those it borrows. */
  clipsOf(figure: StageFigure): { name: string; seconds: number }[] {
    const clips = [...figure.clips(), ...this.borrowed(figure, figure.home ?? figure.skeleton)];
    return clips.map(({ name, seconds }) => ({ name, seconds }));
  }

  private matricesOf(
    figure: StageFigure,
    base: Skeleton,
    { clip, time, pose: named }: StageState,
    turned: ReadonlyMap<string, Quat>,
  ): Float64Array {
    if (clip === RANGE) return rangeOfMotionAt(base, this.rolesOf(figure), time);
    if (clip !== null) {
      const isWanted = (entry: PlayableClip) => entry.name === clip;
      return (figure.clips().find(isWanted) ?? this.borrowed(figure, base).find(isWanted))?.at(time) ?? base.global;
    }
    if (turned.size) return poseByTurns(base, turnsByJoint(base, turned));
    const pose = RANGE_OF_MOTION.find((entry) => entry.name === named);
    return pose ? poseSkeleton(base, this.rolesOf(figure), pose) : base.global;
  }

  /** A result bends through the joints that its source's became. */
  private rolesOf(figure: StageFigure): StageFigure['roles'] {
    const { source } = this.figures;
    return source && source !== figure ? rolesFromSource(source, figure, figure.renamed) : figure.roles;
  }

  private borrowed(figure: StageFigure, base: Skeleton): PlayableClip[] {
    if (!this.motion) return [];
    let found = this.onBorrowed.get(figure);
    if (!found) {
      found = retarget(this.motion, base, figure.roles, { inPlace: true }).clips;
      this.onBorrowed.set(figure, found);
    }
    return found;
  }
}

function turnsByJoint(skeleton: Skeleton, turned: ReadonlyMap<string, Quat>): Map<number, Quat> {
  const out = new Map<number, Quat>();
  skeleton.joints.forEach((joint, i) => {
    const turn = turned.get(joint.getName());
    if (turn) out.set(i, turn);
  });
  return out;
}
