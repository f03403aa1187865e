import type { Document, Material } from '@gltf-transform/core';
import {
  copyDocument,
  influencesMax,
  influencesOf,
  type KindFound,
  listMorphNames,
  listParts,
  mapsOf,
  namedKindsOf,
  readDossier,
  seenShares,
  type Skeleton,
  skeletonOf,
  textureFile,
} from '../character/index.ts';
import { jointRoles, type RoleFound, measureStance, type Stance, standUp } from '../rig/index.ts';
import { morphRows } from '../morphs/index.ts';
import type { Finding } from '../problem.ts';
import { knownLayouts, SHIPPED_FIGURES } from '../targets/index.ts';
import { faultMessage, findMapFaults, repairOf, usedTextures } from '../maps/index.ts';
import { type ImageCodec, textureMemory, textureState } from '../pixels/index.ts';
import type { CharacterSummary } from './character-summary.ts';
import { pieceFindings, stageFindings } from './came-findings.ts';
import { materialFindings, unreferencedFindings } from './material-findings.ts';
import { roleFindings, skeletonFindings, stanceFindings } from './stance-findings.ts';

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
export const inspectFindings = (document: Document, summary: CharacterSummary): Finding[] => [
  ...stanceFindings(summary),
  ...roleFindings(summary),
  ...materialFindings(document, summary),
  ...pieceFindings(document),
  ...skeletonFindings(document, summary),
  ...unreferencedFindings(document),
  ...stageFindings(document),
];
