import type { Document, Texture } from '@gltf-transform/core';
import { dropOwn, moveUnder, readDossier, removeDossier } from '../character/index.ts';
import type { Finding } from '../problem.ts';
import type { StepContext } from '../step.ts';
import { type PackageFormat, safeName } from '../targets/index.ts';
import { pruneUnused } from './prune.ts';
import { markSparseMorphs } from './sparse-morphs.ts';
import { tidySlots } from './tidy-slots.ts';
import { writeMaps } from './write-maps.ts';

/**
 * Writes maps that were not written yet, and drops what only Dimetra needs. Changes `document`; the caller hands over one of its own.
 * @param format what it is delivered as: some have a place for what others haven't
 * @param folderOf where a map lies, as the model reaches it
 */
export async function finishDocument(
  document: Document,
  context: StepContext,
  format: PackageFormat = 'glb',
  folderOf: (texture: Texture) => string = () => 'textures/',
): Promise<Finding[]> {
  const findings: Finding[] = format === 'vrm' ? [] : leftBehind(document);
  findings.push(...(await writeMaps(document, context)));
  for (const one of [...document.getRoot().listMaterials(), ...document.getRoot().listTextures()]) dropOwn(one);
  distinctFileNames(document, folderOf);
  for (const camera of document.getRoot().listCameras()) camera.dispose();
  document
    .getRoot()
    .listExtensionsUsed()
    .find((extension) => extension.extensionName === 'KHR_lights_punctual')
    ?.dispose();
  document.getRoot().getAsset().generator = 'Dimetra';
  removeDossier(document);
  placeSkinnedMeshes(document);
  tidySlots(document);
  pruneUnused(document);
  markSparseMorphs(document);
  return findings;
}

/**
 * A skinned mesh stands where its joints are, whatever its own node says (glTF 2.0 §3.7.3.3): its node gets no place of
 * its own and hangs in the scene itself. What hung below it stays where it was.
 */
function placeSkinnedMeshes(document: Document): void {
  for (const node of document.getRoot().listNodes()) {
    if (!node.getSkin() || !node.getMesh()) continue;
    for (const child of node.listChildren()) moveUnder(document, child, node.getParentNode());
    moveUnder(document, node, null);
    node.setTranslation([0, 0, 0]).setRotation([0, 0, 0, 1]).setScale([1, 1, 1]);
  }
}

/** Textures beside a model must not overwrite each other, and their names must be safe on every disk, in any script. */
function distinctFileNames(document: Document, folderOf: (texture: Texture) => string): void {
  const taken = new Set<string>();
  document
    .getRoot()
    .listTextures()
    .forEach((texture, i) => {
      const extension = texture.getMimeType() === 'image/jpeg' ? 'jpg' : texture.getMimeType().slice(6) || 'png';
      const given =
          texture
            .getURI()
            .replace(/^.*\//, '')
            .replace(/\.[^.]+$/, '') || texture.getName(),
        base = safeName(given) || `map_${i + 1}`;
      let name = `${base}.${extension}`;
      for (let n = 2; taken.has(name.toLowerCase()); n++) name = `${base}_${n}.${extension}`;
      taken.add(name.toLowerCase());
      texture.setURI(`${folderOf(texture)}${name}`);
    });
}

/** What came with VRM and has no place in plain glTF is said, not dropped in silence. */
function leftBehind(document: Document): Finding[] {
  const { vrm } = readDossier(document);
  const what =
    vrm &&
    (
      [
        ['expressions', vrm.expressions],
        ['springs', vrm.springs],
        ['look-at', vrm.lookAt],
        ['first-person settings', vrm.firstPerson],
        ['constraints', vrm.constraints],
      ] as const
    ).flatMap(([name, value]) => (value === undefined || value === null ? [] : [name]));
  return what?.length
    ? [
        {
          code: 'vrm.left-behind',
          severity: 'warning',
          message: `${what.join(', ').replace(/^./, (c) => c.toUpperCase())} of the VRM file have no place in glTF and aren't delivered; morphs, joints and the licence note are.`,
          measured: what.length,
          limit: 0,
        },
      ]
    : [];
}
