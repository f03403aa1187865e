import type { Document, Material } from '@gltf-transform/core';
import {
  copyDocument,
  influencesMax,
  influencesOf,
  isSeenThrough,
  type JointRole,
  type KindFound,
  listMorphNames,
  listParts,
  mapsOf,
  namedKindsOf,
  ownOf,
  readDossier,
  roleLabel,
  seenShares,
  type Skeleton,
  skeletonOf,
  type Stored,
  STRAND_KINDS,
  textureFile,
} from '../character/index.ts';
import {
  ADULT_CM,
  brokenBindFinding,
  findBrokenBinds,
  jointRoles,
  type RoleFound,
  stageThings,
  measureStance,
  type Stance,
  standUp,
} from '../rig/index.ts';
import { type MorphRow, morphRows } from '../morphs/index.ts';
import { idleFindings, missingRoles } from '../skeleton/index.ts';
import type { Finding } from '../problem.ts';
import { channelWords } from '../textures/index.ts';
import { knownLayouts, SHIPPED_FIGURES } from '../targets/index.ts';
import {
  coarseMaps,
  faultMessage,
  findMapFaults,
  findMaps,
  mapDensities,
  repairOf,
  usedTextures,
} from '../maps/index.ts';
import { type ImageCodec, textureMemory, textureState } from '../pixels/index.ts';
import { findMisplaced, groupPieces, namePattern } from '../intake/index.ts';

export interface MapSummary {
  file: string;
  width: number;
  height: number;
}
/** The inventory of a character (I3): a contract, version 1. */
export interface CharacterSummary {
  name: string;
  heightCm: number;
  /** Lowest point above the floor. */
  lowestCm: number;
  upAxis: string;
  unitMetres: number;
  facing: string;
  /** Set where nothing tells the facing. */
  facingUnsure?: true;
  evidence: string[];
  triangles: number;
  vertices: number;
  parts: {
    id: string;
    name: string;
    role: string;
    kind: string;
    material: string | null;
    triangles: number;
    vertices: number;
    morphTargets: string[] /** How much of it can be seen from outside, 0 to 1, where that was looked at. */;
    seen?: number;
  }[];
  joints: { name: string; parent: string | null; role: JointRole; confidence: number; reason: string }[];
  influencesMax: number;
  materials: {
    name: string;
    kind: string;
    /** How certain that is, 0 … 1, and what tells it; not known of what was read long ago. */
    kindConfidence?: number;
    kindReason?: string;
    alphaMode: string;
    doubleSided: boolean;
    maps: Record<string, MapSummary>;
    /** A bright grey without a colour map where hardly anything is so by itself: what a lost map leaves behind, or meant so. */
    white?: true;
  }[];
  textures: { name: string; width: number; height: number; mimeType: string; bytes: number }[];
  textureMemoryBytes: number;
  morphTargets: string[];
  /** What each morph is for, where it moves the body and what it costs; looked at as the character arrives. */
  morphs?: MorphRow[];
  clips: { name: string; seconds: number; channels: number }[];
  /** How its files held it, where that is worth knowing. */
  stored?: Stored;
}

/** What a character is made of, without how it stands and what its joints are for. */
export type Contents = Omit<
  CharacterSummary,
  | 'name'
  | 'morphs'
  | 'heightCm'
  | 'lowestCm'
  | 'upAxis'
  | 'unitMetres'
  | 'facing'
  | 'facingUnsure'
  | 'evidence'
  | 'joints'
  | 'stored'
> & { joints: { name: string; parent: string | null }[] };

/**
 * @param name the character's name; the file's where nobody gave one
 * @param options `seen` false leaves out how much of each part can be seen and what morphs do; `stance` where it is known already
 */
export function summarise(
  document: Document,
  name: string,
  options: { seen?: boolean; stance?: Stance } = {},
): CharacterSummary {
  const skeleton = skeletonOf(document);
  const stance = options.stance ?? measureStance(document);
  const standing = stands(stance) ? document : stoodUp(document, stance);
  const roles = standingRoles(document, standing, skeleton);
  const { joints, ...contents } = contentsOf(document, options),
    { stored } = readDossier(document);
  return {
    name,
    heightCm: stance.heightCm,
    lowestCm: stance.lowestCm,
    upAxis: stance.upAxis,
    unitMetres: stance.unitMetres,
    facing: stance.facing,
    ...(stance.facingUnsure && { facingUnsure: stance.facingUnsure }),
    evidence: stance.evidence,
    ...(stored && { stored }),
    ...contents,
    ...(options.seen !== false && {
      morphs: morphRows(standing === document && stance.unitMetres !== 1 ? stoodUp(document, stance) : standing),
    }),
    joints: joints.map((joint, i) => ({
      ...joint,
      role: roles[i].role,
      confidence: Math.round(roles[i].confidence * 100) / 100,
      reason: roles[i].reason,
    })),
  };
}

