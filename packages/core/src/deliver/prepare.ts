import type { Document } from '@gltf-transform/core';
import { readDossier, updateDossier } from '../character/index.ts';
import type { Finding } from '../problem.ts';
import type { StepContext } from '../step.ts';
import type { Target } from '../targets/index.ts';
import { clipsOut } from './clips-out.ts';
import { mapFolders } from './folders.ts';
import { jointsOut } from './joints-out.ts';
import { finishDocument } from './finish.ts';
import { type FileSays, fileSays } from './model-files.ts';
import { renameForDelivery } from './rename.ts';

/** A figure as it goes into files. */
export interface Prepared {
  document: Document;
  says: FileSays;
  findings: Finding[];
  materialKinds: Readonly<Record<string, string>> | undefined;
}

/** Brings a figure into the shape in which a target wants it handed over: root and tips, clips, names; and takes out what is ours. Changes `document`. */
export async function prepareForDelivery(
  document: Document,
  target: Target,
  name: string,
  context: StepContext,
): Promise<Prepared> {
  const { materialKinds: known } = readDossier(document),
    said = fileSays(document, name),
    { names, clips } = target.package,
    folderOf = mapFolders(document, target, name),
    ofJoints = jointsOut(document, target.joints),
    ofClips = clips ? clipsOut(document, clips) : [],
    named = names && renameForDelivery(document, target, name),
    says = named ? { ...said, renamed: { ...said.renamed, ...named.parts } } : said,
    finishing = await finishDocument(document, context, target.package.format, folderOf);
  return {
    document,
    says,
    findings: [...ofJoints, ...ofClips, ...(named?.findings ?? []), ...finishing],
    materialKinds: named?.materialKinds ?? known,
  };
}

/** What joints and materials are, is no part of the file; the rules need it all the same. */
export function sayAgain({ document, says, materialKinds }: Prepared): void {
  updateDossier(document, { declaredRoles: says.roles, ...(materialKinds && { materialKinds }) });
}
