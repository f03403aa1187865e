import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { listMorphNames } from '../character/index.ts';
import { triangleArea } from '../geometry/index.ts';
import { RANGE_OF_MOTION } from '../rig/index.ts';
import { type StopSignal, throwIfAborted } from '../problem.ts';
import type { ImageCodec } from '../pixels/index.ts';
import { colorDifference, createColorSampler, lookOnce } from './appearance.ts';
import { compareInventory, type Inventory } from './inventory.ts';
import type { Aside, StartAside } from './aside.ts';
import { type MorphedPair, morphDistance } from './morph-distance.ts';
import { pairUp, showing, sortOut } from './pair.ts';
import { type LookRow, type LooksOptions, proveLooks } from './prove-looks.ts';
import { partRows } from './part-rows.ts';
import { Looks, type SkinRow } from './looks.ts';
import type { Memory } from './memory.ts';
import { atRest, letAnswersIn, PoseRows, type Posing, readyToPose } from './posed.ts';
import { measuredAtRest, PosedPair } from './posed-pair.ts';
import { type ParityRow, rowOf } from './row.ts';
import { type Distance, distanceWithin, surfaceDistance } from './surface-distance.ts';

export interface Parity {
  schema: 1;
  samples: number;
  shape: {
    /** What can be seen. */
    rest: Omit<ParityRow, 'name'>;
    /** Each part at rest against what it came from, in the source's order. */
    parts: ParityRow[];
    morphs: ParityRow[];
    poses: ParityRow[];
    /** What clothes cover in every pose looked at, and its share of the source's area, 0 … 1. */
    covered?: Omit<ParityRow, 'name'> & { share: number };
    /** Skin that shows through clothes, square centimetres, at rest and in the poses looked at; where there are clothes. */
    skin?: SkinRow[];
  };
  appearance: {
    baseColorDeltaE: { mean: number; p99: number };
    /** How both look from the standard sides; where it was asked for. */
    views?: LookRow[];
  };
  inventory: Inventory;
}

export interface ParityOptions {
  /** Samples on each surface; default 20,000. */
  samples: number;
  seed: number;
  /** What the result is held against in poses, where `source` has parts that no joint moves: the source with weights. */
  bending?: Document;
  /** Static figures: nothing is posed. */
  still: boolean;
  /** Without a codec colours are not compared and come back as zeros. */
  images?: ImageCodec;
  /** Both are drawn and their pictures compared: how near the viewer comes, metres, and materials as read. */
  looks?: Pick<LooksOptions, 'nearestM' | 'materialsRead' | 'meant' | 'only'>;
  /** A second thread to measure along, where one is to be had: the numbers are the same. */
  aside?: StartAside;
  /** What was measured before is not measured again: a figure in the same shapes, and all shapes where `sameShapes` is the same. */
  memory?: Memory;
  /** Stands for all that shapes are measured from, colours left out; without it nothing is taken over for them. */
  sameShapes?: string;
  progress?: (fraction: number, message: string) => void;
  signal?: StopSignal;
}

/** Where measuring morphs begins, and drawing, and measuring poses, of the whole. */
const SHAPES_FROM = 0.1,
  LOOKS_FROM = 0.25,
  POSES_FROM = 0.8;
/** Samples on each side of what clothes cover. */
const COVERED_SAMPLES = 4000;
/** Samples on each side of one part. */
const PART_SAMPLES = 1000;

/**
 * How far `result` is from `source`: at rest, in every morph both have (there where it moves something), in the poses of the range-of-motion set,
 * taken through joint roles, so that names and orientations may differ. A part is measured against what it came from, so
 * that what vanished behind something else is missed. A character against itself gives zeros.
 */
export async function compareCharacters(
  source: Document,
  result: Document,
  options: Partial<ParityOptions> = {},
): Promise<Parity> {
  const aside = options.aside?.() ?? null;
  try {
    return await measure(source, result, options, aside);
  } finally {
    await aside?.close();
  }
}