/** @param options `seen` false leaves out how much of each part can be seen */
export function contentsOf(document: Document, options: { seen?: boolean } = {}): Contents {
  const root = document.getRoot();
  const parts = listParts(document);
  const skeleton = skeletonOf(document);
  const textures = usedTextures(document);
  const names = new Map(textures.map((texture, i) => [texture, textureFile(texture) || `image ${i + 1}`]));
  const { kindsFound = {} } = readDossier(document),
    kindOf = namedKindsOf(document);
  const seen = options.seen === false ? null : seenShares(document);
  let most = 0;
  for (const prim of new Set(parts.map((part) => part.prim))) {
    const influences = influencesOf(prim);
    if (influences) most = Math.max(most, influencesMax(influences));
  }
  return {
    triangles: parts.reduce((sum, part) => sum + part.triangles, 0),
    vertices: parts.reduce((sum, part) => sum + part.vertices, 0),
    parts: parts.map((part) => ({
      id: part.id,
      name: part.name,
      role: part.role,
      kind: part.kind,
      material: part.material?.getName() ?? null,
      triangles: part.triangles,
      vertices: part.vertices,
      morphTargets: part.morphNames,
      ...(seen && { seen: seen.get(part.id) }),
    })),
    joints: skeleton.joints.map((joint, i) => ({
      name: joint.getName(),
      parent: skeleton.parent[i] >= 0 ? skeleton.joints[skeleton.parent[i]].getName() : null,
    })),
    influencesMax: most,
    materials: root.listMaterials().map((material) => ({
      name: material.getName(),
      ...saidKind(kindOf(material), kindsFound[material.getName()]),
      alphaMode: material.getAlphaMode(),
      doubleSided: material.getDoubleSided(),
      ...(isWhite(material, kindOf(material).kind) && { white: true as const }),
      maps: Object.fromEntries(
        mapsOf(material).map((use) => {
          const state = textureState(use.texture);
          return [use.channel, { file: names.get(use.texture) as string, width: state.width, height: state.height }];
        }),
      ),
    })),
    textures: textures.map((texture) => ({ name: names.get(texture) as string, ...textureState(texture) })),
    textureMemoryBytes: textures.reduce((sum, texture) => sum + textureMemory(textureState(texture)), 0),
    morphTargets: listMorphNames(document),
    clips: root.listAnimations().map((clip) => ({
      name: clip.getName(),
      seconds: clip
        .listSamplers()
        .reduce((longest, sampler) => Math.max(longest, sampler.getInput()?.getMax([])[0] ?? 0), 0),
      channels: clip.listChannels().length,
    })),
  };
}

/** Surfaces that are hardly ever white by themselves. */
const COLOURED: ReadonlySet<string> = new Set(
  'skin lips eye lash brow scalp hair tongue nail cloth leather rubber other'.split(' '),
);

/** Hardly ever so by itself, without a colour map, and its factor a bright grey. */
function isWhite(material: Material, kind: string): boolean {
  if (!COLOURED.has(kind) || material.getBaseColorTexture()) return false;
  const [r, g, b] = material.getBaseColorFactor(),
    least = Math.min(r, g, b);
  return least > 0.5 && Math.max(r, g, b) - least < 0.02;
}

/** What a material is, with what tells it: where nothing was said by hand, what was found out as it arrived. */
function saidKind(named: KindFound, found: { kind: string; confidence: number; reason: string } | undefined) {
  const { kind, confidence, reason } =
    found && (named.kind === found.kind || !named.confidence) ? { ...found, kind: named.kind } : named;
  return { kind, kindConfidence: confidence, kindReason: reason };
}

const stands = ({ upAxis, facing }: Stance): boolean => upAxis === 'y' && facing === '+z';
/** A copy of a lying figure, stood up and in metres. */
function stoodUp(document: Document, stance: Stance): Document {
  const copy = copyDocument(document);
  standUp(copy, { ...stance, floor: false });
  return copy;
}

