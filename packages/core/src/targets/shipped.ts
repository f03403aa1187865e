import { parseTarget, type Target, type TargetInput } from './schema.ts';

const FORMATS: TargetInput['textures']['formats'] = ['image/png', 'image/jpeg'];

/** The skin on the figure's own polygons. */
const FULL: TargetInput['fit'] = { body: true, maps: 2048 };

/** A target that asks for another figure and leaves everything else as fine as it comes. */
function figureTarget(id: string, title: string, note: string, figure: string, fit?: TargetInput['fit']): TargetInput {
  return {
    schema: 1,
    id,
    title,
    note,
    triangles: { max: 130_000 },
    influences: { max: 8 },
    joints: { keep: 'all', names: 'roles', figure },
    restPose: 'figure',
    ...(fit && { fit }),
    materials: { max: 32, hair: 'blend', blendAllowed: true },
    textures: { maxSize: 4096, formats: FORMATS, maxMemoryMB: 512 },
    morphs: { max: 256 },
    package: { format: 'glb', maxMB: 160 },
    // Where a figure has other joints in the trunk, bends of all of it can't agree: that is said, with its number, and left to who asks for the figure.
    parity: { restRmsMm: 1, partRmsMm: 3, poseRmsMm: 3, poseMaxMm: 80, skinCm2: 10, noteOnly: ['pose'] },
  };
}

/** The Saltmarsh production's targets, as data like any other. */
const SHIPPED: TargetInput[] = [
  {
    schema: 1,
    id: 'bridge-close-up',
    title: 'Bridge close-up',
    note: "Desktop simulator, faces seen at arm's length on the bridge.",
    triangles: { max: 80_000 },
    influences: { max: 8 },
    joints: { keep: 'all', names: 'roles' },
    materials: { max: 32, hair: 'blend', blendAllowed: true, eyeLayers: ['tear', 'shade'] },
    textures: { maxSize: 4096, formats: FORMATS, maxMemoryMB: 512 },
    morphs: { max: 256 },
    appearance: { nearestM: 0.4, other: 3000, changed: 8000, cover: 40 },
    package: { format: 'glb', maxMB: 120 },
    parity: { restRmsMm: 0.5, partRmsMm: 2, poseRmsMm: 1, poseMaxMm: 20, skinCm2: 10 },
  },
  {
    schema: 1,
    id: 'headset-deck',
    title: 'Headset deck',
    note: 'Standalone headset, boarding drills on deck.',
    triangles: { max: 20_000 },
    influences: { max: 4 },
    joints: { keep: 'all', max: 75, names: 'roles' },
    materials: { max: 24, hair: 'mask', blendAllowed: true },
    textures: { maxSize: 1024, sizes: { occlusion: 512 }, formats: FORMATS, maxMemoryMB: 96 },
    morphs: { max: 80 },
    appearance: { nearestM: 0.7, other: 10000, changed: 18000, cover: 60 },
    package: { format: 'glb', maxMB: 40 },
    parity: { restRmsMm: 1.5, partRmsMm: 4, poseRmsMm: 2.5, poseMaxMm: 40, skinCm2: 20 },
  },
  {
    schema: 1,
    id: 'quayside-crowd',
    title: 'Quayside crowd',
    note: 'Many people at a distance along the quay.',
    triangles: { max: 6_000 },
    influences: { max: 4 },
    joints: { keep: 'body', names: 'roles' },
    materials: { max: 24, hair: 'mask', blendAllowed: false },
    textures: { maxSize: 512, sizes: { occlusion: 256 }, formats: FORMATS, maxMemoryMB: 24 },
    morphs: { max: 80 },
    appearance: { nearestM: 4, other: 6000, changed: 30000, cover: 90 },
    package: { format: 'glb', maxMB: 12 },
    parity: { restRmsMm: 5, partRmsMm: 14, poseRmsMm: 8, poseMaxMm: 140, skinCm2: 60 },
  },
  {
    schema: 1,
    id: 'browser-viewer',
    title: 'Browser viewer',
    note: 'Web page with the bridge crew, any laptop.',
    triangles: { max: 40_000 },
    influences: { max: 4 },
    joints: { keep: 'all', names: 'roles' },
    materials: { max: 24, hair: 'mask', blendAllowed: true },
    textures: { maxSize: 2048, sizes: { occlusion: 1024 }, formats: FORMATS, maxMemoryMB: 192 },
    morphs: { max: 120 },
    appearance: { nearestM: 0.7, other: 6000, changed: 14000 },
    package: { format: 'glb', maxMB: 60 },
    parity: { restRmsMm: 1, partRmsMm: 3, poseRmsMm: 1.5, poseMaxMm: 30, skinCm2: 10 },
  },
  {
    schema: 1,
    id: 'vrm-humanoid',
    title: 'VRM 1.0 avatar',
    note: 'One .vrm as the open VRM 1.0 asks: humanoid joints, arms straight out, its expressions, look-at, licence.',
    triangles: { max: 60_000 },
    influences: { max: 4 },
    joints: { keep: 'humanoid', names: 'roles' },
    materials: { max: 32, hair: 'mask', blendAllowed: true },
    textures: { maxSize: 2048, formats: FORMATS, maxMemoryMB: 256 },
    restPose: 'arms-out',
    morphs: { max: 256, expressions: 'vrm-1' },
    appearance: { nearestM: 0.7, other: 6000, changed: 12000 },
    package: { format: 'vrm', maxMB: 100 },
    parity: { restRmsMm: 1, partRmsMm: 3, poseRmsMm: 3, poseMaxMm: 60, skinCm2: 10 },
  },
  figureTarget(
    'tessel-figure',
    'Tessel figure',
    'Polygons, texture places, joints and rest pose of figure format Tessel: arms down 45 degrees.',
    'tessel',
    FULL,
  ),
  figureTarget(
    'corvane-figure',
    'Corvane figure',
    'Polygons, texture places, joints and rest pose of figure format Corvane: arms straight out, few spine joints.',
    'corvane',
    FULL,
  ),
  figureTarget(
    'h-anim-figure',
    'H-Anim figure',
    'Joints of ISO/IEC 19774-1, level of articulation 2, arms at the sides.',
    'h-anim-2',
  ),
];

export const SHIPPED_TARGETS: readonly Target[] = SHIPPED.map((target) => parseTarget(target));

/**
 * A target as it was stored before targets spoke of appearance, with what it lacks: as the shipped one of that id says it,
 * else as a new target would. The same object where it lacks nothing.
 */
export function withAppearance(stored: Target): Target {
  if ((stored as Partial<Target>).appearance) return stored;
  const { appearance } = SHIPPED_TARGETS.find(({ id }) => id === stored.id) ?? parseTarget(stored);
  return { ...stored, appearance };
}
