import { firstFew } from './first-few.ts';
import { HAIR_KINDS, INNER_KINDS, isHumanoidRole } from '../character/index.ts';
import { textureMemory } from '../pixels/index.ts';
import { keepsRole } from '../skeleton/index.ts';
import { EXPRESSION_SETS, type Only, skeletonRule, type Target } from '../targets/index.ts';
import type { CharacterSummary } from './character-summary.ts';

/** What a field of a target will do to one character. */
export interface Effect {
  says: string;
  /** Nothing is to be done, something is, or the character can't keep to it by itself. */
  tone: 'stays' | 'changes' | 'breaks';
}
type Effects = Record<string, Effect>;

const count = (n: number): string => Math.round(n).toLocaleString('en-GB');
const stays = (says: string): Effect => ({ says, tone: 'stays' });
const changes = (says: string): Effect => ({ says, tone: 'changes' });
const breaks = (says: string): Effect => ({ says, tone: 'breaks' });
/** Kinds in an inventory are plain text. */
const isOne = (kinds: readonly string[], kind: string): boolean => kinds.includes(kind);
const those = (n: number, one: string, many = `${one}s`): string => `${count(n)} ${n === 1 ? one : many}`;

/** What each field of a target will do to a character as it came, by the field's path; fields of which nothing can be told before a run are left out. */
export const effectsOf = (target: Target, character: CharacterSummary): Effects => ({
  ...amounts(target, character),
  ...bodies(target, character),
  ...joints(target, character),
  ...morphs(target, character),
  ...materials(target, character),
  ...maps(target, character),
  ...written(target, character),
});

/** A limit that a step brings a character under. */
const under = (has: number, most: number, what: string, many?: string): Effect =>
  has > most
    ? changes(`${those(has, what, many)} come down to ${count(most)}`)
    : stays(`${those(has, what, many)}: ${has === 1 ? 'it stays' : 'all stay'}`);

function amounts(target: Target, character: CharacterSummary): Effects {
  const out: Effects = {
    'triangles.max': under(character.triangles, target.triangles.max, 'triangle'),
    'influences.max': under(character.influencesMax, target.influences.max, 'influence'),
    'materials.max':
      character.materials.length > target.materials.max
        ? breaks(`${those(character.materials.length, 'material')}: too many, and they aren't joined`)
        : stays(`${those(character.materials.length, 'material')}: all stay`),
  };
  for (const [role, most] of Object.entries(target.triangles.parts ?? {})) {
    const has = character.parts.reduce((sum, part) => sum + (part.role === role ? part.triangles : 0), 0);
    out[`triangles.parts.${role}`] = has ? under(has, most ?? 0, 'triangle') : stays('it has no such part');
  }
  const levels = target.package.levels ?? [];
  if (levels.length)
    out['package.levels'] = changes(
      `made from its ${count(Math.min(character.triangles, target.triangles.max))} triangles`,
    );
  return out;
}

function bodies({ body, heightCm: { min, max } }: Target, { heightCm }: CharacterSummary): Effects {
  const tall = `${heightCm.toFixed(1)} cm tall`,
    goes = body?.heightCm ?? heightCm,
    allowed = goes >= min && goes <= max;
  return {
    ...(body?.heightCm !== undefined && {
      'body.heightCm':
        Math.abs(body.heightCm - heightCm) < 0.05
          ? stays(`${tall}: it stays`)
          : changes(`${tall}: it ${body.heightCm < heightCm ? 'comes down' : 'grows'} to ${body.heightCm} cm`),
    }),
    ...(body?.build !== undefined && { 'body.build': changes('its build becomes this one') }),
    'heightCm.min': allowed || goes > max ? stays(tall) : breaks(`${goes.toFixed(1)} cm: too short`),
    'heightCm.max': allowed || goes < min ? stays(tall) : breaks(`${goes.toFixed(1)} cm: too tall`),
  };
}

