import type { Document, Node } from '@gltf-transform/core';
import { globalMatrix, listMorphNames, skeletonOf } from '../../character/index.ts';
import { degreesOf, invertAffine } from '../../geometry/index.ts';
import type { Finding } from '../../problem.ts';
import type { InputFile } from '../files.ts';
import { writeGlb } from '../gltf/write.ts';
import { type Face, faceJson, facesFor } from './expressions.ts';
import type { VrmGiven } from './given.ts';
import { type HumanBones, humanBones } from './humanoid.ts';
import { metaFor } from './meta.ts';
import { springsFor } from './springs.ts';

/** Turns that a look to the side makes an eyeball follow: all around, up to so many degrees. */
const LOOKS = { inputMaxValue: 90, outputScale: 10 };
/** Of an expression that looks: all of it. */
const LOOKS_BY_MORPH = { inputMaxValue: 90, outputScale: 1 };

/**
 * One .vrm: a binary glTF with the open extensions VRMC_vrm and VRMC_springBone, version 1.0 (VRM consortium): humanoid,
 * expressions, look-at, first person, springs, authors and licence. The figure stands in metres and faces +z, arms out.
 */
export async function writeVrm(
  document: Document,
  name: string,
  given: VrmGiven,
): Promise<{ file: InputFile; findings: Finding[] }> {
  const root = document.getRoot(),
    nodes = root.listNodes(),
    number = new Map(nodes.map((node, i) => [node, i])),
    numberOf = (node: Node) => number.get(node) as number,
    // A mesh may be called as a joint is.
    find = (old: string, hasMesh = false) => {
      const now = given.renamed?.[old] ?? old,
        called = nodes.filter((node) => node.getName() === now);
      return called.find((node) => Boolean(node.getMesh()) === hasMesh) ?? called[0] ?? null;
    },
    bones = humanBones(skeletonOf(document).joints, given.roles),
    faces = facesFor(listMorphNames(document), given.asked, given.kept?.faces ?? []),
    springs = springsFor(given.kept?.version === '1.0' ? given.kept.springs : null, find, numberOf),
    { meta, doubts } = metaFor(given),
    vrm = {
      specVersion: '1.0',
      meta,
      humanoid: {
        humanBones: Object.fromEntries([...bones.bones].map(([role, node]) => [role, { node: numberOf(node) }])),
      },
      firstPerson: {
        meshAnnotations: nodes
          .filter((node) => node.getMesh())
          .map((node) => ({ node: numberOf(node), type: shownTo(node, given, find) })),
      },
      ...(bones.bones.has('head') && { lookAt: lookAt(bones, faces, given) }),
      ...(faces.length && {
        expressions: {
          preset: Object.fromEntries(
            faces.filter(({ preset }) => preset).map((face) => [face.name, faceJson(face, nodes, numberOf)]),
          ),
          custom: Object.fromEntries(
            faces.filter(({ preset }) => !preset).map((face) => [face.name, faceJson(face, nodes, numberOf)]),
          ),
        },
      }),
    };
  const bytes = await writeGlb(document, (json) => {
    if (json.nodes?.length !== nodes.length || json.nodes.some((node, i) => (node.name ?? '') !== nodes[i].getName()))
      throw new Error('writeVrm: expected the file’s nodes in the document’s order');
    json.extensions = {
      ...json.extensions,
      VRMC_vrm: vrm,
      ...(springs.json && { VRMC_springBone: springs.json }),
    };
    json.extensionsUsed = [...(json.extensionsUsed ?? []), 'VRMC_vrm', ...(springs.json ? ['VRMC_springBone'] : [])];
  });
  return {
    file: { path: `${name}.vrm`, bytes },
    findings: [...doubts, ...hanging(bones), ...told(bones, given, springs, faces)],
  };
}

/** From whose eyes a mesh is seen: as the file it came from said, else as whoever shows it decides. */
function shownTo(node: Node, { kept }: VrmGiven, find: (name: string, hasMesh: boolean) => Node | null): string {
  const said = (kept?.firstPerson as { meshAnnotations?: unknown } | undefined)?.meshAnnotations,
    row = (Array.isArray(said) ? said : []).find(
      (one: { node?: unknown; type?: unknown }) => typeof one?.node === 'string' && find(one.node, true) === node,
    );
  return ['both', 'thirdPersonOnly', 'firstPersonOnly'].includes(row?.type) ? row.type : 'auto';
}

