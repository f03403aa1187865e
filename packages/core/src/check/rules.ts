import type { Document, Node } from '@gltf-transform/core';
import { floatsOf, listParts, roleLabel, skeletonOf } from '../character/index.ts';
import type { CharacterSummary } from '../intake/index.ts';
import type { Parity } from '../parity/index.ts';
import { quatAngle } from '../geometry/index.ts';
import { restDirections, wantedRest } from '../rest/index.ts';
import { jointRoles, missingRoles, roleIndex, turnsToward } from '../skeleton/index.ts';
import type { Station } from '../step.ts';
import { figureOf, isStatic, type ParityLimit, type Target } from '../targets/index.ts';
import { weightSumError } from '../weights/index.ts';

export interface Check {
  rule: string;
  title: string;
  ok: boolean;
  /** A broken rule that stops delivery. */
  blocking: boolean;
  measured: number | string;
  limit: number | string;
  unit: string;
  message: string;
  /** Station that mends it. */
  station: Station;
}

export interface Subject {
  document: Document;
  summary: CharacterSummary;
  target: Target;
  parity?: Parity;
  packageBytes?: number;
}

/** A rule's answer; where it has no sentence of its own, one is made of measure and limit. */
export type Judgement = Omit<Check, 'message'> & { message?: string };
type Rule = (subject: Subject) => Judgement | null;

const atMost =
  (
    rule: string,
    title: string,
    station: Station,
    unit: string,
    blocking: boolean,
    measured: (s: Subject) => number | undefined,
    limit: (s: Subject) => number | undefined,
  ): Rule =>
  (subject) => {
    const most = limit(subject),
      value = measured(subject);
    if (most === undefined || value === undefined) return null;
    return { rule, title, station, unit, blocking, measured: value, limit: most, ok: value <= most };
  };
/** A limit of parity stops delivery unless the target says that it is only noted. */
const parityLimit =
  (limit: ParityLimit, rule: Rule): Rule =>
  (subject) => {
    const found = rule(subject);
    return found && { ...found, blocking: !subject.target.parity.noteOnly.includes(limit) };
  };
/** A limit that nothing here can meet says where it will be met. */
const noControlYet =
  (where: string, rule: Rule): Rule =>
  (subject) => {
    const found = rule(subject);
    return found && !found.ok ? { ...found, message: `${asCheck(found).message} ${where}` } : found;
  };
/** Surfaces that are hardly ever white by themselves. */
const COLOURED: readonly string[] = [
  'skin',
  'lips',
  'eye',
  'lash',
  'brow',
  'scalp',
  'hair',
  'tongue',
  'nail',
  'cloth',
  'leather',
  'rubber',
  'other',
];
/** Materials without a colour map whose factor is a bright grey: what a map that was lost leaves behind. */
function whiteMaterials(document: Document, { materials }: CharacterSummary): string[] {
  return document
    .getRoot()
    .listMaterials()
    .flatMap((material, i) => {
      const [r, g, b] = material.getBaseColorFactor(),
        least = Math.min(r, g, b),
        said = materials[i];
      return said &&
        COLOURED.includes(said.kind) &&
        !material.getBaseColorTexture() &&
        least > 0.5 &&
        Math.max(r, g, b) - least < 0.02
        ? [`“${material.getName()}”`]
        : [];
    });
}
const mb = (bytes: number): number => Math.round((bytes / 1048576) * 10) / 10;

