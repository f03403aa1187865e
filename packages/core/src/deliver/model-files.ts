import type { Document } from '@gltf-transform/core';
import { readDossier, skeletonOf } from '../character/index.ts';
import { type InputFile, type VrmGiven, writeGlb, writeGltfFiles, writeVrm } from '../formats/index.ts';
import type { Finding } from '../problem.ts';
import { jointRoles } from '../rig/index.ts';
import { expressionSetOf, type Target } from '../targets/index.ts';
import { compressedFiles } from './compressed-files.ts';
import { daeFiles } from './dae-files.ts';
import { inUnits } from './in-units.ts';
import type { HeldLevel } from './levels/hold-levels.ts';
import { objFiles } from './obj-files.ts';
import { usdFiles } from './usd-files.ts';

/** What a model's file says that a finished document doesn't hold any more. */
export type FileSays = Pick<VrmGiven, 'title' | 'roles' | 'kept' | 'renamed' | 'copyright'>;

/** Of a document that isn't finished yet. */
export function fileSays(document: Document, title: string): FileSays {
  const { vrm, renamedJoints, origin } = readDossier(document);
  return { title, roles: rolesOf(document), kept: vrm, renamed: renamedJoints, copyright: origin?.copyright };
}

export const rolesOf = (document: Document): Record<string, string> => {
  const skeleton = skeletonOf(document),
    roles = jointRoles(document, skeleton);
  return Object.fromEntries(skeleton.joints.map((joint, i) => [joint.getName(), roles[i].role]));
};

/**
 * Model files of the package in the target's format, the model first, and what there is to say of them.
 * @param levels further levels that its file holds; glTF has them in `document` already
 */
export async function modelFiles(
  document: Document,
  target: Target,
  name: string,
  says: FileSays = fileSays(document, name),
  levels: readonly HeldLevel[] = [],
): Promise<{ files: InputFile[]; findings: Finding[] }> {
  const { format, meta = {}, compression = 'none' } = target.package;
  if (compression !== 'none' && (format === 'glb' || format === 'gltf'))
    return { files: await compressedFiles(document, name, format, compression), findings: [] };
  if (format === 'gltf') return { files: await writeGltfFiles(document, name), findings: [] };
  if (format === 'vrm') {
    const { expressions } = target.morphs,
      asked = expressions === undefined ? [] : expressionSetOf(expressions).entries.map((entry) => entry.name),
      { file, findings } = await writeVrm(document, name, { ...says, asked, meta });
    return { files: [file], findings };
  }
  if (format === 'dae') return daeFiles(inUnits(document, target.package), name, target.package);
  if (format === 'obj') return objFiles(document, name);
  if (format === 'usda' || format === 'usdz')
    return usdFiles(
      inUnits(document, target.package),
      name,
      format,
      target.package,
      levels.map((level) => ({ ...level, document: inUnits(level.document, target.package) })),
    );
  return { files: [{ path: `${name}.glb`, bytes: await writeGlb(document) }], findings: [] };
}