function joints(target: Target, { joints: all, parts }: CharacterSummary): Effects {
  const { keep, figure, max, root, names, leafEnds } = target.joints;
  if (!all.length)
    return {
      'joints.keep':
        keep === 'none' ? stays('it has no skeleton') : breaks('it has no skeleton: one is put in at Skeleton'),
    };
  if (keep === 'none') return { 'joints.keep': changes(`its ${those(all.length, 'joint')} go, the mesh stands still`) };
  const kept = all.filter(({ role }) => keepsRole(skeletonRule(target), role)),
    roots = all.filter(({ parent }) => parent === null).map(({ name }) => name),
    named = all.filter(({ role }) => isHumanoidRole(role)).length;
  const out: Effects = {
    'joints.keep':
      kept.length < all.length
        ? changes(`${count(kept.length)} of ${those(all.length, 'joint')} stay; the others' weights go to those`)
        : stays(`${those(all.length, 'joint')}: all stay`),
    'joints.root': root
      ? roots.length === 1 && roots[0] === root
        ? stays(`“${root}” is its root already`)
        : changes(
            `“${root}” stands over ${firstFew(
              roots.map((one) => `“${one}”`),
              2,
            )}`,
          )
      : stays(
          `${firstFew(
            roots.map((one) => `“${one}”`),
            2,
          )} ${roots.length === 1 ? 'is its root' : 'are its roots'}`,
        ),
  };
  if (max !== undefined)
    out['joints.max'] =
      kept.length > max ? changes(`${count(kept.length)} come down to ${count(max)}`) : stays('fewer than that');
  if (figure) {
    out['joints.figure'] = changes(`its ${those(named, 'joint')} of a body become the figure's: names, places, pose`);
    delete out['joints.keep'];
  } else
    out['joints.names'] =
      names === 'source'
        ? stays('names stay')
        : changes(`${those(named, 'joint')} ${named === 1 ? 'is' : 'are'} named anew`);
  if (target.fit?.body) {
    const inner = parts.filter(({ kind }) => isOne(INNER_KINDS, kind)).map(({ name }) => name);
    out['fit.eyes'] =
      target.fit.eyes === 'figure' && inner.length
        ? changes(`${firstFew(inner, 3)}: the figure's take their place, with their looks`)
        : stays(inner.length ? `${firstFew(inner, 3)} stay` : 'it has none');
    out['fit.morphs'] =
      target.fit.morphs === 'both'
        ? changes('what the figure moves by and it doesn’t comes beside its own')
        : stays('its own alone');
  }
  if (leafEnds) {
    const parents = new Set(all.map(({ parent }) => parent)),
      tips = all.filter(({ name }) => !parents.has(name)).length;
    out['joints.leafEnds'] = changes(`up to ${those(tips, 'tip')} get a joint`);
  }
  return out;
}

function morphs({ morphs: { max, expressions } }: Target, { morphTargets }: CharacterSummary): Effects {
  const set =
      EXPRESSION_SETS.find(({ id }) => id === expressions) ?? (typeof expressions === 'object' ? expressions : null),
    names = new Set(morphTargets),
    there = set?.entries.filter(({ name }) => names.has(name)).length ?? 0;
  return {
    'morphs.max':
      morphTargets.length > max
        ? changes(`${those(morphTargets.length, 'morph')}: the ${count(morphTargets.length - max)} that move least go`)
        : stays(morphTargets.length ? `${those(morphTargets.length, 'morph')}: all stay` : 'it has no morphs'),
    ...(set && {
      'morphs.expressions':
        there === set.entries.length
          ? stays(`all ${set.entries.length} are there`)
          : changes(`${there} of ${set.entries.length} are there by name; the others are looked for and made`),
    }),
  };
}

function materials(
  { materials: { hair, blendAllowed, eyeLayers } }: Target,
  { materials: all }: CharacterSummary,
): Effects {
  const strands = all.filter(({ kind }) => isOne(HAIR_KINDS, kind)),
    otherwise = strands.filter(({ alphaMode }) => alphaMode !== (hair === 'blend' ? 'BLEND' : 'MASK')),
    blended = all.filter(({ alphaMode }) => alphaMode === 'BLEND'),
    missing = (['tear', 'shade'] as const).filter((kind) => !all.some((one) => one.kind === kind));
  return {
    'materials.hair': !strands.length
      ? stays('it has no hair')
      : otherwise.length
        ? changes(
            `${firstFew(
              otherwise.map(({ name }) => name),
              2,
            )} ${hair === 'blend' ? 'blend' : 'are cut out'}, unless that loses more than it keeps`,
          )
        : stays(
            `${firstFew(
              strands.map(({ name }) => name),
              2,
            )}: as it is`,
          ),
    'materials.blendAllowed': !blended.length
      ? stays('nothing of it is blended')
      : blendAllowed
        ? stays(`${those(blended.length, 'material')} may blend`)
        : changes(
            `${those(blended.length, 'blended material')} ${blended.length === 1 ? 'is' : 'are'} cut out or left out`,
          ),
    ...Object.fromEntries(
      (['tear', 'shade'] as const).flatMap((kind): [string, Effect][] =>
        (eyeLayers ?? []).includes(kind)
          ? [
              [
                `materials.eyeLayers.${kind}`,
                missing.includes(kind) ? changes('it has none: made') : stays('it has its own'),
              ],
            ]
          : [],
      ),
    ),
  };
}

