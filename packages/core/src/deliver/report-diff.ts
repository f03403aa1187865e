import { type Check, verdictOf, verdictSentence } from '../check/index.ts';
import type { CharacterSummary } from '../inspect/index.ts';

/** Of a report or a run only what two of them can be held against each other by. */
export interface ReportSide {
  result: Pick<
    CharacterSummary,
    'triangles' | 'vertices' | 'heightCm' | 'influencesMax' | 'textureMemoryBytes' | 'morphTargets'
  > & {
    parts: readonly { name: string }[];
    joints: readonly { name: string }[];
    materials: readonly { name: string }[];
    textures: readonly { name: string }[];
    clips: readonly { name: string }[];
  };
  checks: readonly Check[];
}

export interface ReportDiff {
  /** Both verdicts as sentences, where they differ. */
  verdict?: { before: string; after: string };
  /** Rules that measure something else, hold or break where they didn't, or are asked only now or no more. */
  rules: RuleDiff[];
  /** Sizes that changed. */
  counts: { name: string; unit: string; before: number; after: number }[];
  /** Names that are gone and that are new, by kind. */
  names: { kind: string; gone: string[]; added: string[] }[];
}
export interface RuleDiff {
  rule: string;
  title: string;
  unit: string;
  before: number | string | null;
  after: number | string | null;
  /** `breaks`, `mended`: it held before, or holds now. */
  turn: 'breaks' | 'mended' | 'new' | 'gone' | 'other';
}

/** A part of a number that is no news: what rounding and another machine's last digits make. */
const SAME = 1e-9;

/** What one report says otherwise than another, of the same character and target or of others. */
export function diffReports(before: ReportSide, after: ReportSide): ReportDiff {
  const [a, b] = [before, after].map(({ checks }) => verdictSentence(verdictOf(checks)));
  return {
    ...(a !== b && { verdict: { before: a, after: b } }),
    rules: rulesApart(before.checks, after.checks),
    counts: COUNTS.flatMap(({ name, unit, of }) => {
      const was = of(before.result),
        is = of(after.result);
      return Math.abs(was - is) > SAME * Math.max(1, Math.abs(was)) ? [{ name, unit, before: was, after: is }] : [];
    }),
    names: KINDS.flatMap(({ kind, of }) => {
      const was = of(before.result),
        is = of(after.result),
        gone = without(was, is),
        added = without(is, was);
      return gone.length || added.length ? [{ kind, gone, added }] : [];
    }),
  };
}

type Result = ReportSide['result'];
const COUNTS: readonly { name: string; unit: string; of(result: Result): number }[] = [
  { name: 'Triangles', unit: '', of: (result) => result.triangles },
  { name: 'Vertices', unit: '', of: (result) => result.vertices },
  { name: 'Influences on a vertex', unit: '', of: (result) => result.influencesMax },
  { name: 'Height', unit: 'cm', of: (result) => Math.round(result.heightCm * 10) / 10 },
  { name: 'Texture memory', unit: 'MB', of: (result) => Math.round(result.textureMemoryBytes / 104857.6) / 10 },
];
const named = (list: readonly { name: string }[]): string[] => list.map(({ name }) => name);
const KINDS: readonly { kind: string; of(result: Result): readonly string[] }[] = [
  { kind: 'parts', of: (result) => named(result.parts) },
  { kind: 'joints', of: (result) => named(result.joints) },
  { kind: 'materials', of: (result) => named(result.materials) },
  { kind: 'maps', of: (result) => named(result.textures) },
  { kind: 'morphs', of: (result) => result.morphTargets },
  { kind: 'clips', of: (result) => named(result.clips) },
];

/** Names of one list that the other hasn't got, as many times as it has fewer of them. */
function without(list: readonly string[], other: readonly string[]): string[] {
  const left = new Map<string, number>();
  for (const name of other) left.set(name, (left.get(name) ?? 0) + 1);
  return list.filter((name) => {
    const n = left.get(name) ?? 0;
    left.set(name, n - 1);
    return n <= 0;
  });
}

function rulesApart(before: readonly Check[], after: readonly Check[]): RuleDiff[] {
  const was = new Map(before.map((check) => [check.rule, check])),
    is = new Map(after.map((check) => [check.rule, check])),
    order = { breaks: 0, mended: 1, new: 2, gone: 3, other: 4 };
  return [...new Set([...is.keys(), ...was.keys()])]
    .flatMap((rule): RuleDiff[] => {
      const one = was.get(rule),
        other = is.get(rule),
        { title, unit } = (other ?? one) as Check;
      const turn = !one ? 'new' : !other ? 'gone' : one.ok === other.ok ? 'other' : other.ok ? 'mended' : 'breaks';
      if (turn === 'other' && alike(one?.measured, other?.measured)) return [];
      return [{ rule, title, unit, before: one?.measured ?? null, after: other?.measured ?? null, turn }];
    })
    .sort((x, y) => order[x.turn] - order[y.turn] || (x.rule < y.rule ? -1 : 1));
}

const alike = (a: number | string | undefined, b: number | string | undefined): boolean =>
  typeof a === 'number' && typeof b === 'number' ? Math.abs(a - b) <= SAME * Math.max(1, Math.abs(a)) : a === b;

const WORDS: Record<RuleDiff['turn'], string> = {
  breaks: 'is broken now',
  mended: 'holds again',
  new: 'is asked now',
  gone: 'is asked no more',
  other: '',
};

/** The same in sentences, a line each; none where nothing differs. */
export function diffSentences({ verdict, rules, counts, names }: ReportDiff): string[] {
  const few = (list: readonly string[]) =>
    `${list
      .slice(0, 6)
      .map((name) => `“${name}”`)
      .join(', ')}${list.length > 6 ? ` and ${list.length - 6} more` : ''}`;
  const number = (value: number | string | null) =>
    typeof value === 'number' ? value.toLocaleString('en-GB', { maximumFractionDigits: 4 }) : (value ?? 'nothing');
  return [
    ...(verdict ? [`${verdict.before} → ${verdict.after}`] : []),
    ...rules.map(
      ({ title, unit, before, after, turn }) =>
        `${title}${WORDS[turn] && ` ${WORDS[turn]}`}: ${number(before)} → ${number(after)}${unit && ` ${unit}`}`,
    ),
    ...counts.map(
      ({ name, unit, before, after }) => `${name}: ${number(before)} → ${number(after)}${unit && ` ${unit}`}`,
    ),
    ...names.flatMap(({ kind, gone, added }) => [
      ...(gone.length ? [`Gone of the ${kind}: ${few(gone)}`] : []),
      ...(added.length ? [`New among the ${kind}: ${few(added)}`] : []),
    ]),
  ];
}
