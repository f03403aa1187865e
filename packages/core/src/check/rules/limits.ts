import { KTX2 } from '../../pixels/index.ts';
import { notPacked } from '../../materials/index.ts';
import type { CharacterSummary } from '../../inspect/index.ts';
import { asCheck, atMost, firstFew, judged, noneOf, type Rule } from '../judgement.ts';

/** A limit whose sentence says what to do where it isn't met. */
const advised =
  (where: string, rule: Rule): Rule =>
  (subject) => {
    const found = rule(subject);
    return found && !found.ok ? { ...found, message: `${asCheck(found).message} ${where}` } : found;
  };

const whiteMaterials = ({ materials }: CharacterSummary): string[] =>
  materials.filter(({ white }) => white).map(({ name }) => `“${name}”`);

const megabytes = (bytes: number): number => Math.round((bytes / 1048576) * 10) / 10;

/** What a delivery may weigh, count by count. */
export const LIMITS: readonly Rule[] = [
  atMost(
    { rule: 'triangles.max', title: 'Triangles', station: 'reduce' },
    ({ summary }) => summary.triangles,
    ({ target }) => target.triangles.max,
  ),
  ({ summary, target }) => {
    const limits = Object.entries(target.triangles.parts ?? {});
    if (!limits.length) return null;
    const rows = limits.map(([role, most]) => ({
        role,
        most: most ?? 0,
        has: summary.parts.reduce((sum, part) => sum + (part.role === role ? part.triangles : 0), 0),
      })),
      worst = rows.reduce((a, b) => (b.has / b.most > a.has / a.most ? b : a)),
      ok = worst.has <= worst.most;
    return {
      ...judged(
        { rule: 'triangles.parts', title: `Triangles of a kind of part, ${worst.role}`, station: 'reduce' },
        worst.has,
        worst.most,
        ok,
      ),
      message: ok
        ? undefined
        : `The ${worst.role} has ${worst.has} triangles, the target allows ${worst.most}. Give it fewer at Reduce, or raise the target's limit.`,
    };
  },
  atMost(
    { rule: 'joints.max', title: 'Joints', station: 'skeleton' },
    ({ summary }) => summary.joints.length,
    ({ target }) => target.joints.max,
  ),
  atMost(
    { rule: 'influences.max', title: 'Influences on a vertex', station: 'weights' },
    ({ summary }) => summary.influencesMax,
    ({ target }) => target.influences.max,
  ),
  advised(
    "Materials can't be joined here yet; the Materials station will do it. Until then raise the target's limit, or bring the character in with fewer.",
    atMost(
      { rule: 'materials.max', title: 'Materials', station: 'materials' },
      ({ summary }) => summary.materials.length,
      ({ target }) => target.materials.max,
    ),
  ),
  atMost(
    { rule: 'textures.size', title: 'Longest side of a map', station: 'textures', unit: 'px' },
    ({ summary }) => Math.max(0, ...summary.textures.map((map) => Math.max(map.width, map.height))),
    ({ target }) => target.textures.maxSize,
  ),
  atMost(
    { rule: 'textures.memory', title: 'Texture memory', station: 'textures', unit: 'MB' },
    ({ summary }) => megabytes(summary.textureMemoryBytes),
    ({ target }) => target.textures.maxMemoryMB,
  ),
  advised(
    'Drop or fold some at Morphs, or let those that move least go there.',
    atMost(
      { rule: 'morphs.max', title: 'Morph targets', station: 'morphs' },
      ({ summary }) => summary.morphTargets.length,
      ({ target }) => target.morphs.max,
    ),
  ),
  ({ summary }) =>
    noneOf(
      { rule: 'materials.white', title: 'Materials left white', station: 'materials' },
      whiteMaterials(summary),
      (bare) =>
        `White, without a colour map: ${firstFew(bare, 5)}. Put their maps in at Materials, or give them a colour.`,
    ),
  atMost(
    { rule: 'package.size', title: 'Package', station: 'textures', unit: 'MB', blocking: false },
    ({ packageBytes }) => (packageBytes === undefined ? undefined : megabytes(packageBytes)),
    ({ target }) => target.package.maxMB,
  ),
  ({ document, target }) => {
    const { packing = 'keep' } = target.textures;
    if (packing === 'keep') return null;
    return noneOf(
      { rule: 'textures.packing', title: 'Materials whose channels lie otherwise', station: 'textures' },
      notPacked(document, packing).map((material) => `“${material.getName()}”`),
      (names) =>
        `${packing === 'one' ? 'Occlusion lies in a map of its own' : 'Occlusion lies in the map of roughness and metalness'} in ${firstFew(names, 5)}, and the target asks for it ${packing === 'one' ? 'in the map of roughness and metalness' : 'on its own'}. Let the step “Channels in one map” do it at Textures, or bring maps in that lie by the same texture coordinates.`,
    );
  },
  ({ summary, target }) => {
    const formats = [...new Set(summary.textures.map((texture) => texture.mimeType))];
    const allowed: readonly string[] = target.textures.packed ? [KTX2] : target.textures.formats;
    return judged(
      { rule: 'textures.format', title: 'Map formats', station: 'textures' },
      formats.join(', ') || 'none',
      allowed.join(', '),
      formats.every((format) => allowed.includes(format)),
    );
  },
];
