import { HAIR_KINDS, isHumanoidRole } from '../character/index.ts';
import { EXPRESSION_SETS, parseTarget, type Target, type TargetInput } from '../targets/index.ts';
import type { CharacterSummary } from './character-summary.ts';
import { learnPackage } from './learn-package.ts';
import type { Learned, Sample } from './sample.ts';
import { roomy } from './roomy.ts';

export interface LearnedTarget {
  target: Target;
  evidence: Learned[];
  /** What samples can't tell: taken as the target says, and asked. */
  doubts: Learned[];
}

const powerOfTwo = (value: number): number => 2 ** Math.ceil(Math.log2(Math.max(1, value)));
const megabytes = (bytes: number): number => Math.max(1, roomy(Math.ceil(bytes / 1048576), 1.2));
const listed = (numbers: readonly number[]): string =>
  [...new Set(numbers)].map((n) => n.toLocaleString('en-GB')).join(', ');
const IMAGES: readonly string[] = ['image/png', 'image/jpeg', 'image/webp'];

/**
 * A delivery target from characters that already work there: every limit as roomy as the largest of them needs, with what it
 * was taken from; what they can't tell is asked.
 * @param figure id of the figure that was learned from the first of them, where it has a skeleton
 */
export function learnTarget(
  samples: readonly [Sample, ...Sample[]],
  { id, title, figure }: { id: string; title: string; figure?: string | NonNullable<Target['joints']['figure']> },
): LearnedTarget {
  const all = samples.map(({ summary }) => summary),
    [first] = samples,
    evidence: Learned[] = [],
    doubts: Learned[] = [],
    most = (of: (one: CharacterSummary) => number): number => Math.max(...all.map(of)),
    /** A limit, and what it was taken from. */
    limit = (field: string, of: (one: CharacterSummary) => number, taken: number, what: string): number => {
      evidence.push({ field, says: `${listed(all.map(of))} ${what}: ${taken.toLocaleString('en-GB')} allowed` });
      return taken;
    };
  const triangles = limit('triangles.max', (one) => one.triangles, roomy(most((one) => one.triangles)), 'triangles'),
    influences = limit(
      'influences.max',
      (one) => one.influencesMax,
      Math.max(
        4,
        most((one) => one.influencesMax),
      ),
      'influences on a vertex at most',
    ),
    joints = most((one) => one.joints.length),
    materials = limit(
      'materials.max',
      (one) => one.materials.length,
      roomy(most((one) => one.materials.length)),
      'materials',
    ),
    morphs = limit(
      'morphs.max',
      (one) => one.morphTargets.length,
      most((one) => one.morphTargets.length),
      'morphs',
    ),
    memory = limit(
      'textures.maxMemoryMB',
      (one) => Math.round(one.textureMemoryBytes / 1048576),
      megabytes(most((one) => one.textureMemoryBytes)),
      'MB of textures',
    );
  const sides = all.flatMap(({ textures }) => textures.map(({ width, height }) => Math.max(width, height))),
    maxSize = Math.min(16_384, powerOfTwo(Math.max(1, ...sides)));
  evidence.push({
    field: 'textures.maxSize',
    says: sides.length ? `sides of ${listed(sides.sort((a, b) => b - a).slice(0, 6))} texels` : 'no maps at all',
  });
  const kinds = [...new Set(all.flatMap(({ textures }) => textures.map(({ mimeType }) => mimeType)))],
    formats = IMAGES.filter((one) => kinds.includes(one));
  evidence.push({ field: 'textures.formats', says: kinds.join(', ') || 'no maps at all' });
  const surfaces = all.flatMap((one) => one.materials),
    blended = surfaces.filter(({ alphaMode }) => alphaMode === 'BLEND'),
    hair = surfaces.filter(({ kind }) => (HAIR_KINDS as readonly string[]).includes(kind)),
    hairBlends = hair.some(({ alphaMode }) => alphaMode === 'BLEND');
  evidence.push({
    field: 'materials.hair',
    says: hair.length ? `hair is ${hairBlends ? 'blended' : 'cut out or solid'}` : 'no hair: cut out is taken',
  });
  evidence.push({
    field: 'materials.blendAllowed',
    says: blended.length ? `“${blended[0].name}” is blended` : 'nothing is blended',
  });
  const bytes = samples.map(({ files }) =>
      files.reduce((sum, file) => sum + (file.used === false ? 0 : file.bytes), 0),
    ),
    written = learnPackage(samples, megabytes(Math.max(...bytes)));
  evidence.push(...written.evidence, {
    field: 'package.maxMB',
    says: `${bytes.map((one) => (one / 1048576).toFixed(1)).join(', ')} MB of files`,
  });
  doubts.push(...written.doubts);
  const packing = packingOf(surfaces);
  if (packing)
    evidence.push({
      field: 'textures.packing',
      says: packing === 'one' ? 'occlusion lies with roughness and metalness' : 'occlusion lies in maps of its own',
    });
  const { packed } = first.summary.stored ?? {};
  if (packed) evidence.push({ field: 'textures.packed', says: `its maps are packed for graphics cards (${packed})` });
  const white = surfaces.filter((one) => one.white);
  if (white.length)
    evidence.push({
      field: 'rules.materials.white',
      says: `“${white[0].name}” is white by itself: such materials are only noted`,
    });
  const heights = all.map(({ heightCm }) => heightCm),
    height = { min: Math.max(1, Math.floor(Math.min(...heights) - 15)), max: Math.ceil(Math.max(...heights) + 15) };
  evidence.push({ field: 'heightCm', says: `${heights.map((one) => one.toFixed(1)).join(', ')} cm tall` });
  const skeleton = joints > 0,
    roles = first.summary.joints.filter(({ role }) => isHumanoidRole(role)).length;
  if (skeleton)
    evidence.push({
      field: 'joints.figure',
      says: `${first.summary.joints.length} joints, ${roles} of them of a body, with their names, places and pose`,
    });
  else evidence.push({ field: 'joints.keep', says: 'no skeleton: a static figure' });
  const names = new Set(first.summary.morphTargets),
    set = EXPRESSION_SETS.map((one) => ({
      one,
      share: one.entries.filter(({ name }) => names.has(name)).length / Math.max(1, one.entries.length),
    })).sort((a, b) => b.share - a.share)[0];
  if (set && set.share > 0.8)
    evidence.push({
      field: 'morphs.expressions',
      says: `${Math.round(set.share * 100)} % of “${set.one.title}” are morphs of these names`,
    });
  const clips = all.some((one) => one.clips.length);
  doubts.push(
    { field: 'appearance.nearestM', says: 'How near does the viewer come? 0.7 m is taken.' },
    { field: 'parity', says: 'How far may a result be from its source? 1.5 mm RMS at rest and 4 in poses are taken.' },
    {
      field: 'package.clips',
      says: clips
        ? 'All clips are taken along, as the samples have some.'
        : 'The samples have no clips; those of a character are left out.',
    },
  );
  const target: TargetInput = {
    schema: 1,
    id,
    title,
    note: `Learned from ${all.map(({ name }) => name).join(', ')}.`.slice(0, 2000),
    heightCm: height,
    triangles: { max: triangles },
    influences: { max: influences },
    joints: skeleton
      ? { keep: 'all', names: figure ? 'roles' : 'source', ...(figure && { figure }) }
      : { keep: 'none' },
    ...(skeleton && figure && { restPose: 'figure' as const }),
    materials: { max: materials, hair: hairBlends ? 'blend' : 'mask', blendAllowed: blended.length > 0 },
    textures: {
      maxSize,
      formats: (formats.length ? formats : ['image/png', 'image/jpeg']) as TargetInput['textures']['formats'],
      maxMemoryMB: memory,
      ...(packing && { packing }),
      ...(packed && { packed }),
    },
    morphs: { max: morphs, ...(set && set.share > 0.8 && { expressions: set.one.id }) },
    appearance: { nearestM: 0.7 },
    package: written.package,
    ...(white.length && { rules: { 'materials.white': 'notes' as const } }),
    origin: { learned: Object.fromEntries(evidence.map(({ field, says }) => [field, says.slice(0, 1000)])) },
    parity: { restRmsMm: 1.5, partRmsMm: 4, poseRmsMm: 4, poseMaxMm: 80, skinCm2: 20 },
  };
  return { target: parseTarget(target), evidence, doubts };
}

/** Where occlusion lies, where all materials that have it agree. */
function packingOf(materials: CharacterSummary['materials']): 'one' | 'apart' | null {
  const both = materials.flatMap(({ maps: { occlusion, metallicRoughness } }) =>
    occlusion ? [occlusion.file === metallicRoughness?.file] : [],
  );
  if (!both.length || both.some((together) => together !== both[0])) return null;
  return both[0] ? 'one' : 'apart';
}
