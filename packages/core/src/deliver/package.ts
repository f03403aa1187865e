import type { Document, Texture } from '@gltf-transform/core';
import pMap from 'p-map';
import {
  type BeyondGltf,
  dropOwn,
  moveUnder,
  readDossier,
  removeDossier,
  skeletonOf,
  textureFile,
} from '../character/index.ts';
import { type InputFile, type VrmGiven, writeGlb, writeGltfFiles, writeVrm } from '../formats/index.ts';
import { type Finding, ProblemError, throwIfAborted } from '../problem.ts';
import type { StepContext } from '../step.ts';
import { jointRoles } from '../rig/index.ts';
import { expressionSetOf, namesBy, type PackageFormat, type Target } from '../targets/index.ts';
import { compressedFiles } from './compressed-files.ts';
import { daeFiles } from './dae-files.ts';
import type { HeldLevel } from './levels/hold-levels.ts';
import { inUnits } from './in-units.ts';
import { objFiles } from './obj-files.ts';
import { pruneUnused } from './prune.ts';
import { markSparseMorphs } from './sparse-morphs.ts';
import { tidySlots } from './tidy-slots.ts';
import { usdFiles } from './usd-files.ts';
import { type Averaged, averagedNormals, widenMap } from './widen-maps.ts';
import {
  clearOperations,
  coverage,
  IMAGES_AT_ONCE,
  type ImageMime,
  type ImageOperation,
  operationsOf,
  type PackOperation,
} from '../pixels/index.ts';
import { packMaps, renameForFormat } from './pack-maps.ts';
import { wornTextures } from '../maps/index.ts';
import type { MaterialMaps } from '../textures/index.ts';

/**
 * Carries out what was decided for images, once, on the originals; what can't be read stays as it came, and is told.
 * Changes `document`; the caller hands over one of its own.
 */
export async function writeMaps(document: Document, context: StepContext): Promise<Finding[]> {
  const failed = new Map<Texture, Finding>();
  // Images that found no material, and such as glTF has no place for, are not delivered.
  const worn = new Set(wornTextures(document));
  for (const texture of document.getRoot().listTextures()) if (!worn.has(texture)) texture.dispose();
  const textures = document.getRoot().listTextures(),
    covered = coverage(document),
    averaged = new Map(averagedNormals(document).map((pair) => [pair.surface, pair])),
    packs = new Map<Texture, PackOperation>();
  const apply = async (texture: Texture, operations: readonly ImageOperation[]): Promise<void> => {
    const image = texture.getImage();
    if (!image || !operations.length) return;
    const done = await context.images
      .apply(image, operations, (width, height) => covered(texture, width, height))
      .catch((error: unknown) => {
        if (!(error instanceof ProblemError)) throw error;
        failed.set(texture, notWritten(texture, error));
        return null;
      });
    if (!done) return;
    texture.setImage(done.bytes as Uint8Array<ArrayBuffer>).setMimeType(done.mimeType);
    renameForFormat(texture, done.mimeType);
  };
  let begun = 0;
  const write = async (texture: Texture, i: number): Promise<void> => {
    throwIfAborted(context.signal);
    context.progress(
      begun++ / Math.max(1, textures.length),
      `writing map ${texture.getName() || texture.getURI() || i + 1}`,
    );
    const decided = stagesOf(texture),
      { pixels, encode, pack } = decided;
    clearOperations(texture);
    if (pack) packs.set(texture, pack);
    const pair = averaged.get(texture);
    // What is changed once more loses nothing until then.
    if (!pack && !pair) return apply(texture, [...pixels, ...encode]);
    const image = texture.getImage(),
      type = texture.getMimeType();
    if (pixels.length) await apply(texture, [...pixels, { op: 'draft' }]);
    const widened = pair && (await widenMap(pair, context.images));
    if (pack || !image) return;
    if (widened) return apply(texture, encode.length ? encode : [inFormat(type)]);
    texture.setImage(image).setMimeType(type);
    await apply(texture, [...pixels, ...encode]);
  };
  await pMap(besideTheirNormals(textures, averaged), write, { concurrency: IMAGES_AT_ONCE });
  const unpacked = await packMaps(document, packs, context);
  return [...textures.flatMap((texture) => failed.get(texture) ?? []), ...unpacked];
}