/** By turning eyes where there are two, else by expressions. */
function lookAt({ bones }: HumanBones, faces: readonly Face[], { kept }: VrmGiven): object {
  const [left, right] = [bones.get('leftEye'), bones.get('rightEye')],
    byBone = Boolean(left && right) || !faces.some(({ name }) => name.startsWith('look')),
    way = byBone ? LOOKS : LOOKS_BY_MORPH,
    said = kept?.version === '1.0' ? (kept.lookAt as Record<string, unknown> | undefined) : undefined;
  return {
    rangeMapHorizontalInner: way,
    rangeMapHorizontalOuter: way,
    rangeMapVerticalDown: way,
    rangeMapVerticalUp: way,
    ...(said?.type === (byBone ? 'bone' : 'expression') && said),
    type: byBone ? 'bone' : 'expression',
    offsetFromHeadBone: betweenEyes(bones.get('head') as Node, left, right),
  };
}

/** The middle between the eyes as the head's joint sees it; a little before and above it where there are none, metres. */
function betweenEyes(head: Node, left: Node | undefined, right: Node | undefined): number[] {
  if (!left || !right) return [0, 0.06, 0.08];
  const inverse = new Float64Array(16),
    [a, b] = [globalMatrix(left), globalMatrix(right)];
  if (!invertAffine(inverse, 0, globalMatrix(head), 0)) return [0, 0.06, 0.08];
  const middle = [12, 13, 14].map((k) => (a[k] + b[k]) / 2);
  return [0, 1, 2].map(
    (r) => Math.round((inverse[12 + r] + middle.reduce((sum, x, c) => sum + x * inverse[c * 4 + r], 0)) * 1e6) / 1e6,
  );
}

/** Arms that hang by more than this are not straight out, degrees. */
const HANGS = 12;

/** The standard wants a figure whose arms are straight out where nothing poses it. */
function hanging({ bones }: HumanBones): Finding[] {
  const most = Math.max(
    ...(['left', 'right'] as const).map((side) => {
      const [a, b] = [bones.get(`${side}UpperArm`), bones.get(`${side}LowerArm`)].map(
        (node) => node && globalMatrix(node),
      );
      if (!a || !b) return 0;
      const [x, y, z] = [12, 13, 14].map((k) => b[k] - a[k]);
      return degreesOf(Math.abs(y), Math.sqrt(x * x + z * z));
    }),
  );
  return most > HANGS
    ? [
        {
          code: 'vrm.arms-not-out',
          severity: 'warning',
          message: `VRM wants arms straight out where nothing poses them; these are ${Math.round(most)} degrees off. Let the target ask for that rest pose, or motions made for VRM will be off by as much.`,
          measured: Math.round(most),
          limit: HANGS,
          repair: 'rest.convert',
        },
      ]
    : [];
}

function told(
  { missing, astray }: HumanBones,
  { kept }: VrmGiven,
  springs: ReturnType<typeof springsFor>,
  faces: readonly Face[],
): Finding[] {
  const findings: Finding[] = [],
    warn = (code: string, message: string, measured: number, repair?: Finding['repair']) =>
      findings.push({ code, severity: 'warning', message, measured, limit: 0, ...(repair && { repair }) });
  if (missing.length)
    warn(
      'vrm.bones-missing',
      `VRM wants ${missing.length === 1 ? 'a joint that isn’t' : `${missing.length} joints that aren’t`} there: ${missing.join(', ')}. Give the character a whole skeleton, or say in Skeleton which joint is which.`,
      missing.length,
      'skeleton.remap',
    );
  if (astray.length)
    warn(
      'vrm.bones-astray',
      `${astray.join(', ')} ${astray.length === 1 ? 'hangs' : 'hang'} elsewhere than VRM wants and ${astray.length === 1 ? 'is a joint' : 'are joints'} without a role in it.`,
      astray.length,
    );
  if (kept && kept.version === '0.x' && hasOldSprings(kept.springs))
    warn('vrm.springs-left', 'Springs of VRM 0.x aren’t carried over to 1.0: set them where the figure is used.', 1);
  if (springs.after < springs.before)
    warn(
      'vrm.springs-left',
      `${springs.before - springs.after} of ${springs.before} springs lost their joints and aren’t delivered.`,
      springs.before - springs.after,
    );
  if (kept?.constraints) warn('vrm.constraints-left', 'Constraints between joints aren’t delivered.', 1);
  if (!faces.length)
    warn(
      'vrm.no-expressions',
      'No expression is delivered: none of the morphs is called as VRM’s are. Let the target ask for the VRM 1.0 presets.',
      0,
      'morphs.expressions',
    );
  return findings;
}

const hasOldSprings = (springs: unknown): boolean =>
  ((springs as { boneGroups?: unknown[] } | undefined)?.boneGroups?.length ?? 0) > 0;
