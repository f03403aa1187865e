import * as v from 'valibot';
import { isReserved, safeName } from './safe-name.ts';

/** What stands for names in the folders of a package; `{kind}` is what a map's material is: skin, hair, cloth … */
const PLACES = { model: ['character', 'target'], maps: ['character', 'target', 'kind'] } as const;
export const MOST_DEEP = 6;
const MOST_LETTERS = 80;

const pattern = (places: readonly string[]) =>
  v.pipe(
    v.string(),
    v.minLength(1),
    v.maxLength(120),
    v.regex(/^[^\\:*?"<>|]+$/, 'without \\ : * ? " < > |'),
    v.check(
      (text) => text.split('/').every((segment) => segment.trim() !== '' && !/^\.+$/.test(segment)),
      'folders with / between them, each with a name',
    ),
    v.check((text) => text.split('/').length <= MOST_DEEP, `no more than ${MOST_DEEP} folders deep`),
    v.check(
      (text) => [...text.matchAll(/\{([^}]*)\}/g)].every(([, place]) => places.includes(place)),
      `with no other places than ${places.map((place) => `{${place}}`).join(', ')}`,
    ),
  );

/** Where in the package the model lies, and its maps where they are files of their own; report and manifest lie outermost. */
export const FoldersSchema = v.object({
  model: v.optional(pattern(PLACES.model)),
  maps: v.optional(pattern(PLACES.maps)),
});
export type Folders = v.InferOutput<typeof FoldersSchema>;

/** Why a pattern can't be taken; null where it can, and where there is none. */
export function folderProblem(of: keyof Folders, text: string | undefined): string | null {
  const { success, issues } = v.safeParse(FoldersSchema.entries[of], text);
  return success ? null : issues[0].message.replace(/^./, (c) => c.toUpperCase());
}

/**
 * The folder of a pattern, with a slash behind it; empty where there is none. Whatever names say, each becomes one folder
 * that every disk takes: letters and digits of any script, dots, hyphens and underscores.
 */
export function folderBy(text: string | undefined, names: Readonly<Record<string, string>>): string {
  if (!text) return '';
  return text
    .split('/')
    .map((segment) => {
      const plain = safeName(segment.replace(/\{(\w+)\}/g, (_, place: string) => names[place] ?? '')).replace(
          /\.+$/,
          '_',
        ),
        short = [...plain].slice(0, MOST_LETTERS).join('') || '_';
      return `${isReserved(short) ? `${short}_` : short}/`;
    })
    .join('');
}

/** The path within the package of a file that a model refers to: `path` read from `folder`. */
export function pathFrom(folder: string, path: string): string {
  const out: string[] = [];
  for (const segment of (folder + path).split('/')) {
    if (segment === '..') out.pop();
    else if (segment && segment !== '.') out.push(segment);
  }
  return out.join('/');
}

/** How a folder is reached from another, both of the package. */
export function wayTo(from: string, to: string): string {
  const a = from.split('/').filter(Boolean),
    b = to.split('/').filter(Boolean);
  let shared = 0;
  while (shared < Math.min(a.length, b.length) && a[shared] === b[shared]) shared++;
  return [...a.slice(shared).map(() => '..'), ...b.slice(shared), ''].join('/');
}
