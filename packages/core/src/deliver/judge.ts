import type { Document } from '@gltf-transform/core';
import type { Seen } from '@dimetra/eyes';
import {
  asCheck,
  type Check,
  checkCharacter,
  COMPRESSION_LIMITS,
  contentsApart,
  firstFew,
  foldedChecks,
  judgeCompression,
  judgeDelivered,
  judgeLevels,
  type LevelRow,
  noneOf,
  type Stated,
  statedOf,
  weighed,
} from '../check/index.ts';
import { extensionOf, type InputFile, readCharacter } from '../formats/index.ts';
import { type CharacterSummary, type Contents, contentsOf } from '../inspect/index.ts';
import type { Parity } from '../parity/index.ts';
import { HOLDS_MAPS, type Target } from '../targets/index.ts';
import { changedByCompression } from './changed-by-compression.ts';
import { contentsTogether } from './contents-together.ts';
import { heldBy } from './held.ts';
import type { DeliveredModel } from './models.ts';

/** Opens delivered bytes by code that shares nothing with ours (`look` of @dimetra/eyes), injected by the platform. */
export type SecondEyes = (
  model: InputFile,
  files: readonly InputFile[],
  /** Which level of detail, where the model holds several. */
  wanted?: { level?: number },
) => Promise<Seen>;

export interface Delivery {
  /** The model first, then the files it refers to; of several models that of the nearest; none where maps alone go out. */
  files: readonly InputFile[];
  /** What the figure was made from, or was read as. */
  document: Document;
  summary: CharacterSummary;
  target: Target;
  /** Where the package holds more than one model, all of them: parts, and levels further away. */
  models?: readonly JudgedModel[];
  /** What lies beside the model for engines that take it apart: it counts in the package, and the model doesn't need it. */
  beside?: readonly InputFile[];
  parity?: Parity;
  /** How the levels behind the nearest look from where they begin. */
  levels?: readonly LevelRow[];
  /** What a report that came along states; without one the document's own figures. */
  stated?: Stated;
  contents?: Contents;
  /** The files hold the document's arrays compressed: what that changed is judged. */
  compressed?: boolean;
}

export type JudgedModel = Pick<DeliveredModel, 'path' | 'files' | 'document' | 'level' | 'part' | 'inside'> & {
  stated?: Stated;
  contents?: Contents;
};

/** What is stated of one model of several. */
export interface StatedModel {
  path: string;
  /** 0 is the nearest. */
  level: number;
  part?: string;
  /** It is not what the file shows by itself. */
  inside?: true;
  stated: Stated;
  contents: Contents;
}

/** Every rule over one delivery: the target's over the figure, the second eyes' over the delivered bytes of every model. */
export async function judgeDelivery(
  { files, document, summary, target, beside = [], parity, levels = [], compressed = false, ...given }: Delivery,
  eyes: SecondEyes,
): Promise<{ checks: Check[]; stated: Stated; models?: StatedModel[] }> {
  // Where maps alone go out there is no model.
  const whole = files.slice(0, 1).map(({ path }) => ({
      path,
      files,
      document,
      level: 0,
      stated: given.stated,
      contents: given.contents,
    })),
    models: readonly JudgedModel[] = given.models ?? whole,
    bytes = new Map(
      [...models.flatMap((model) => [...model.files]), ...beside].map(({ path, bytes: { length } }) => [path, length]),
    ),
    packageBytes = [...bytes.values()].reduce((sum, length) => sum + length, 0),
    roles = summary.joints.map(({ role }) => role);
  const answers: Answer[] = [];
  for (const model of models)
    answers.push(
      await judgeModel(model, model.document === document ? summary : undefined, { roles, compressed }, eyes),
    );
  const checks = [
    ...checkCharacter({ document, summary: asHeld(summary, answers, models), target, parity, packageBytes }),
    ...foldedChecks(
      answers.map(({ checks: own }, i) => ({ checks: own, of: models.length > 1 ? calledModel(models[i]) : '' })),
    ),
    ...(models.some(({ part }) => part !== undefined)
      ? [partsTogether(given.contents ?? summary, answers, models, heldBy(files[0].path))]
      : []),
    ...judgeLevels(levels).map(asCheck),
  ];
  return {
    checks: weighed(checks, target),
    stated: models.length === 1 ? answers[0].stated : (given.stated ?? statedOf(document)),
    ...((models.length > 1 || models.some((model) => model.document !== document)) && {
      models: models.map(({ path, level, part, inside }, i) => ({
        path,
        level,
        ...(part !== undefined && { part }),
        ...(inside && { inside }),
        stated: answers[i].stated,
        contents: answers[i].contents,
      })),
    }),
  };
}

/** Maps that lie within the files of several parts are there as often: no loader knows that they are the same. */
function asHeld(
  summary: CharacterSummary,
  answers: readonly Answer[],
  models: readonly JudgedModel[],
): CharacterSummary {
  const nearest = answers.filter((_, i) => models[i].level === 0);
  if (nearest.length < 2 || !HOLDS_MAPS.some((format) => format === extensionOf(models[0].path))) return summary;
  return {
    ...summary,
    textureMemoryBytes: nearest.reduce((sum, { read }) => sum + read.textureMemoryBytes, 0),
  };
}

const calledModel = ({ path, level, inside }: JudgedModel): string => (inside ? `${path}, level ${level}` : path);

interface Answer {
  checks: Check[];
  stated: Stated;
  contents: Contents;
  read: Contents;
}

/** The delivered bytes of one model, opened by our reader and by other eyes, against what it was made from. */
async function judgeModel(
  { path, files, document, level, inside, ...given }: JudgedModel,
  summary: CharacterSummary | undefined,
  { roles, compressed }: { roles: readonly string[]; compressed: boolean },
  eyes: SecondEyes,
): Promise<Answer> {
  const [model] = files,
    wanted = inside ? { level } : {},
    held = heldBy(path),
    seen = await eyes(model, files, wanted),
    { document: again } = await readCharacter(files, undefined, { main: model.path, ...wanted }),
    read = contentsOf(again, { seen: false }),
    contents = given.contents ?? summary ?? contentsOf(document, { seen: false }),
    change = compressed ? changedByCompression(document, again) : null,
    // A morph that compression spoilt is not counted more kindly for it.
    stated =
      given.stated ?? statedOf(document, Math.min(change?.morphMm ?? 0, COMPRESSION_LIMITS.mm) / 1000 + held.blurM);
  const checks = [
    ...judgeDelivered({
      seen,
      stated: held.stated(stated),
      contents: { stated: held.contents(contents), read: held.contents(read) },
      roles,
      inside,
    }).map(asCheck),
    ...(change ? judgeCompression(change).map(asCheck) : []),
  ];
  return { checks, stated, contents, read };
}

/** Parts in files of their own are together what the figure is. */
function partsTogether(
  whole: Contents,
  answers: readonly Answer[],
  models: readonly JudgedModel[],
  held: ReturnType<typeof heldBy>,
): Check {
  const together = contentsTogether(answers.flatMap(({ read }, i) => (models[i].level === 0 ? [read] : [])));
  return asCheck(
    noneOf(
      { rule: 'delivered.whole', title: 'Parts together, unlike the whole', station: 'deliver' },
      contentsApart(held.contents(whole), held.contents(together)),
      (list) => `The files of all parts together aren't made of what the report states: ${firstFew(list, 4, '; ')}.`,
    ),
  );
}
