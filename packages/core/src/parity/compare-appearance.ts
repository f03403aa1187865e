import { createScene, type Maps, poseScene, type Reading, standardViews } from '../appearance/index.ts';
import type { Document } from '@gltf-transform/core';
import { type HumanoidRole, jointPosition, readDossier, SOLID_KINDS } from '../character/index.ts';
import { closedEyes } from '../morphs/index.ts';
import type { ImageCodec } from '../pixels/index.ts';
import { throwIfAborted, type StopSignal } from '../problem.ts';
import { RANGE_OF_MOTION } from '../rig/index.ts';
import type { AppearanceRegion, AppearanceRow, MeantChange } from './appearance-row.ts';
import { findSteps, type Stage } from './came-with.ts';
import type { Pair, Side } from './pair.ts';
import { type Sitter, Viewer } from './viewer.ts';

export interface AppearanceOptions {
  images: ImageCodec;
  /** Both figures' maps, opened through `images`. */
  maps: Maps;
  /** How near the viewer comes, metres. */
  nearestM: number;
  /** Materials of the source as they were read: their maps in the channels of glTF. */
  materialsRead?: Document;
  /** Figure whose materials are read instead where maps were laid out anew: as it was before. */
  laidOutBefore?: Document;
  /** Names of the views that are drawn; all where left out. */
  only?: readonly string[];
  /** Nothing is posed. */
  still?: boolean;
  /** What stood after each step, and which places are worth finding out with which they came. */
  stages?: readonly Stage[];
  isHeavy?: (region: AppearanceRegion) => boolean;
  /** Materials that steps exchanged on purpose. */
  meant?: readonly MeantChange[];
  /** Called after each view: what else is under way goes on. */
  between?: () => Promise<void>;
  progress?: (fraction: number, message: string) => void;
  signal?: StopSignal;
}

/** Draws both figures from every standard side, without a graphics card and alike on every machine, and says what differs. */
export async function compareAppearance(
  pair: Pair,
  {
    images,
    maps,
    nearestM,
    materialsRead,
    laidOutBefore,
    only,
    still,
    stages = [],
    isHeavy = () => false,
    meant = [],
    between,
    progress = () => {},
    signal,
  }: AppearanceOptions,
): Promise<AppearanceRow[]> {
  const source: Sitter = {
      side: pair.source,
      scene: await createScene(pair.source.deformer, maps, materialsRead && asRead(materialsRead, laidOutBefore)),
    },
    result: Sitter = { side: pair.result, scene: await createScene(pair.result.deformer, maps) };
  const { skeleton } = pair.source.deformer,
    joint = (role: string) => {
      const found = pair.source.roles.get(role as HumanoidRole);
      return found === undefined ? null : jointPosition(skeleton, found);
    };
  const shut = only && !only.includes('eyes closed') ? null : closedEyes(pair.sourceDocument),
    theirs = shut && closedEyes(pair.resultDocument);
  if (shut && theirs) {
    source.shut = shut;
    result.shut = theirs;
  }
  const views = standardViews(source.scene, joint, nearestM).filter(
      (view) =>
        (only?.includes(view.name) ?? true) &&
        (!view.shut || source.shut !== undefined) &&
        (view.pose === undefined || (!still && canTake(pair.source, view.pose))),
    ),
    viewer = new Viewer(source, result, images, meant);
  for (const [i, view] of views.entries()) {
    throwIfAborted(signal);
    progress(i / views.length, `drawing ${view.name}`);
    viewer.look(view);
    await between?.();
  }
  const rows = await viewer.finish();
  if (stages.length) {
    // Views ended in whatever pose was last.
    poseScene(source.scene, pair.source.deformer);
    await findSteps(rows, source.scene, stages, maps, isHeavy);
  }
  return rows;
}

/** The source with its maps as they were read; what is said of opacity of things that have none was no reading. */
function asRead(document: Document, before?: Document): Reading {
  const named = (from: Document) =>
      new Map(
        from
          .getRoot()
          .listMaterials()
          .map((material) => [material.getName(), material]),
      ),
    byName = named(document),
    earlier = before && named(before),
    laidOut = new Set(readDossier(document).laidOut);
  return {
    // A map for other texture places shows nothing on the source's.
    maps: (material) => {
      const name = material.getName();
      return (laidOut.has(name) ? earlier : byName)?.get(name) ?? material;
    },
    solid: ({ kind }) => SOLID_KINDS.includes(kind),
  };
}

/** Whether a joint that moves the mesh turns in a pose: what has no skeleton can't be held against a result in it. */
const canTake = ({ deformer, roles }: Side, name: string): boolean =>
  deformer.ranges.some(({ part }) => part.node.getSkin()) &&
  (RANGE_OF_MOTION.find((pose) => pose.name === name)?.turns.some(({ role }) => roles.has(role)) ?? false);
