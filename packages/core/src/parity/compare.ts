import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { listMorphNames } from '../character/index.ts';
import { triangleArea } from '../geometry/index.ts';
import { RANGE_OF_MOTION } from '../rig/index.ts';
import { type StopSignal, throwIfAborted } from '../problem.ts';
import type { ImageCodec } from '../pixels/index.ts';
import { Maps } from '../appearance/index.ts';
import { colorDifference, COMPARED_SIZE, createColorSampler, type ImageLook } from './base-color.ts';
import { compareInventory, type Inventory } from './inventory.ts';
import type { Aside, StartAside } from './aside.ts';
import { type MorphedPair, morphDistance } from './morph-distance.ts';
import { type Pair, pairUp, showing, sortOut } from './pair.ts';
import type { AppearanceRow } from './appearance-row.ts';
import { type AppearanceOptions, compareAppearance } from './compare-appearance.ts';
import { partRows } from './part-rows.ts';
import { UnderClothes, type SkinRow } from './under-clothes.ts';
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
    views?: AppearanceRow[];
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
  appearance?: Pick<
    AppearanceOptions,
    'nearestM' | 'materialsRead' | 'laidOutBefore' | 'meant' | 'only' | 'stages' | 'isHeavy'
  >;
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
const MORPHS_FROM = 0.1,
  VIEWS_FROM = 0.25,
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
  { samples = 20_000, seed = 1, still = false, progress = () => {}, ...given }: Partial<ParityOptions>,
  aside: Aside | null,
): Promise<Parity> {
  const options = { ...given, samples, seed, still, progress };
  progress(0, 'finding what can be seen');
  const pair = pairUp(source, result),
    { images } = given;
  // Each image is opened once, for colours and for pictures.
  const maps = images && new Maps(images, given.appearance?.nearestM ?? Infinity),
    look: ImageLook | undefined = maps && ((bytes) => maps.level(bytes, 'color', COMPARED_SIZE)),
    colors =
      look &&
      Promise.all([
        createColorSampler(source, pair.source.deformer, look),
        createColorSampler(result, pair.result.deformer, look),
      ]);
  // It is awaited further down; a measurement that stops before must not leave its failure to nobody.
  colors?.catch(() => {});
  const { key, before } = await recalled(options),
    standing = await stand(pair, options, aside, before !== null),
    { posing, poses } = standing;
  throwIfAborted(given.signal);
  progress(0.05, 'measuring at rest');
  const rest = without(rowOf(pair, '', surfaceDistance(standing.source.surface, standing.result.surface))),
    baseColorDeltaE = colors
      ? colorDifference(standing.source.surface, standing.result.surface, ...(await colors))
      : { mean: 0, p99: 0 };
  const parts = before ? null : await unposed(pair, standing, options, aside);
  // Drawn by this thread while the other one measures poses.
  const views =
    given.appearance && images && maps
      ? await compareAppearance(pair, {
          ...given.appearance,
          images,
          maps,
          still,
          signal: given.signal,
          between: async () => {
            poses?.feed();
            if (aside) await letAnswersIn();
          },
          progress: (fraction, message) => progress(VIEWS_FROM + (POSES_FROM - VIEWS_FROM) * fraction, message),
        })
      : undefined;
  let shape = before;
  if (!shape) {
    const posed = await poses?.all((pose, i) => {
        throwIfAborted(given.signal);
        progress(POSES_FROM + ((1 - POSES_FROM) * i) / RANGE_OF_MOTION.length, `measuring pose ${pose.name}`);
      }),
      skin = await posing.clothes.skinThrough();
    const { covered, ...rows } = parts as Unposed;
    shape = { rest, ...rows, poses: posed ?? [], ...(covered ? { covered } : {}), ...(skin ? { skin } : {}) };
    if (key) await given.memory?.remember(key, shape);
  }
  return {
    schema: 1,
    samples,
    shape,
    appearance: { baseColorDeltaE, ...(views ? { views } : {}) },
    inventory: compareInventory(source, result),
  };
}

