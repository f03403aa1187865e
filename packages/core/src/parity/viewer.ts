import {
  cameraOf,
  Comparison,
  cropOf,
  Painter,
  type PictureDifference,
  type PictureRegion,
  pointAt,
  poseScene,
  type Scene,
  type View,
} from '../appearance/index.ts';
import { jointPosition } from '../character/index.ts';
import type { ImageCodec, Pixels } from '../pixels/index.ts';
import { poseSkeleton, RANGE_OF_MOTION } from '../rig/index.ts';
import type { AppearanceLoss, AppearanceRegion, AppearanceRow, MeantChange } from './appearance-row.ts';
import { coverOf, type Shot } from './cover.ts';
import type { Side } from './pair.ts';

/** Pixels along a picture. */
export const PICTURE_SIZE = 384;
/** Along a crop of a place where pictures differ. */
const CROP = 96;
/** Views that are shown whole: who it is, and whether that is still so. */
export const PICTURED: readonly string[] = ['figure, front', 'head, left'];
const PICTURE_QUALITY = 82;
/** Places of all views together that are shown. */
const MOST_CROPS = 6;

export interface Sitter {
  side: Side;
  scene: Scene;
  /** Morphs that close its eyes, with their weights. */
  shut?: Readonly<Record<string, number>>;
}
interface Place {
  region: AppearanceRegion;
  weight: number;
  source: Pixels;
  result: Pixels;
}

/** Looks at two figures from one side after the other. */
export class Viewer {
  private readonly painter = new Painter(PICTURE_SIZE);
  private readonly comparison = new Comparison(PICTURE_SIZE);
  private readonly rows: AppearanceRow[] = [];
  private places: Place[] = [];
  private readonly whole: { row: AppearanceRow; source: Pixels; result: Pixels }[] = [];
  /** What both stand in; they come at rest with open eyes. */
  private posed = ' ';
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
    this.take(view);
    const { a, b, drawn } = this.shots;
    painter.draw(a.scene, camera, { meant: a.picture });
    painter.draw(b.scene, camera, { meant: b.picture, drawn: drawn.picture });
    const converted = this.comparison.compare(a.picture, b.picture),
      convertedLoss = this.loss(view, a, b, converted),
      asDrawn = this.comparison.compareOn(drawn.picture);
    const row: AppearanceRow = {
      view,
      converted: convertedLoss,
      drawn: this.loss(view, b, drawn, asDrawn),
      coverage: coverOf(a, b, drawn, converted.noticed, asDrawn.noticed),
    };
    this.rows.push(row);
    if (PICTURED.includes(view.name)) this.whole.push({ row, source: wholeOf(a), result: wholeOf(b) });
  }

  /** Both take a pose, where they are not in it already. */
  private take({ pose: name, shut }: View): void {
    const taken = `${name ?? ''} ${shut ?? ''}`;
    if (this.posed === taken) return;
    this.posed = taken;
    const pose = RANGE_OF_MOTION.find((one) => one.name === name);
    for (const sitter of [this.source, this.result]) {
      const { deformer, roles } = sitter.side;
      poseScene(
        sitter.scene,
        deformer,
        pose && poseSkeleton(deformer.skeleton, roles, pose),
        shut ? sitter.shut : undefined,
      );
    }
  }

  private loss(view: View, a: Shot, b: Shot, found: PictureDifference): AppearanceLoss {
    const { deltaE, structure, light } = found;
    return {
      deltaE: { mean: rounded(deltaE.mean, 3), p99: deltaE.p99 },
      structure: rounded(structure, 4),
      light,
      regions: found.regions.map((region) => this.regionOf(view, a, b, region, found)),
    };
  }

  private regionOf(
    view: View,
    a: Shot,
    b: Shot,
    region: PictureRegion,
    { light }: PictureDifference,
  ): AppearanceRegion {
    const camera = cameraOf(view),
      { pixel } = region,
      mm = (view.heightM / PICTURE_SIZE) * 1000,
      depth = Math.min(a.picture.depth[pixel], b.picture.depth[pixel]),
      name = (shot: Shot, material: number) => (material < 0 ? null : shot.scene.materials[material].name);
    const out: AppearanceRegion = {
      pixels: region.pixels,
      mm2: rounded(region.pixels * mm * mm, 1),
      deltaE: rounded(region.deltaE, 1),
      weight: Math.round(region.weight),
      at: pointAt(camera, PICTURE_SIZE, pixel, depth),
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
  async finish(): Promise<AppearanceRow[]> {
    const { encode } = this.images;
    if (!encode) return this.rows;
    const asPhoto = async (pixels: Pixels) =>
      dataUri(await encode(pixels, { mimeType: 'image/jpeg', quality: PICTURE_QUALITY, opaque: true }), 'image/jpeg');
    for (const { row, source, result } of this.whole)
      row.pictures = { source: await asPhoto(source), result: await asPhoto(result) };
    for (const { region, source, result } of this.places)
      region.crops = { source: dataUri(await encode(source)), result: dataUri(await encode(result)) };
    return this.rows;
  }
}

function rounded(x: number, digits: number): number {
  const scale = [1, 10, 100, 1000, 10_000][digits];
  return Math.round(x * scale) / scale;
}

const wholeOf = ({ picture }: Shot): Pixels => cropOf(picture, 'front', 0, PICTURE_SIZE);

function dataUri(bytes: Uint8Array, mimeType = 'image/png'): string {
  let text = '';
  for (const byte of bytes) text += String.fromCharCode(byte);
  return `data:${mimeType};base64,${btoa(text)}`;
}
