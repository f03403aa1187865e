import { asCheck, type Check, firstFew, noneOf } from '../check/index.ts';
import type { InputFile } from '../formats/index.ts';
import { textureState } from '../pixels/index.ts';
import type { Finding } from '../problem.ts';
import type { StepContext } from '../step.ts';
import { pathFrom, type Target } from '../targets/index.ts';
import { type BvhFile, bvhFiles } from './bvh-beside.ts';
import type { SecondEyes } from './judge.ts';
import { type DeliveredModel, deliveredModels, type PreparedLevel } from './models.ts';
import { mapFiles, reducedTo } from './only.ts';
import type { Prepared } from './prepare.ts';

/** All that goes out of a figure: its models, or what of it goes out alone, and what lies beside them as motion. */
export async function deliveredFiles(
  nearest: Prepared,
  levels: readonly PreparedLevel[],
  target: Target,
  called: { file: string; folder: string; heightM: number },
  { images, eyes }: Pick<StepContext, 'images'> & { eyes: SecondEyes },
): Promise<{ files: InputFile[]; models: DeliveredModel[]; findings: Finding[]; checks: Check[] }> {
  const { file, folder, heightM } = called,
    { only, bvh } = target.package,
    motion = bvh ? bvhFiles(nearest.document, file).map((one) => ({ ...one, path: pathFrom(folder, one.path) })) : [],
    checks = motion.length ? [await motionCheck(motion, eyes)] : [];
  if (only === 'maps') {
    const maps = mapFiles(nearest.document, folder);
    return {
      files: [...maps, ...bare(motion)],
      models: [],
      findings: [],
      checks: [await mapsCheck(nearest, maps, folder, images), ...checks],
    };
  }
  const alone = (prepared: Prepared): Prepared =>
      only ? { ...prepared, document: reducedTo(prepared.document, only) } : prepared,
    made = await deliveredModels(
      alone(nearest),
      levels.map((level) => ({ ...level, prepared: alone(level.prepared) })),
      target,
      file,
      heightM,
      folder,
    );
  return { ...made, files: [...made.files, ...bare(motion)], checks };
}

const bare = (files: readonly BvhFile[]): InputFile[] => files.map(({ path, bytes }) => ({ path, bytes }));

/** Centimetres of a file to millimetres, and how far a joint may be off: five decimals of a degree, over a leg. */
const MM = 10,
  OFF_MM = 0.5;

/** Joints of every .bvh stand, for a loader that isn't ours, where the clip has them. */
async function motionCheck(files: readonly BvhFile[], eyes: SecondEyes): Promise<Check> {
  const wrong: string[] = [];
  for (const file of files) {
    const { refused, frames = [] } = await eyes(file, [file]);
    if (refused) wrong.push(`${file.path} is refused: ${refused}`);
    for (const { frame, places } of frames) {
      const said = file.frames[frame],
        far = said ? farthest(said, places) : Infinity;
      if (!(far <= OFF_MM)) wrong.push(`${file.path}, frame ${frame + 1}: ${far.toFixed(1)} mm off`);
    }
  }
  return asCheck(
    noneOf(
      { rule: 'delivered.bvh', title: 'Motion that stands elsewhere', station: 'motion' },
      wrong,
      (list) =>
        `Read by another loader, joints of the BVH files aren't where the clips have them: ${firstFew(list, 3, '; ')}. Give the skeleton one root, or bones that keep their length.`,
    ),
  );
}

/** How far joints stand from where a frame has them, one by one, millimetres. */
function farthest(frame: Float64Array, places: readonly { at: readonly number[] }[]): number {
  if (places.length * 16 !== frame.length) return Infinity;
  return places.reduce(
    (most, { at }, i) => Math.max(most, Math.hypot(...at.map((x, k) => x * MM - frame[i * 16 + 12 + k] * 1000))),
    0,
  );
}

/** Maps that go out alone open and are as large as is stated. */
async function mapsCheck(
  { document }: Prepared,
  files: readonly InputFile[],
  folder: string,
  images: StepContext['images'],
): Promise<Check> {
  const wrong: string[] = [];
  for (const texture of document.getRoot().listTextures()) {
    const path = pathFrom(folder, texture.getURI()),
      { width, height } = textureState(texture),
      file = files.find((one) => one.path === path),
      read = file && (await images.decode(file.bytes).catch(() => null));
    if (!read) wrong.push(`${path} doesn't open`);
    else if (read.width !== width || read.height !== height)
      wrong.push(`${path} is ${read.width} × ${read.height}, stated are ${width} × ${height}`);
  }
  return asCheck(
    noneOf(
      { rule: 'delivered.images', title: "Maps that don't open or have another size", station: 'textures' },
      wrong,
      (list) => `Maps aren't what the report states: ${firstFew(list, 4, '; ')}.`,
    ),
  );
}
