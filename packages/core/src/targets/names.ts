import * as v from 'valibot';
import { safeName } from './safe-name.ts';

/** What stands for names in a pattern. */
export const NAME_PLACES = ['name', 'character', 'target', 'kind', 'n'] as const;

const pattern = (needs: RegExp | null, wanted: string) =>
  v.pipe(
    v.string(),
    v.minLength(1),
    v.maxLength(120),
    v.regex(/^[^/\\:*?"<>|]+$/, 'without / \\ : * ? " < > |'),
    v.check(
      (text) => [...text.matchAll(/\{([^}]*)\}/g)].every(([, place]) => NAME_PLACES.includes(place as never)),
      'with no other places than {name}, {character}, {target}, {kind}, {n}',
    ),
    v.check((text) => !needs || needs.test(text), wanted),
  );
const EACH = pattern(/\{(name|n)\}/, 'with {name} or {n} in it, or all would have one name');

/** What a model's file, parts, materials and maps are called; what is left out keeps its name. */
export const NamesSchema = v.object({
  file: v.optional(pattern(/\{character\}/, 'with {character} in it, or one character would lie over another')),
  part: v.optional(EACH),
  material: v.optional(EACH),
  map: v.optional(EACH),
});
export type Names = v.InferOutput<typeof NamesSchema>;

/** Why a pattern can't be taken; null where it can, and where there is none. */
export function patternProblem(of: keyof Names, text: string | undefined): string | null {
  const { success, issues } = v.safeParse(NamesSchema.entries[of], text);
  return success ? null : issues[0].message.replace(/^./, (c) => c.toUpperCase());
}

/** One that is to be named. */
export interface Named {
  name: string;
  /** What it is: skin, hair, eye … */
  kind?: string;
}
export interface NewNames {
  names: string[];
  /** How many would have had a name that was taken, and how many were cut. */
  collided: number;
  cut: number;
}

/** Longer names are cut: folders and names together have to fit paths. */
export const MOST_LETTERS = 80;

/**
 * Whether a name is one that a pattern gave already, so that what is delivered, brought in and delivered again keeps its
 * names: where a sign parts it from what the pattern puts before and behind it.
 */
function followsAlready(text: string): (name: string) => boolean {
  const [head, tail, ...more] = text.split('{name}');
  if (more.length || tail === undefined || /[{}]/.test(head + tail)) return () => false;
  if ((head && !/[_.\s-]$/.test(head)) || (tail && !/^[_.\s-]/.test(tail))) return () => false;
  return (name) => name.startsWith(head) && name.endsWith(tail) && name.length > head.length + tail.length;
}

/**
 * Names by a pattern, each different: whoever would have a name that is taken gets a number behind it, and whoever has
 * such a name keeps it.
 * @param taken names that others have already
 * @param files whether they become files: letters and digits of any script, dots, hyphens and underscores alone, and no two
 * that differ by capitals only
 */
export function namesBy(
  text: string,
  all: readonly Named[],
  { character, target }: { character: string; target: string },
  { taken = [], files = false }: { taken?: Iterable<string>; files?: boolean } = {},
): NewNames {
  const fold = (name: string) => (files ? name.toLowerCase() : name),
    used = new Set([...taken].map(fold)),
    out: NewNames = { names: [], collided: 0, cut: 0 },
    width = Math.max(2, String(all.length).length),
    stays = followsAlready(text);
  all.forEach(({ name, kind = 'other' }, i) => {
    const values: Record<string, string> = { name, character, target, kind, n: String(i + 1).padStart(width, '0') },
      whole = (stays(name) ? name : text.replace(/\{(\w+)\}/g, (_, place: string) => values[place])).normalize('NFC'),
      plain = files ? safeName(whole) : whole,
      letters = [...plain],
      base = letters.slice(0, MOST_LETTERS).join('') || 'unnamed';
    if (letters.length > MOST_LETTERS) out.cut++;
    let own = base;
    for (let n = 2; used.has(fold(own)); n++) own = `${base}_${n}`;
    if (own !== base) out.collided++;
    used.add(fold(own));
    out.names.push(own);
  });
  return out;
}
