import { copyDocument, updateDossier } from '../character/index.ts';
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
import { askedOf } from './only.ts';
import { joinParts } from './join-parts.ts';
import { judgeDelivery, type JudgedModel, type SecondEyes } from './judge.ts';
import { reportIn } from './stated-report.ts';

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
    // Models may lie in a folder of the package; its outermost is where the manifest is.
    folder = packageFolder(files, model.path) ?? folderOf(model.path),
    beside = ownOf(files, folder).map((file) => ({ path: file.path.slice(folder.length), bytes: file.bytes }));
  const own = { path: model.path.slice(folder.length), bytes: model.bytes },
    report = reportIn(beside);
  // Of a package of several models all are judged, unless one is asked for.
  const stated = report?.models?.filter(({ path }) => options.main === undefined || path === own.path) ?? [],
    rows = stated.length ? stated : [{ path: own.path, level: 0 }],
    read: { model: JudgedModel; name: string }[] = [];
  for (const row of rows) read.push(await readModel(row, beside, options));
  const [{ model: first, name }] = read,
    nearest = read.filter(({ model: { level } }) => level === 0).map(({ model: one }) => one.document),
    // Only a figure as a whole can be held against a target.
    document = nearest.length > 1 ? joinParts([copyDocument(nearest[0]), ...nearest.slice(1)]) : first.document;
  // Such files say what is up and how long a unit is; what is judged stands upright, in metres.
  if (CHOOSES_AXES.some((format) => format === extensionOf(first.path))) standAsFound(document, { floor: false });
  // What a joint is, is no part of the file.
  if (report)
    for (const one of new Set([document, ...read.map(({ model }) => model.document)]))
      updateDossier(one, {
        declaredRoles: Object.fromEntries(report.result.joints.map((joint) => [joint.name, joint.role])),
      });
  const summary = summarise(document, name, { seen: false }),
    whole = report && options.main === undefined && (report.result as unknown as CharacterSummary);
  const { checks } = await judgeDelivery(
    {
      files: first.files,
      document,
      summary,
      target: askedOf(withFigure(target, SHIPPED_FIGURES)),
      ...(stated.length
        ? { models: read.map(({ model }) => model), ...(whole && { contents: whole }) }
        : report && { stated: report.stated as Stated, contents: report.result as unknown as CharacterSummary }),
    },
    eyes,
  );
  return { file: model.path, reported: report !== null, summary, verdict: verdictOf(checks), checks };
}

/** One model of a package, read again, with what is stated of it. */
async function readModel(
  row: Pick<JudgedModel, 'path' | 'level' | 'part' | 'inside'> & { stated?: unknown; contents?: unknown },
  beside: readonly InputFile[],
  { unpackImage }: { unpackImage?: ImageUnpacker },
): Promise<{ model: JudgedModel; name: string }> {
  const file = beside.find(({ path }) => path === row.path);
  if (!file)
    throw new ProblemError(
      'check.no-part',
      `The report states “${row.path}”, which isn't here. Take the whole folder of the package, or the model alone without its report.`,
      row.path,
    );
  const files = [file, ...beside.filter(({ path }) => path !== row.path && !OTHERS.test(path))];
  const { document, name, used } = await readCharacter(files, undefined, {
    main: file.path,
    unpackImage,
    ...(row.inside && { level: row.level }),
  });
  return {
    model: {
      ...row,
      files: [file, ...files.filter(({ path }) => path !== file.path && used.includes(path))],
      document,
    } as JudgedModel,
    name,
  };
}

/** Of a package, but no part of the model. */
const OTHERS = /^(manifest\.json|report\.(json|html))$/;

/** Folders with a manifest, outermost first. */
const withManifest = (files: readonly InputFile[]): string[] =>
  files
    .flatMap(({ path }) => (baseName(path) === 'manifest.json' ? [folderOf(path)] : []))
    .sort((a, b) => a.length - b.length);

/** The innermost package that a file belongs to; null where none does. */
const packageFolder = (files: readonly InputFile[], path: string): string | null =>
  withManifest(files)
    .filter((folder) => path.startsWith(folder))
    .at(-1) ?? null;

/** What lies in a folder but for other packages in it: a folder with a manifest of its own is a grade. */
function ownOf(files: readonly InputFile[], folder: string): InputFile[] {
  const others = withManifest(files).filter((other) => other !== folder && other.startsWith(folder));
  return files.filter(({ path }) => path.startsWith(folder) && !others.some((other) => path.startsWith(other)));
}

function modelIn(files: readonly InputFile[], main: string | undefined): InputFile {
  const models = files.filter((file) => MODELS.includes(extensionOf(file.path))),
    named = main === undefined ? undefined : files.find((file) => file.path === main);
  if (named && !models.includes(named))
    throw new ProblemError(
      'check.not-gltf',
      `“${named.path}” is none of the formats that are delivered. Only .glb, .gltf, .vrm, .usda, .usdz, .dae and .obj are judged as deliveries; convert it first.`,
      named.path,
    );
  // Of a package with grades its own model, not one of theirs.
  const [top] = withManifest(files),
    inside = top === undefined ? [] : ownOf(files, top),
    own = models.filter((file) => inside.includes(file)),
    [most] = [...(own.length ? own : models)].sort((a, b) => b.bytes.length - a.bytes.length);
  if (!named && !most)
    throw new ProblemError(
      'check.no-model',
      'There is no .glb, .gltf, .vrm, .usda, .usdz, .dae or .obj here to judge.',
      files[0]?.path,
    );
  return named ?? most;
}