type Asked = Partial<ParityOptions> & Pick<ParityOptions, 'samples' | 'seed' | 'still'>;
type Progress = Required<Pick<ParityOptions, 'progress'>>;

/** All shapes as they were measured before, and the key under which they are kept; null where that is to be done. */
async function recalled({ memory, sameShapes, samples, seed, still }: Asked) {
  if (!memory || sameShapes === undefined) return { key: null, before: null };
  const key = memory.key('shapes', sameShapes, `${samples} ${seed} ${still}`),
    found = await memory.recall(key);
  return { key, before: isShape(found) ? found : null };
}

/** Two figures at rest, ready to be morphed and posed. */
interface Standing extends MorphedPair {
  posing: Posing;
  /** Null where nothing is to be posed. */
  poses: PoseRows | null;
}

/** @param known shapes are known already: only what colours are compared on is made */
async function stand(
  pair: Pair,
  { bending: withWeights, samples, seed, still, memory }: Asked,
  aside: Aside | null,
  known: boolean,
): Promise<Standing> {
  const bending = withWeights ? pairUp(withWeights, pair.resultDocument) : pair,
    shown = showing(pair, still || bending !== pair, aside?.shared);
  const clothes = await UnderClothes.at(pair, shown, aside, { skin: !known && bending === pair }, memory),
    hidden = await clothes.covered();
  const side = (name: 'source' | 'result') => {
    const [rest] = shown.shapes[name],
      at = atRest(pair[name], pair, rest, hidden[name]),
      surface = measuredAtRest(at, samples, seed);
    return {
      at,
      deformer: pair[name].deformer,
      surface,
      rest,
      hidden: hidden[name],
      now: new Float32Array(rest.length),
    };
  };
  const source = side('source'),
    result = side('result'),
    stands = { source: source.at, result: result.at };
  let posed: PosedPair | null = null;
  const posing: Posing =
    bending === pair
      ? {
          pair,
          clothes,
          ...stands,
          posed: () => (posed ??= new PosedPair(source.surface, result.surface, stands)),
        }
      : await readyToPose(bending, samples, seed, aside, memory);
  return { source, result, posing, poses: still || known ? null : new PoseRows(posing, aside, samples, seed) };
}

type Unposed = Pick<Parity['shape'], 'covered' | 'parts' | 'morphs'>;

/** What is measured at rest and in morphs, while poses are fed to the other thread. */
async function unposed(
  pair: Pair,
  { source, result, poses }: Standing,
  { seed, progress, signal }: Asked & Progress,
  aside: Aside | null,
): Promise<Unposed> {
  const row = (name: string, d: Distance): ParityRow => rowOf(pair, name, d),
    within = (inA: Uint32Array, inB: Uint32Array, samples: number) =>
      distanceWithin(source.surface, result.surface, inA, inB, samples, seed);
  const [inSource, inResult] = [source, result].map(({ hidden }) => sortOut(hidden).covered),
    covered = inSource.length
      ? {
          ...without(row('', within(inSource, inResult, COVERED_SAMPLES))),
          share: areaShare(source.rest, source.deformer.indices, inSource),
        }
      : undefined;
  const parts = partRows(
    source.deformer,
    result.deformer,
    pair.alike,
    source.hidden,
    result.hidden,
    (inA, inB) => within(inA, inB, PART_SAMPLES),
    row,
  );
  const have = new Set(listMorphNames(pair.resultDocument)),
    names = listMorphNames(pair.sourceDocument).filter((name) => have.has(name)),
    morphs: ParityRow[] = [];
  for (const [i, name] of names.entries()) {
    throwIfAborted(signal);
    poses?.feed();
    progress(MORPHS_FROM + ((VIEWS_FROM - MORPHS_FROM) * i) / names.length, `measuring morph ${name}`);
    morphs.push(row(name, morphDistance({ source, result }, name, seed)));
    if (aside) await letAnswersIn();
  }
  return { covered, parts, morphs };
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
