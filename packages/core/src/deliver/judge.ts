import type { Document } from '@gltf-transform/core';
import type { Seen } from '@dimetra/eyes';
import {
  asCheck,
  type Check,
  checkCharacter,
  COMPRESSION_LIMITS,
  judgeCompression,
  judgeDelivered,
  type Stated,
  statedOf,
  weighed,
} from '../check/index.ts';
import { type InputFile, readCharacter } from '../formats/index.ts';
import { type CharacterSummary, type Contents, contentsOf } from '../inspect/index.ts';
import type { Parity } from '../parity/index.ts';
import type { Target } from '../targets/index.ts';
import { changedByCompression } from './changed-by-compression.ts';
import { heldBy } from './held.ts';

/** Opens delivered bytes by code that shares nothing with ours (`look` of @dimetra/eyes), injected by the platform. */
export type SecondEyes = (model: InputFile, files: readonly InputFile[]) => Promise<Seen>;

export interface Delivery {
  /** The model first, then the files it refers to. */
  files: readonly InputFile[];
  /** What the files were made from, or were read as. */
  document: Document;
  summary: CharacterSummary;
  target: Target;
  /** What lies beside the model for engines that take it apart: it counts in the package, and the model doesn't need it. */
  beside?: readonly InputFile[];
  parity?: Parity;
  /** What a report that came along states; without one the document's own figures. */
  stated?: Stated;
  contents?: Contents;
  /** The files hold the document's arrays compressed: what that changed is judged. */
  compressed?: boolean;
}

/** Every rule over one delivery: the target's over the figure, the second eyes' over the delivered bytes. */
export async function judgeDelivery(
  { files, document, summary, target, beside = [], parity, contents = summary, ...given }: Delivery,
  eyes: SecondEyes,
): Promise<{ checks: Check[]; stated: Stated }> {
  const [model] = files,
    packageBytes = [...files, ...beside].reduce((sum, file) => sum + file.bytes.length, 0);
  const held = heldBy(model.path),
    seen = await eyes(model, files),
    { document: again } = await readCharacter(files, undefined, { main: model.path }),
    read = contentsOf(again, { seen: false }),
    change = given.compressed ? changedByCompression(document, again) : null,
    // A morph that compression spoilt is not counted more kindly for it.
    stated = given.stated ?? statedOf(document, Math.min(change?.morphMm ?? 0, COMPRESSION_LIMITS.mm) / 1000);
  const checks = [
    ...checkCharacter({ document, summary, target, parity, packageBytes }),
    ...judgeDelivered({
      seen,
      stated: held.stated(stated),
      contents: { stated: held.contents(contents), read: held.contents(read) },
      roles: summary.joints.map(({ role }) => role),
    }).map(asCheck),
    ...(change ? judgeCompression(change).map(asCheck) : []),
  ];
  return { checks: weighed(checks, target), stated };
}