async function measure(
  source: Document,
  result: Document,
  {
    samples = 20_000,
    seed = 1,
    still = false,
    images,
    memory,
    progress = () => {},
    signal,
    ...given
  }: Partial<ParityOptions>,
  aside: Aside | null,
): Promise<Parity> {
  progress(0, 'finding what can be seen');
  const pair = pairUp(source, result),
    { alike } = pair,
    a = pair.source.deformer,
    b = pair.result.deformer;
  const bending = given.bending ? pairUp(given.bending, result) : pair;
  // Images are decoded beside the measuring.
  const look = images && lookOnce(images),
    colors = look && Promise.all([createColorSampler(source, a, look), createColorSampler(result, b, look)]);
  // It is awaited further down; a measurement that stops before must not leave its failure to nobody.
  colors?.catch(() => {});
  const shapesKey =
      memory && given.sameShapes !== undefined
        ? memory.key('shapes', given.sameShapes, `${samples} ${seed} ${still}`)
        : null,
    measuredBefore = shapesKey ? await memory?.recall(shapesKey) : undefined,
    before = isShape(measuredBefore) ? measuredBefore : null;
  const shown = showing(pair, still || bending !== pair, aside?.shared),
    [aRest] = shown.shapes.source,
    [bRest] = shown.shapes.result;
  const looks = await Looks.at(pair, shown, aside, { skin: !before && bending === pair }, memory),
    { source: aHidden, result: bHidden } = await looks.covered(),
    aCovered = sortOut(aHidden).covered,
    bCovered = sortOut(bHidden).covered;
  const stands = {
    source: atRest(pair.source, pair, aRest, aHidden),
    result: atRest(pair.result, pair, bRest, bHidden),
  };
  const aShape = measuredAtRest(stands.source, samples, seed),
    bShape = measuredAtRest(stands.result, samples, seed);
  const measured: MorphedPair = {
    source: { deformer: a, surface: aShape, rest: aRest, hidden: aHidden, now: new Float32Array(aRest.length) },
    result: { deformer: b, surface: bShape, rest: bRest, hidden: bHidden, now: new Float32Array(bRest.length) },
  };
  let posed: PosedPair | null = null;
  const posing: Posing =
    bending === pair
      ? { pair, looks, ...stands, posed: () => (posed ??= new PosedPair(aShape, bShape, stands)) }
      : await readyToPose(bending, samples, seed, aside, memory);
  throwIfAborted(signal);
  const poses = still || before ? null : new PoseRows(posing, aside, samples, seed);
  const row = (name: string, d: Distance): ParityRow => rowOf(pair, name, d);
  progress(0.05, 'measuring at rest');
  const rest = without(row('', surfaceDistance(aShape, bShape)));
  const appearance = {
    baseColorDeltaE: colors ? colorDifference(aShape, bShape, ...(await colors)) : { mean: 0, p99: 0 },
  };
  // Drawn by this thread while the other one measures poses.
  const drawViews = async () =>
    given.looks && images
      ? await proveLooks(pair, {
          ...given.looks,
          images,
          still,
          signal,
          between: async () => {
            poses?.feed();
            if (aside) await letAnswersIn();
          },
          progress: (fraction, message) => progress(LOOKS_FROM + (POSES_FROM - LOOKS_FROM) * fraction, message),
        })
      : undefined;
  const concluded = (shape: Parity['shape'], views: LookRow[] | undefined): Parity => ({
    schema: 1,
    samples,
    shape,
    appearance: { ...appearance, ...(views ? { views } : {}) },
    inventory: compareInventory(source, result),
  });
  if (before) return concluded(before, await drawViews());
  const covered = aCovered.length
    ? {
        ...without(row('', distanceWithin(aShape, bShape, aCovered, bCovered, COVERED_SAMPLES, seed))),
        share: areaShare(aRest, a.indices, aCovered),
      }
    : null;
  const parts = partRows(
    a,
    b,
    alike,
    aHidden,
    bHidden,
    (inA, inB) => distanceWithin(aShape, bShape, inA, inB, PART_SAMPLES, seed),
    row,
  );
  const have = new Set(listMorphNames(result));
  const names = listMorphNames(source).filter((name) => have.has(name));
  const morphs: ParityRow[] = [];
  for (const [i, name] of names.entries()) {
    throwIfAborted(signal);
    poses?.feed();
    progress(SHAPES_FROM + ((LOOKS_FROM - SHAPES_FROM) * i) / names.length, `measuring morph ${name}`);
    morphs.push(row(name, morphDistance(measured, name, seed)));
    if (aside) await letAnswersIn();
  }
  const views = await drawViews();
  const poseRows =
    (await poses?.all((pose, i) => {
      throwIfAborted(signal);
      progress(POSES_FROM + ((1 - POSES_FROM) * i) / RANGE_OF_MOTION.length, `measuring pose ${pose.name}`);
    })) ?? [];
  const skin = await posing.looks.skinThrough();
  const shape: Parity['shape'] = {
    rest,
    parts,
    morphs,
    poses: poseRows,
    ...(covered ? { covered } : {}),
    ...(skin ? { skin } : {}),
  };
  if (shapesKey) await memory?.remember(shapesKey, shape);
  return concluded(shape, views);
}

/** Kept by ourselves alone, under a key that says of which code. */
const isShape = (value: unknown): value is Parity['shape'] =>
  v.is(v.looseObject({ rest: v.looseObject({}), poses: v.array(v.unknown()) }), value);

const without = ({ name: _, ...rest }: ParityRow): Omit<ParityRow, 'name'> => rest;

function areaShare(positions: Float32Array, indices: Uint32Array, some: Uint32Array): number {
  const area = (t: number) => triangleArea(positions, indices[t * 3], indices[t * 3 + 1], indices[t * 3 + 2]);
  let all = 0,
    part = 0;
  for (let t = 0; t < indices.length / 3; t++) all += area(t);
  for (const t of some) part += area(t);
  return all > 0 ? Math.round((part / all) * 1000) / 1000 : 0;
}
