import {
  cameraOf,
  Comparison,
  createScene,
  cropOf,
  type Light,
  Maps,
  Painter,
  type Picture,
  type PictureDifference,
  type PictureRegion,
  pointAt,
  poseScene,
  type Reading,
  type Scene,
  standardViews,
  type View,
} from '../appearance/index.ts';
import type { Document } from '@gltf-transform/core';
import { type HumanoidRole, jointPosition, SOLID_KINDS } from '../character/index.ts';
import type { ImageCodec, Pixels } from '../pixels/index.ts';
import { throwIfAborted, type StopSignal } from '../problem.ts';
import { poseSkeleton, RANGE_OF_MOTION } from '../rig/index.ts';
import type { Pair, Side } from './pair.ts';

/** Pixels along a picture. */
export const LOOK_SIZE = 384;
/** Along a crop of a place where pictures differ. */
const CROP = 96;
/** Places of all views together that are shown. */
const MOST_CROPS = 6;
/** A material that covers fewer pixels of a view isn't counted there. */
const LEAST_COVER = 80;

/** A connected place where two pictures of a view differ. */
export interface LookRegion {
  pixels: number;
  mm2: number;
  deltaE: number;
  /** Σ (ΔE − 8) over its pixels. */
  weight: number;
  /** World metres, and the joint of the source nearest to it. */
  at: [number, number, number];
  joint?: string;
  /** Materials that show there most on either side; nothing where the ground does. */
  from: string | null;
  to: string | null;
  /** Share of the region where that is so. */
  share: number;
  /** Step that says it meant this change: no loss. */
  meant?: string;
  /** Pictures of the place, as PNG in a data URI: of the heaviest of all views. */
  crops?: { source: string; result: string };
}

export interface LookLoss {
  deltaE: { mean: number; p99: number };
  structure: number;
  /** Under which it is largest. */
  light: Light;
  regions: LookRegion[];
}

export interface LookCover {
  material: string;
  /** Pixels that it shows on. */
  source: number;
  result: number;
  /** The result as a usual engine draws it. */
  drawn: number;
}

/** How source and result look from one side, under the worst light. */
export interface LookRow {
  view: View;
  /** Source as meant against result as meant: what converting changed. */
  converted: LookLoss;
  /** Result as meant against result as a usual engine draws it: what delivering it there loses. */
  drawn: LookLoss;
  coverage: LookCover[];
}

/** A material that a step put in the place of another. */
export interface MeantChange {
  from: string;
  to: string;
  step: string;
}

export interface LooksOptions {
  images: ImageCodec;
  /** How near the viewer comes, metres. */
  nearestM: number;
  /** Materials of the source as they were read: their maps in the channels of glTF. */
  materialsRead?: Document;
  /** Names of the views that are drawn; all where left out. */
  only?: readonly string[];
  /** Nothing is posed. */
  still?: boolean;
  /** Materials that steps exchanged on purpose. */
  meant?: readonly MeantChange[];
  /** Called after each view: what else is under way goes on. */
  between?: () => Promise<void>;
  progress?: (fraction: number, message: string) => void;
  signal?: StopSignal;
}

interface Sitter {
  side: Side;
  scene: Scene;
}

/** Draws both figures from every standard side, without a graphics card and alike on every machine, and says what differs. */
export async function proveLooks(
  pair: Pair,
  { images, nearestM, materialsRead, only, still, meant = [], between, progress = () => {}, signal }: LooksOptions,
): Promise<LookRow[]> {
  const maps = new Maps(images, nearestM),
    source: Sitter = {
      side: pair.source,
      scene: await createScene(pair.source.deformer, maps, materialsRead && asRead(materialsRead)),
    },
    result: Sitter = { side: pair.result, scene: await createScene(pair.result.deformer, maps) };
  const { skeleton } = pair.source.deformer,
    joint = (role: string) => {
      const found = pair.source.roles.get(role as HumanoidRole);
      return found === undefined ? null : jointPosition(skeleton, found);
    };
  const views = standardViews(source.scene, joint, nearestM).filter(
      ({ name, pose }) =>
        (only?.includes(name) ?? true) && (pose === undefined || (!still && canTake(pair.source, pose))),
    ),
    looker = new Looker(source, result, images, meant);
  for (const [i, view] of views.entries()) {
    throwIfAborted(signal);
    progress(i / views.length, `drawing ${view.name}`);
    looker.look(view);
    await between?.();
  }
  return looker.finish();
}

/** The source with its maps as they were read; what is said of opacity of things that have none was no reading. */
function asRead(document: Document): Reading {
  const byName = new Map(
    document
      .getRoot()
      .listMaterials()
      .map((material) => [material.getName(), material]),
  );
  return {
    maps: (material) => byName.get(material.getName()) ?? material,
    solid: ({ kind }) => SOLID_KINDS.includes(kind),
  };
}

/** Whether a joint that moves the mesh turns in a pose: what has no skeleton can't be held against a result in it. */
const canTake = ({ deformer, roles }: Side, name: string): boolean =>
  deformer.ranges.some(({ part }) => part.node.getSkin()) &&
  (RANGE_OF_MOTION.find((pose) => pose.name === name)?.turns.some(({ role }) => roles.has(role)) ?? false);

interface Shot {
  picture: Picture;
  scene: Scene;
}
interface Place {
  region: LookRegion;
  weight: number;
  source: Pixels;
  result: Pixels;
}