/** Roles told by place need a figure that stands. */
function standingRoles(document: Document, standing: Document, skeleton: Skeleton): RoleFound[] {
  const stood = skeletonOf(standing),
    roles = jointRoles(standing, stood);
  if (standing === document) return roles;
  const byName = new Map(stood.joints.map((joint, i) => [joint.getName(), roles[i]]));
  return skeleton.joints.map((joint, i) => byName.get(joint.getName()) ?? roles[i]);
}

/** Maps whose pixels contradict what they are used for; asks for an image codec, so it stands apart. */
export async function inspectMaps(document: Document, images: ImageCodec): Promise<Finding[]> {
  return (await findMapFaults(document, images, knownLayouts(SHIPPED_FIGURES))).map((fault) => ({
    code: fault.code,
    severity: 'warning' as const,
    message: faultMessage(fault),
    where: fault.material.getName(),
    measured: fault.measured,
    names: { map: textureFile(fault.texture), channel: fault.channel, ...(fault.figure && { figure: fault.figure }) },
    repair: repairOf(fault),
  }));
}

/** What is worth a decision before anything is converted. */
export function inspectFindings(document: Document, summary: CharacterSummary): Finding[] {
  const findings: Finding[] = [];
  const [least, most] = ADULT_CM;
  if (summary.heightCm < least || summary.heightCm > most)
    findings.push({
      code: 'intake.height',
      severity: 'warning',
      message: `The character is ${summary.heightCm} cm high; an adult stands ${least} to ${most} cm. Set the unit if that is wrong.`,
      measured: summary.heightCm,
      limit: `${least}–${most}`,
      repair: 'intake.stand',
    });
  if (summary.unitMetres !== 1)
    findings.push({
      code: 'intake.unit',
      severity: 'warning',
      message: `One unit of the file is ${summary.unitMetres} m; the character is brought to metres.`,
      measured: summary.unitMetres,
      limit: 1,
      repair: 'intake.stand',
    });
  if (summary.upAxis !== 'y')
    findings.push({
      code: 'intake.up-axis',
      severity: 'warning',
      message: `The figure doesn't stand: its up axis is ${summary.upAxis.toUpperCase()}. It is stood up.`,
      measured: summary.upAxis,
      limit: 'y',
      repair: 'intake.stand',
    });
  if (summary.facing !== '+z')
    findings.push({
      code: 'intake.facing',
      severity: 'warning',
      message: `The figure faces ${summary.facing.toUpperCase()}; it is turned to +Z.`,
      measured: summary.facing,
      limit: '+z',
      repair: 'intake.stand',
    });
  if (summary.facingUnsure)
    findings.push({
      code: 'intake.facing-unsure',
      severity: 'warning',
      message:
        'Nothing tells which way the figure faces; it is taken to face front. Set the facing if its left and right are swapped.',
      repair: 'intake.stand',
    });
  const missing = summary.joints.length ? missingRoles(summary.joints) : [];
  if (missing.length)
    findings.push({
      code: 'skeleton.roles-missing',
      severity: 'warning',
      message: `No joint was recognised as ${missing.map(roleLabel).join(', ')}.`,
      measured: missing.length,
      limit: 0,
      repair: 'skeleton.remap',
    });
  const { kindsFound = {}, materialKinds = {} } = readDossier(document);
  for (const [name, { kind, reason }] of Object.entries(kindsFound))
    if (materialKinds[name])
      findings.push({
        code: 'materials.kind-found',
        severity: 'info',
        message: `“${name}” is taken for ${kind}: ${reason}.`,
        where: name,
      });
    else
      findings.push({
        code: 'materials.kind-unsure',
        severity: 'warning',
        message:
          kind === 'other'
            ? `Nothing tells what “${name}” is: not its name, its place or its looks. Say what it is.`
            : `“${name}” may be ${kind}: ${reason}. That is not enough to be sure; say what it is.`,
        where: name,
        repair: 'materials.kinds',
      });
  for (const { found, usual } of coarseMaps(mapDensities(document, summary.unitMetres)))
    findings.push({
      code: 'textures.coarse',
      severity: 'warning',
      message: `The colour map “${found.file}” of “${found.material.getName()}” has ${found.perCm.toPrecision(2)} texels on a centimetre, where most of the figure has ${usual.toPrecision(2)}: it is ${found.side} to a side, perhaps a thumbnail brought by mistake. Bring the map itself.`,
      where: found.material.getName(),
      measured: Number(found.perCm.toPrecision(2)),
      limit: Number(usual.toPrecision(2)),
    });
  for (const material of summary.materials) {
    if (material.alphaMode === 'BLEND' && !isSeenThrough(material.kind))
      findings.push({
        code: 'materials.blended-by-accident',
        severity: 'warning',
        message: `“${material.name}” is drawn blended, which ${material.kind === 'other' ? 'such a surface' : material.kind} rarely needs; the run decides by its pixels.`,
        where: material.name,
        repair: 'materials.transparency',
      });
    if (
      !material.maps.baseColor &&
      !material.maps.diffuse &&
      !['cornea', 'tear', 'glass', 'metal'].includes(material.kind)
    )
      findings.push({
        code: 'materials.no-base-colour',
        severity: 'info',
        message: `“${material.name}” has no base colour map.`,
        where: material.name,
      });
  }
  const strands: readonly string[] = STRAND_KINDS,
    materials = document.getRoot().listMaterials();
  summary.materials.forEach((said, i) => {
    const material = materials[i],
      color = material?.getBaseColorTexture(),
      kept = material && ownOf(material, 'maps');
    if (
      !color ||
      color.getMimeType() !== 'image/jpeg' ||
      kept?.opacity ||
      material.getBaseColorFactor()[3] < 0.98 ||
      (said.alphaMode === 'OPAQUE' && !strands.includes(said.kind))
    )
      return;
    findings.push({
      code: 'materials.no-alpha',
      severity: 'warning',
      message: `The colour map of “${said.name}” is a JPEG, which has no alpha: what should be seen through is drawn solid. Bring it as PNG, or its opacity beside it.`,
      where: said.name,
      repair: 'materials.transparency',
    });
  });
  // A node with several materials is one piece, whatever its parts are called.
  const pattern = namePattern([...new Set(listParts(document).map((part) => part.node.getName()))]);
  if (pattern)
    findings.push({
      code: 'intake.pieces',
      severity: 'info',
      message:
        `The body comes in ${pattern.pieces} pieces, named ${pattern.prefix ? `“${pattern.prefix}…` : '“…'}${pattern.suffix ? `…${pattern.suffix}”` : '”'}. The run joins what belongs together.`.replace(
          '……',
          '…',
        ),
      measured: pattern.pieces,
      repair: 'intake.assemble',
    });
  for (const { group, from, to, triangles } of findMisplaced(groupPieces(document)))
    findings.push({
      code: 'materials.misplaced',
      severity: 'warning',
      message: `${triangles} triangles of “${group.name}” have the material “${from?.getName() ?? 'none'}”, and lie in the surface of “${to?.getName() ?? 'none'}”. The run gives them back.`,
      where: group.name,
      measured: triangles,
      limit: 0,
      repair: 'intake.assemble',
    });
  const skeleton = skeletonOf(document);
  if (summary.joints.length === skeleton.joints.length)
    findings.push(...idleFindings(document, skeleton, summary.joints, summary.unitMetres));
  findings.push(
    ...findBrokenBinds(document, skeleton).map((entry) => brokenBindFinding(entry, skeleton, summary.unitMetres)),
  );
  const found = findMaps(document);
  for (const material of new Set(found.map((map) => map.material))) {
    const maps = found.filter((map) => map.material === material);
    findings.push({
      code: 'textures.unreferenced',
      severity: 'info',
      message: `${maps.length === 1 ? 'A map' : `${maps.length} maps`} of “${material.getName()}” came along without being named by the file: ${maps.map((map) => channelWords(map.channel)).join('; ')}. The run puts ${maps.length === 1 ? 'it' : 'them'} in place.`,
      where: material.getName(),
      measured: maps.length,
      repair: 'intake.find-maps',
    });
  }
  const cameras = document.getRoot().listCameras().length,
    lights = document
      .getRoot()
      .listNodes()
      .filter((node) =>
        node.listExtensions().some((extension) => extension.extensionName === 'KHR_lights_punctual'),
      ).length,
    things = stageThings(document);
  const came = [
    cameras && `${cameras} ${cameras === 1 ? 'camera' : 'cameras'}`,
    lights && `${lights} ${lights === 1 ? 'light' : 'lights'}`,
    ...things.map(({ part, why }) => `“${part.name}” (${why})`),
  ].filter(Boolean);
  if (came.length)
    findings.push({
      code: 'intake.stage-things',
      severity: 'info',
      message: `${came.join(', ')} came along; ${came.length === 1 && cameras + lights <= 1 ? 'it is' : 'they are'} left out of what is delivered.`,
      measured: cameras + lights + things.length,
      ...(things.length ? { repair: 'intake.leave-out' } : {}),
    });
  return findings;
}