const RULES: readonly Rule[] = [
  atMost(
    'triangles.max',
    'Triangles',
    'reduce',
    '',
    true,
    (s) => s.summary.triangles,
    (s) => s.target.triangles.max,
  ),
  atMost(
    'joints.max',
    'Joints',
    'skeleton',
    '',
    true,
    (s) => s.summary.joints.length,
    (s) => s.target.joints.max,
  ),
  atMost(
    'influences.max',
    'Influences on a vertex',
    'weights',
    '',
    true,
    (s) => s.summary.influencesMax,
    (s) => s.target.influences.max,
  ),
  noControlYet(
    "Materials can't be joined here yet; the Materials station will do it. Until then raise the target's limit, or bring the character in with fewer.",
    atMost(
      'materials.max',
      'Materials',
      'materials',
      '',
      true,
      (s) => s.summary.materials.length,
      (s) => s.target.materials.max,
    ),
  ),
  atMost(
    'textures.size',
    'Longest side of a map',
    'textures',
    'px',
    true,
    (s) => Math.max(0, ...s.summary.textures.map((t) => Math.max(t.width, t.height))),
    (s) => s.target.textures.maxSize,
  ),
  atMost(
    'textures.memory',
    'Texture memory',
    'textures',
    'MB',
    true,
    (s) => mb(s.summary.textureMemoryBytes),
    (s) => s.target.textures.maxMemoryMB,
  ),
  noControlYet(
    "Morphs can't be dropped here yet; the Morphs station will do it. Until then raise the target's limit, or bring the character in with fewer.",
    atMost(
      'morphs.max',
      'Morph targets',
      'morphs',
      '',
      true,
      (s) => s.summary.morphTargets.length,
      (s) => s.target.morphs.max,
    ),
  ),
  ({ document, summary }) => {
    const bare = whiteMaterials(document, summary);
    return {
      rule: 'materials.white',
      title: 'Materials left white',
      station: 'materials',
      unit: '',
      blocking: true,
      measured: bare.length,
      limit: 0,
      ok: bare.length === 0,
      message: bare.length
        ? `White, without a colour map: ${bare.slice(0, 5).join(', ')}${bare.length > 5 ? ' …' : ''}. Put their maps in at Materials, or give them a colour.`
        : undefined,
    };
  },
  atMost(
    'package.size',
    'Package',
    'textures',
    'MB',
    false,
    (s) => (s.packageBytes === undefined ? undefined : mb(s.packageBytes)),
    (s) => s.target.package.maxMB,
  ),
  ({ summary, target }) => {
    const formats = [...new Set(summary.textures.map((texture) => texture.mimeType))];
    const other = formats.filter((format) => !(target.textures.formats as readonly string[]).includes(format));
    return {
      rule: 'textures.format',
      title: 'Map formats',
      station: 'textures',
      unit: '',
      blocking: true,
      measured: formats.join(', ') || 'none',
      limit: target.textures.formats.join(', '),
      ok: other.length === 0,
    };
  },
  ({ summary, target }) => ({
    rule: 'stance.height',
    title: 'Height',
    station: 'intake',
    unit: 'cm',
    blocking: true,
    measured: summary.heightCm,
    limit: `${target.heightCm.min}–${target.heightCm.max}`,
    ok: summary.heightCm >= target.heightCm.min && summary.heightCm <= target.heightCm.max,
  }),
  ({ summary: { upAxis, facing, unitMetres } }) => ({
    rule: 'stance.upright',
    title: 'Upright, facing front, in metres',
    station: 'intake',
    unit: '',
    blocking: true,
    measured: `${upAxis.toUpperCase()} up, facing ${facing.toUpperCase()}, ${unitMetres} m`,
    limit: 'Y up, facing +Z, 1 m',
    ok: upAxis === 'y' && facing === '+z' && unitMetres === 1,
  }),
  ({ summary }) => ({
    rule: 'stance.floor',
    title: 'Lowest point above the floor',
    station: 'intake',
    unit: 'cm',
    blocking: false,
    measured: summary.lowestCm,
    limit: '±1',
    ok: Math.abs(summary.lowestCm) <= 1,
  }),
  ({ summary, target }) => {
    const { length } = summary.joints;
    if (isStatic(target))
      return {
        rule: 'joints.none',
        title: 'Joints in a static figure',
        station: 'skeleton',
        unit: '',
        blocking: true,
        measured: length,
        limit: 0,
        ok: length === 0,
        message: length
          ? 'The target asks for a static figure, and joints are left. Switch the step that takes them into the mesh on.'
          : undefined,
      };
    if (!length)
      return {
        rule: 'joints.present',
        title: 'Skeleton',
        station: 'skeleton',
        unit: '',
        blocking: true,
        measured: 0,
        limit: 1,
        ok: false,
        message:
          "The character has no skeleton, so it can't be posed. Bring the skeleton with the mesh, take one from another character at Weights, or choose a target that asks for a static figure.",
      };
    const missing = missingRoles(summary.joints);
    return {
      rule: 'joints.roles',
      title: 'Required joints',
      station: 'skeleton',
      unit: 'missing',
      blocking: true,
      measured: missing.length,
      limit: 0,
      ok: missing.length === 0,
      message: missing.length ? `Not found: ${missing.map(roleLabel).join(', ')}. Tie them in the loom.` : undefined,
    };
  },
  ({ summary }) => {
    const twice = duplicates(summary.joints.map((joint) => joint.name));
    return {
      rule: 'joints.names',
      title: 'Joint names used twice',
      station: 'skeleton',
      unit: '',
      blocking: true,
      measured: twice.length,
      limit: 0,
      ok: twice.length === 0,
      message: twice.length ? `Used twice: ${twice.slice(0, 4).join(', ')}.` : undefined,
    };
  },
  ({ document, target }) => {
    const wanted = restDirections(wantedRest(target), target);
    // Without joints nothing says how the arms of a static figure stand; it is measured against its source so posed.
    if (!wanted || isStatic(target)) return null;
    const skeleton = skeletonOf(document),
      turns = turnsToward(skeleton, roleIndex(jointRoles(document, skeleton)), wanted);
    const off = Math.round(Math.max(0, ...turns.map(quatAngle)) * (1800 / Math.PI)) / 10;
    return {
      rule: 'rest.pose',
      title: "Rest pose off the target's",
      station: 'rest-pose',
      unit: '°',
      blocking: true,
      measured: off,
      limit: 2,
      ok: off <= 2,
    };
  },
  ({ document, target }) => {
    const figure = figureOf(target);
    if (!figure || isStatic(target)) return null;
    const names = new Set(skeletonOf(document).joints.map((joint) => joint.getName())),
      lost = figure.joints.filter((joint) => joint.role !== 'end' && !names.has(joint.name)),
      more = [...names].filter((name) => !figure.joints.some((joint) => joint.name === name));
    return {
      rule: 'joints.figure',
      title: `Joints unlike ${figure.title}`,
      station: 'skeleton',
      unit: '',
      blocking: true,
      measured: lost.length + more.length,
      limit: 0,
      ok: lost.length + more.length === 0,
      message:
        lost.length + more.length
          ? `Unlike ${figure.title}: ${[...lost.map((joint) => joint.name), ...more].slice(0, 5).join(', ')}. Switch the joints' step on.`
          : undefined,
    };
  },
  ({ document }) => {
    const joints = new Set(skeletonOf(document).joints);
    if (!joints.size) return null;
    const follows = (node: Node): boolean => {
      for (let at: Node | null = node; at; at = at.getParentNode()) if (at.getSkin() || joints.has(at)) return true;
      return false;
    };
    const loose = listParts(document).filter((part) => !follows(part.node));
    return {
      rule: 'joints.unbound',
      title: 'Parts that follow no joint',
      station: 'weights',
      unit: '',
      blocking: true,
      measured: loose.length,
      limit: 0,
      ok: loose.length === 0,
      message: loose.length
        ? `Left behind when the figure moves: ${loose
            .slice(0, 5)
            .map((part) => part.name)
            .join(', ')}. Give them weights at Weights, or leave them out.`
        : undefined,
    };
  },
  ({ document }) => {
    const error = Math.max(0, ...listParts(document).map((part) => weightSumError(part.prim)));
    return {
      rule: 'weights.sum',
      title: 'Weights off one by at most',
      station: 'weights',
      unit: '',
      blocking: true,
      measured: Number(error.toExponential(1)),
      limit: 1e-4,
      ok: error <= 1e-4,
    };
  },
  ({ document }) => {
    const bad = listParts(document).filter((part) =>
      ['POSITION', 'NORMAL', 'TEXCOORD_0'].some((name) => {
        const accessor = part.prim.getAttribute(name);
        return accessor ? floatsOf(accessor).some((value) => !Number.isFinite(value)) : false;
      }),
    );
    return {
      rule: 'mesh.finite',
      title: 'Parts with values that are not numbers',
      station: 'reduce',
      unit: '',
      blocking: true,
      measured: bad.length,
      limit: 0,
      ok: bad.length === 0,
    };
  },
  ({ document }) => {
    const empty = listParts(document).filter((part) => part.triangles === 0);
    return {
      rule: 'mesh.empty',
      title: 'Parts without triangles',
      station: 'reduce',
      unit: '',
      blocking: false,
      measured: empty.length,
      limit: 0,
      ok: empty.length === 0,
      message: empty.length ? `Left empty: ${empty.map((part) => part.name).join(', ')}.` : undefined,
    };
  },
  parityLimit(
    'rest',
    atMost(
      'parity.rest',
      'Shape at rest, RMS',
      'reduce',
      'mm',
      true,
      (s) => s.parity?.shape.rest.rmsMm,
      (s) => s.target.parity.restRmsMm,
    ),
  ),
  parityLimit('part', ({ parity, target }) => {
    const limit = target.parity.partRmsMm,
      worst = parity?.shape.parts?.reduce((most, row) => (row.rmsMm > most.rmsMm ? row : most));
    if (limit === undefined || !worst) return null;
    return {
      rule: 'parity.part',
      title: `Worst part at rest, RMS (${worst.name})`,
      station: 'reduce',
      unit: 'mm',
      blocking: true,
      measured: worst.rmsMm,
      limit,
      ok: worst.rmsMm <= limit,
    };
  }),
  parityLimit('skin', ({ parity, target }) => {
    const limit = target.parity.skinCm2,
      rows = parity?.shape.skin?.map((row) => ({
        ...row,
        more: Math.round((row.resultCm2 - row.sourceCm2) * 10) / 10,
      }));
    if (limit === undefined || !rows?.length) return null;
    const worst = rows.reduce((most, row) => (row.more > most.more ? row : most));
    return {
      rule: 'parity.skin',
      title: `Skin through clothes, more than in the source (${worst.pose})`,
      station: 'reduce',
      unit: 'cm²',
      blocking: true,
      measured: Math.max(0, worst.more),
      limit,
      ok: worst.more <= limit,
    };
  }),
  parityLimit(
    'pose',
    atMost(
      'parity.pose',
      'Shape in the worst pose, RMS',
      'reduce',
      'mm',
      true,
      (s) => (s.parity?.shape.poses.length ? Math.max(...s.parity.shape.poses.map((row) => row.rmsMm)) : undefined),
      (s) => s.target.parity.poseRmsMm,
    ),
  ),
  parityLimit(
    'pose-max',
    atMost(
      'parity.pose-max',
      'Largest distance in any pose',
      'weights',
      'mm',
      true,
      (s) => (s.parity?.shape.poses.length ? Math.max(...s.parity.shape.poses.map((row) => row.maxMm)) : undefined),
      (s) => s.target.parity.poseMaxMm,
    ),
  ),
  parityLimit('inventory', ({ parity }) => {
    if (!parity) return null;
    const lost = parity.inventory.lost.filter((entry) => entry.startsWith('morph:') || entry.startsWith('part:'));
    return {
      rule: 'parity.inventory',
      title: 'Parts and morphs lost',
      station: 'morphs',
      unit: '',
      blocking: true,
      measured: lost.length,
      limit: 0,
      ok: lost.length === 0,
      message: lost.length ? `Gone: ${lost.slice(0, 5).join(', ')}.` : undefined,
    };
  }),
];

function duplicates(names: readonly string[]): string[] {
  const seen = new Set<string>(),
    twice = new Set<string>();
  for (const name of names) {
    if (seen.has(name)) twice.add(name);
    seen.add(name);
  }
  return [...twice];
}

/** Every rule of the target, with the measured value beside the limit (D2). */
export function checkCharacter(subject: Subject): Check[] {
  return RULES.flatMap((rule) => {
    const found = rule(subject);
    return found ? [asCheck(found)] : [];
  });
}

/** A rule's answer with its sentence. */
export function asCheck(found: Judgement): Check {
  const unit = found.unit ? ` ${found.unit}` : '';
  const said =
    found.message ??
    `${found.title}: ${found.measured}${unit}, ${found.ok ? 'allowed' : 'the target allows'} ${found.limit}${unit}.`;
  return { ...found, message: found.ok || found.blocking ? said : said.replace(/\.$/, '; the target only notes it.') };
}

export const blockingChecks = (checks: readonly Check[]): Check[] =>
  checks.filter((check) => !check.ok && check.blocking);