class Looker {
  private readonly painter = new Painter(LOOK_SIZE);
  private readonly comparison = new Comparison(LOOK_SIZE);
  private readonly rows: LookRow[] = [];
  private places: Place[] = [];
  private posed: string | undefined;
  private readonly shots: { a: Shot; b: Shot; drawn: Shot };

  constructor(
    private readonly source: Sitter,
    private readonly result: Sitter,
    private readonly images: ImageCodec,
    private readonly meant: readonly MeantChange[],
  ) {
    const shot = ({ scene }: Sitter): Shot => ({ scene, picture: this.painter.picture(scene) });
    this.shots = { a: shot(source), b: shot(result), drawn: shot(result) };
  }

  look(view: View): void {
    const { painter } = this,
      camera = cameraOf(view);
    this.take(view.pose);
    const { a, b, drawn } = this.shots;
    painter.draw(a.scene, camera, { meant: a.picture });
    painter.draw(b.scene, camera, { meant: b.picture, drawn: drawn.picture });
    this.rows.push({
      view,
      converted: this.loss(view, a, b),
      drawn: this.loss(view, b, drawn),
      coverage: coverOf(a, b, drawn),
    });
  }

  /** Both take a pose, where they are not in it already. */
  private take(name: string | undefined): void {
    if (this.posed === name) return;
    this.posed = name;
    const pose = RANGE_OF_MOTION.find((one) => one.name === name);
    for (const { side, scene } of [this.source, this.result])
      poseScene(scene, side.deformer, pose && poseSkeleton(side.deformer.skeleton, side.roles, pose));
  }

  private loss(view: View, a: Shot, b: Shot): LookLoss {
    const found = this.comparison.compare(a.picture, b.picture),
      { deltaE, structure, light } = found;
    return {
      deltaE: { mean: rounded(deltaE.mean, 3), p99: deltaE.p99 },
      structure: rounded(structure, 4),
      light,
      regions: found.regions.map((region) => this.regionOf(view, a, b, region, found)),
    };
  }

  private regionOf(view: View, a: Shot, b: Shot, region: PictureRegion, { light }: PictureDifference): LookRegion {
    const camera = cameraOf(view),
      { pixel } = region,
      mm = (view.heightM / LOOK_SIZE) * 1000,
      depth = Math.min(a.picture.depth[pixel], b.picture.depth[pixel]),
      name = (shot: Shot, material: number) => (material < 0 ? null : shot.scene.materials[material].name);
    const out: LookRegion = {
      pixels: region.pixels,
      mm2: rounded(region.pixels * mm * mm, 1),
      deltaE: rounded(region.deltaE, 1),
      weight: Math.round(region.weight),
      at: pointAt(camera, LOOK_SIZE, pixel, depth),
      from: name(a, region.from),
      to: name(b, region.to),
      share: rounded(region.share, 2),
    };
    const joint = this.nearestJoint(out.at),
      change = this.meant.find(({ from, to }) => from === out.from && to === out.to);
    if (joint) out.joint = joint;
    if (change) {
      out.meant = change.step;
      return out;
    }
    if (this.places.length < MOST_CROPS || this.places.some((one) => one.weight < region.weight))
      this.keep({
        region: out,
        weight: region.weight,
        source: cropOf(a.picture, light, pixel, CROP),
        result: cropOf(b.picture, light, pixel, CROP),
      });
    return out;
  }

  private keep(place: Place): void {
    this.places.push(place);
    if (this.places.length <= MOST_CROPS) return;
    const lightest = this.places.reduce((least, one, i) => (one.weight < this.places[least].weight ? i : least), 0);
    this.places.splice(lightest, 1);
  }

  private nearestJoint(at: readonly number[]): string | undefined {
    const { skeleton } = this.source.side.deformer;
    let best: string | undefined,
      least = Infinity;
    skeleton.joints.forEach((joint, i) => {
      const p = jointPosition(skeleton, i),
        d = (p[0] - at[0]) ** 2 + (p[1] - at[1]) ** 2 + (p[2] - at[2]) ** 2;
      if (d < least) {
        least = d;
        best = joint.getName();
      }
    });
    return best;
  }

  /** Pictures of the heaviest places are written last, when it is known which they are. */
  async finish(): Promise<LookRow[]> {
    const { encode } = this.images;
    if (encode)
      for (const { region, source, result } of this.places)
        region.crops = { source: dataUri(await encode(source)), result: dataUri(await encode(result)) };
    return this.rows;
  }
}

function coverOf(a: Shot, b: Shot, drawn: Shot): LookCover[] {
  const out = new Map<string, LookCover>(),
    add = (shot: Shot, key: 'source' | 'result' | 'drawn') =>
      shot.scene.materials.forEach(({ name }, i) => {
        const row = out.get(name) ?? { material: name, source: 0, result: 0, drawn: 0 };
        row[key] += shot.picture.shown[i];
        out.set(name, row);
      });
  add(a, 'source');
  add(b, 'result');
  add(drawn, 'drawn');
  return [...out.values()]
    .filter((row) => Math.max(row.source, row.result, row.drawn) >= LEAST_COVER)
    .map((row) => ({
      material: row.material,
      source: Math.round(row.source),
      result: Math.round(row.result),
      drawn: Math.round(row.drawn),
    }));
}

function rounded(x: number, digits: number): number {
  const scale = [1, 10, 100, 1000, 10_000][digits];
  return Math.round(x * scale) / scale;
}

function dataUri(bytes: Uint8Array): string {
  let text = '';
  for (const byte of bytes) text += String.fromCharCode(byte);
  return `data:image/png;base64,${btoa(text)}`;
}