/** Surface maps follow the normals that they are widened by, which are open then. */
function besideTheirNormals(textures: readonly Texture[], averaged: ReadonlyMap<Texture, Averaged>): Texture[] {
  const place = new Map(textures.map((texture, i) => [texture, i])),
    rank = (texture: Texture): number => {
      const normal = averaged.get(texture)?.normal;
      return (normal ? place.get(normal) : undefined) ?? (place.get(texture) as number);
    };
  return [...textures].sort((a, b) => rank(a) - rank(b) || Number(averaged.has(a)) - Number(averaged.has(b)));
}

interface Stages {
  /** Changes of its pixels. */
  pixels: ImageOperation[];
  /** The format it is then written in; its own where nothing is said. */
  encode: ImageOperation[];
  pack?: PackOperation;
}

/** What is decided for an image, in the order it is carried out. */
function stagesOf(texture: Texture): Stages {
  const all = operationsOf(texture);
  return {
    pixels: all.filter((operation) => operation.op !== 'pack' && operation.op !== 'encode'),
    encode: all.filter((operation) => operation.op === 'encode'),
    pack: all.find((operation) => operation.op === 'pack'),
  };
}
const inFormat = (mimeType: string): ImageOperation => ({
  op: 'encode',
  mimeType: mimeType as ImageMime,
  quality: 90,
});

const notWritten = (texture: Texture, { message }: ProblemError): Finding => ({
  code: 'textures.not-written',
  severity: 'warning',
  message: `“${textureFile(texture)}” is delivered as it came: ${message.replace(/^./, (c) => c.toLowerCase())}`,
  where: textureFile(texture),
});

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
      const base =
        (
          texture
            .getURI()
            .replace(/^.*\//, '')
            .replace(/\.[^.]+$/, '') ||
          texture.getName() ||
          `map_${i + 1}`
        )
          .normalize('NFC')
          .replace(/[^\p{L}\p{N}\p{M}_.-]+/gu, '_')
          .replace(/^\.+/, '_') || `map_${i + 1}`;
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

export interface Manifest {
  schema: 1;
  character: string;
  target: string;
  created: string;
  origin: unknown;
  /** What of materials glTF has no place for, by name, where the target asks for it. */
  materials?: Record<string, BeyondGltf>;
  /** Further qualities of the figure, each a package in a folder of its own. */
  grades?: { id: string; title: string; folder: string }[];
  /** Where the package holds several: which file is which part, and which level of detail. */
  models?: { path: string; level: number; fromM?: number; part?: string; inside?: true }[];
  /** Maps beside the model, material by material, where the target asks for them. */
  maps?: MaterialMaps[];
  files: { path: string; bytes: number; sha256: string }[];
}

/** Names that some systems keep for devices. */
const RESERVED = /^(con|prn|aux|nul|com\d|lpt\d)$/;
const MOST_LETTERS = 80;

/** A file name for a character: letters and digits of any script, composed (NFC), everything else a hyphen; safe on every disk. */
export function fileNameOf(name: string): string {
  const plain = [
    ...name
      .normalize('NFC')
      .toLowerCase()
      .replace(/[^\p{L}\p{N}\p{M}]+/gu, '-'),
  ]
    .slice(0, MOST_LETTERS)
    .join('')
    .replace(/^-+|-+$/g, '');
  return RESERVED.test(plain) ? `${plain}-character` : plain || 'character';
}

/** What a model's file is called, without its ending: by the target's pattern, or as {@link fileNameOf} has it. */
export function modelNameOf(name: string, target: Target): string {
  const { file } = target.package.names ?? {};
  if (!file) return fileNameOf(name);
  const [own] = namesBy(file, [{ name }], { character: name, target: target.title }, { files: true }).names;
  return RESERVED.test(own.toLowerCase()) ? `${own}-character` : own;
}

/** All files of a delivery, with a list of their sizes and hashes. @throws ProblemError package.files-collide */
export function sealPackage(
  files: readonly InputFile[],
  manifest: Omit<Manifest, 'files'>,
  hash: (bytes: Uint8Array) => string,
): { files: InputFile[]; manifest: Manifest } {
  const taken = new Set<string>();
  for (const { path } of files) {
    // Some disks know no capitals.
    if (taken.has(path.toLowerCase()))
      throw new ProblemError(
        'package.files-collide',
        `Two files of the package would be called “${path}”. Give folders, grades or files other names in the target.`,
        path,
      );
    taken.add(path.toLowerCase());
  }
  const full: Manifest = {
    ...manifest,
    files: files.map((file) => ({ path: file.path, bytes: file.bytes.length, sha256: hash(file.bytes) })),
  };
  const all = [...files, { path: 'manifest.json', bytes: new TextEncoder().encode(JSON.stringify(full, null, 2)) }];
  return { files: all, manifest: full };
}