function maps({ textures }: Target, { textures: all, materials: worn, textureMemoryBytes }: CharacterSummary): Effects {
  const larger = all.filter(({ width, height }) => Math.max(width, height) > textures.maxSize),
    mb = (bytes: number) => `${count(bytes / 1048576)} MB`,
    shrunk = all.reduce((sum, { width, height }) => {
      const by = Math.min(1, textures.maxSize / Math.max(1, width, height));
      return sum + textureMemory({ width: width * by, height: height * by });
    }, 0),
    most = textures.maxMemoryMB === undefined ? Infinity : textures.maxMemoryMB * 1048576,
    foreign = all.filter(({ mimeType }) => !(textures.formats as readonly string[]).includes(mimeType)),
    both = worn.filter(({ maps: own }) => own.occlusion),
    together = both.filter(({ maps: own }) => own.occlusion?.file === own.metallicRoughness?.file),
    otherwise = textures.packing === 'one' ? both.length - together.length : together.length;
  if (!all.length) return { 'textures.maxSize': stays('it has no maps') };
  return {
    'textures.maxSize': larger.length
      ? changes(
          `${count(larger.length)} of ${those(all.length, 'map')} ${larger.length === 1 ? 'is' : 'are'} larger and come${larger.length === 1 ? 's' : ''} down`,
        )
      : stays(`none of ${those(all.length, 'map')} is larger`),
    'textures.maxMemoryMB':
      shrunk > most && !textures.packed
        ? changes(`${mb(textureMemoryBytes)}, ${mb(shrunk)} at that size: those missed least come down further`)
        : stays(`${mb(textureMemoryBytes)} as it came`),
    'textures.formats': textures.packed
      ? changes(`all ${those(all.length, 'map')} become KTX2`)
      : foreign.length
        ? changes(
            `${those(foreign.length, 'map')} (${firstFew([...new Set(foreign.map(({ mimeType }) => mimeType.slice(6)))], 3)}) become${foreign.length === 1 ? 's' : ''} ${textures.formats[0].slice(6)}`,
          )
        : stays(`all ${those(all.length, 'map')} may stay what they are`),
    'textures.packing':
      !textures.packing || textures.packing === 'keep' || !otherwise
        ? stays(
            both.length
              ? `${count(together.length)} of ${those(both.length, 'material')} with occlusion have it in one`
              : 'no material has occlusion',
          )
        : changes(`maps of ${those(otherwise, 'material')} are packed anew`),
  };
}

const ALONE: Record<Only, (joints: number, maps: number) => string> = {
  mesh: () => 'joints, morphs, clips and maps stay behind',
  skeleton: (joints) => `${those(joints, 'joint')} go out, and nothing else`,
  motion: (joints) => `${those(joints, 'joint')} and what moves them go out`,
  maps: (_, maps) => `${those(maps, 'file')}, and no model`,
};

/** Formats that hold no morphs, or no skeleton. */
function written(
  { package: { format, clips, only, bvh } }: Target,
  { joints: all, morphTargets, clips: own, textures }: CharacterSummary,
): Effects {
  const goes = [
      ...(all.length ? ['joints'] : []),
      ...(morphTargets.length ? ['morphs'] : []),
      ...(own.length ? ['clips'] : []),
    ],
    keep = clips?.keep ?? 'all',
    taken = keep === 'all' ? own.length : keep === 'none' ? 0 : own.filter(({ name }) => keep.includes(name)).length;
  return {
    'package.format':
      format === 'obj' && goes.length
        ? breaks(`it stands still: ${firstFew(goes, 3)} have no place in it`)
        : stays(`${firstFew(goes.length ? goes : ['its mesh'], 3)} have a place in it`),
    ...(only && { 'package.only': changes(ALONE[only](all.length, textures.length)) }),
    ...(bvh && {
      'package.bvh': all.length
        ? changes(`${those(own.length + 1, 'file')}: at rest${own.length ? ', and each clip' : ''}`)
        : stays('it has no joints'),
    }),
    'package.clips': own.length
      ? taken < own.length
        ? changes(`${count(taken)} of ${those(own.length, 'clip')} go out`)
        : stays(`its ${those(own.length, 'clip')} go out`)
      : stays('it has no clips'),
  };
}
