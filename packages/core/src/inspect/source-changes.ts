import { isHumanoidRole } from '../character/index.ts';
import type { CharacterSummary } from './character-summary.ts';

/** What of one kind two versions of a source have otherwise. */
export interface KindChanges {
  gone: string[];
  came: string[];
  /** The same thing under another name, with what tells. */
  renamed: { from: string; to: string; why: string }[];
  /** Still there, and otherwise than before. */
  changed: { name: string; what: string }[];
}
export type NameKind = 'part' | 'material' | 'joint' | 'morph';
/** What a new version of a source has otherwise than the one before. */
export type SourceChanges = Record<NameKind | 'map' | 'clip', KindChanges>;

/** One thing of a version: what it is called, what shows that it is the same under another name, and what may change of it. */
interface Thing {
  name: string;
  /** Undefined where nothing is telling. */
  mark?: string;
  why?: string;
  /** What is held against the other version's, in words. */
  says: string;
}

/** Lays two lists beside each other: by name, then what is left by what is the same about it and nothing else has. */
function compared(before: readonly Thing[], after: readonly Thing[]): KindChanges {
  const old = new Map(before.map((thing) => [thing.name, thing])),
    now = new Map(after.map((thing) => [thing.name, thing])),
    gone = before.filter(({ name }) => !now.has(name)),
    came = after.filter(({ name }) => !old.has(name)),
    renamed: KindChanges['renamed'] = [];
  const only = (list: readonly Thing[], mark: string) => {
    const found = list.filter((thing) => thing.mark === mark);
    return found.length === 1 ? found[0] : null;
  };
  for (const thing of gone) {
    const { mark } = thing;
    if (mark === undefined || !only(gone, mark)) continue;
    const other = only(came, mark);
    if (other) renamed.push({ from: thing.name, to: other.name, why: thing.why ?? 'nothing else is like it' });
  }
  const from = new Set(renamed.map((one) => one.from)),
    to = new Set(renamed.map((one) => one.to));
  return {
    gone: gone.flatMap(({ name }) => (from.has(name) ? [] : [name])),
    came: came.flatMap(({ name }) => (to.has(name) ? [] : [name])),
    renamed,
    changed: before.flatMap(({ name, says }) => {
      const other = now.get(name);
      return other && other.says !== says ? [{ name, what: `${says} → ${other.says}` }] : [];
    }),
  };
}

const count = (n: number, what: string): string => `${n.toLocaleString('en-GB')} ${what}`;

/** What a new version of a source has otherwise than the one before: parts, materials, joints, morphs, maps, clips. */
export function sourceChanges(before: CharacterSummary, after: CharacterSummary): SourceChanges {
  const parts = ({ parts: all }: CharacterSummary): Thing[] =>
    all.map(({ id, triangles, vertices }) => ({
      name: id,
      mark: `${triangles} ${vertices}`,
      why: `as many triangles and vertices, ${count(triangles, 'triangles')}`,
      says: count(triangles, 'triangles'),
    }));
  const part = compared(parts(before), parts(after)),
    partNow = new Map([
      ...before.parts.map(({ id }) => [id, id] as const),
      ...part.renamed.map(({ from, to }) => [from, to] as const),
    ]);
  // A material is known by the parts that wear it.
  const wearers = ({ parts: all, materials }: CharacterSummary, named: (id: string) => string): Thing[] =>
    materials.map(({ name, maps, alphaMode }) => {
      const worn = all.filter(({ material }) => material === name).map(({ id }) => named(id));
      return {
        name,
        ...(worn.length && { mark: worn.sort().join('\n'), why: `worn by ${worn.join(', ')}` }),
        says: `${alphaMode.toLowerCase()}, ${count(Object.keys(maps).length, 'maps')}`,
      };
    });
  const joints = ({ joints: all }: CharacterSummary): Thing[] =>
    all.map(({ name, role, parent }) => ({
      name,
      ...(isHumanoidRole(role) && { mark: role, why: `${role} of the figure` }),
      says: parent ? `under ${parent}` : 'the root',
    }));
  const morphs = ({ morphTargets, morphs: rows = [] }: CharacterSummary): Thing[] =>
    morphTargets.map((name) => {
      const row = rows.find((one) => one.name === name);
      return {
        name,
        ...(row && {
          mark: `${row.moves} ${row.maxMm.toFixed(3)}`,
          why: `it moves the same: ${count(row.moves, 'vertices')}, ${row.maxMm.toFixed(1)} mm`,
        }),
        says: row ? `${count(row.moves, 'vertices')}, ${row.maxMm.toFixed(1)} mm` : 'a morph',
      };
    });
  const plain = <T>(all: readonly T[], nameOf: (one: T) => string, says: (one: T) => string): Thing[] =>
    all.map((one) => ({ name: nameOf(one), says: says(one) }));
  const maps = ({ textures }: CharacterSummary) =>
      plain(
        textures,
        ({ name }) => name,
        ({ width, height, bytes }) => `${width} × ${height}, ${count(bytes, 'bytes')}`,
      ),
    clips = ({ clips: all }: CharacterSummary) =>
      plain(
        all,
        ({ name }) => name,
        ({ seconds, channels }) => `${seconds.toFixed(2)} s, ${count(channels, 'channels')}`,
      );
  return {
    part,
    material: compared(
      wearers(before, (id) => partNow.get(id) ?? id),
      wearers(after, (id) => id),
    ),
    joint: compared(joints(before), joints(after)),
    morph: compared(morphs(before), morphs(after)),
    map: compared(maps(before), maps(after)),
    clip: compared(clips(before), clips(after)),
  };
}

/** Whether anything at all is otherwise. */
export const isUnchanged = (changes: SourceChanges): boolean =>
  Object.values(changes).every(
    ({ gone, came, renamed, changed }) => !gone.length && !came.length && !renamed.length && !changed.length,
  );
