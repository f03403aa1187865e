import * as v from 'valibot';
import { updateDossier } from '../character/index.ts';
import { type Check, type Stated, type Verdict, verdictOf } from '../check/index.ts';
import {
  baseName,
  extensionOf,
  folderOf,
  type InputFile,
  type ImageUnpacker,
  openArchive,
  readCharacter,
} from '../formats/index.ts';
import { type CharacterSummary, summarise } from '../inspect/index.ts';
import { ProblemError } from '../problem.ts';
import { standAsFound } from '../rig/index.ts';
import { CHOOSES_AXES, SHIPPED_FIGURES, type Target, withFigure } from '../targets/index.ts';
import { judgeDelivery, type SecondEyes } from './judge.ts';

export interface CheckedFiles {
  /** The model that was judged. */
  file: string;
  /** Whether a report of ours lay beside it, whose statements it was held to. */
  reported: boolean;
  summary: CharacterSummary;
  verdict: Verdict;
  checks: Check[];
}

const MODELS = ['glb', 'gltf', 'vrm', 'usda', 'usdz', 'dae', 'obj'];
const size = v.pipe(v.number(), v.finite());
const count = v.pipe(v.number(), v.integer(), v.minValue(0));
/** Only what is held against the model; a report may say more. */
const ReportSchema = v.looseObject({
  schema: v.literal(1),
  stated: v.object({
    sizeMm: v.nullable(v.tuple([size, size, size])),
    morphs: v.array(v.object({ name: v.string(), vertices: count, farthestMm: size, undecided: v.optional(count) })),
  }),
  result: v.looseObject({
    parts: v.array(
      v.looseObject({
        name: v.string(),
        material: v.nullable(v.string()),
        triangles: count,
        vertices: count,
        morphTargets: v.array(v.string()),
      }),
    ),
    joints: v.array(v.looseObject({ name: v.string(), parent: v.nullable(v.string()), role: v.string() })),
    materials: v.array(
      v.looseObject({
        name: v.string(),
        alphaMode: v.string(),
        doubleSided: v.boolean(),
        maps: v.record(v.string(), v.looseObject({ width: count, height: count })),
      }),
    ),
    textures: v.array(v.looseObject({ name: v.string(), width: count, height: count, mimeType: v.string() })),
    morphTargets: v.array(v.string()),
    clips: v.array(v.looseObject({ name: v.string(), channels: count })),
  }),
});

/**
 * Judges a delivery by its files, wherever it was made: every rule of the target that needs no source, and the second
 * pair of eyes. A report of ours beside the model is held against it.
 * @param main path of the model where several lie there
 * @throws ProblemError check.no-model, check.not-gltf, check.broken-report, or the reader's own
 */
export async function checkFiles(
  given: readonly InputFile[],
  target: Target,
  eyes: SecondEyes,
  options: { main?: string; unpackImage?: ImageUnpacker } = {},
): Promise<CheckedFiles> {
  const files =
    given.length === 1 && extensionOf(given[0].path) === 'zip' ? openArchive(given[0].bytes, given[0].path) : given;
  const model = modelIn(files, options.main),
    folder = folderOf(model.path);
  const beside = files
    .filter((file) => file.path.startsWith(folder))
    .map((file) => ({ path: file.path.slice(folder.length), bytes: file.bytes }));
  const own = { path: baseName(model.path), bytes: model.bytes },
    ordered = [own, ...beside.filter((file) => file.path !== own.path && !OTHERS.test(file.path))];
  const { document, name } = await readCharacter(ordered, undefined, {
    main: own.path,
    unpackImage: options.unpackImage,
  });
  // Such files say what is up and how long a unit is; what is judged stands upright, in metres.
  if (CHOOSES_AXES.some((format) => format === extensionOf(own.path))) standAsFound(document, { floor: false });
  const report = reportIn(beside);
  // What a joint is, is no part of the file.
  if (report)
    updateDossier(document, {
      declaredRoles: Object.fromEntries(report.result.joints.map((joint) => [joint.name, joint.role])),
    });
  const summary = summarise(document, name, { seen: false });
  const { checks } = await judgeDelivery(
    {
      files: ordered,
      document,
      summary,
      target: withFigure(target, SHIPPED_FIGURES),
      ...(report && { stated: report.stated as Stated, contents: report.result as unknown as CharacterSummary }),
    },
    eyes,
  );
  return { file: model.path, reported: report !== null, summary, verdict: verdictOf(checks), checks };
}

/** Of a package, but no part of the model. */
const OTHERS = /^(manifest\.json|report\.(json|html))$/;

function modelIn(files: readonly InputFile[], main: string | undefined): InputFile {
  const models = files.filter((file) => MODELS.includes(extensionOf(file.path))),
    named = main === undefined ? undefined : files.find((file) => file.path === main);
  if (named && !models.includes(named))
    throw new ProblemError(
      'check.not-gltf',
      `“${named.path}” is none of the formats that are delivered. Only .glb, .gltf, .vrm, .usda, .usdz, .dae and .obj are judged as deliveries; convert it first.`,
      named.path,
    );
  const [most] = [...models].sort((a, b) => b.bytes.length - a.bytes.length);
  if (!named && !most)
    throw new ProblemError(
      'check.no-model',
      'There is no .glb, .gltf, .vrm, .usda, .usdz, .dae or .obj here to judge.',
      files[0]?.path,
    );
  return named ?? most;
}

function reportIn(files: readonly InputFile[]): v.InferOutput<typeof ReportSchema> | null {
  const file = files.find((entry) => entry.path === 'report.json');
  if (!file) return null;
  let value: unknown;
  try {
    value = JSON.parse(new TextDecoder().decode(file.bytes));
  } catch (error) {
    throw new ProblemError(
      'check.broken-report',
      `“report.json” is not valid JSON: ${(error as Error).message}. Take it away to judge the model alone.`,
      file.path,
    );
  }
  const parsed = v.safeParse(ReportSchema, value);
  if (parsed.success) return parsed.output;
  const [issue] = parsed.issues;
  throw new ProblemError(
    'check.broken-report',
    `“report.json” is no report that can be held against the model: ${issue.path?.map((item) => String(item.key)).join('.') || 'the whole'} should be ${issue.expected ?? issue.message}, and is ${issue.received}. Take it away to judge the model alone.`,
    file.path,
  );
}
