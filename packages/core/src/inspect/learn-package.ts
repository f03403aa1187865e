import { CHOOSES_AXES, COMPRESSES, HOLDS_LEVELS, PACKAGE_FORMATS, type TargetInput } from '../targets/index.ts';
import { firstFew } from './first-few.ts';
import { roomy } from './roomy.ts';
import type { Learned, Sample } from './sample.ts';

type PackageInput = TargetInput['package'];
export interface LearnedPackage {
  package: PackageInput;
  evidence: Learned[];
  doubts: Learned[];
}

/** How a package is written, from the files that samples came in. */
export function learnPackage(samples: readonly [Sample, ...Sample[]], maxMB: number): LearnedPackage {
  const [first] = samples,
    { summary } = first,
    evidence: Learned[] = [],
    doubts: Learned[] = [],
    used = first.files.filter((file) => file.used !== false).map(({ path }) => path),
    endings = used.map(endingOf),
    known = PACKAGE_FORMATS.find((one) => endings.includes(one)),
    format = known ?? 'glb',
    out: PackageInput = { format, maxMB };
  if (known) evidence.push({ field: 'package.format', says: `it came as .${known}` });
  else
    doubts.push({
      field: 'package.format',
      says: `It came as .${endings[0] ?? '?'}, which isn't written; .glb is taken.`,
    });
  const stored = summary.stored ?? {};
  if (COMPRESSES.includes(format)) {
    if (stored.compression) out.compression = stored.compression;
    evidence.push({
      field: 'package.compression',
      says: stored.compression ? `its arrays are stored by ${stored.compression}` : 'its arrays are stored as they are',
    });
  }
  if (CHOOSES_AXES.includes(format) && known) {
    const { upAxis, unitMetres } = summary;
    if (upAxis === 'z') out.upAxis = 'Z';
    if (unitMetres !== 1 && unitMetres >= 1e-4 && unitMetres <= 1000) out.unitMetres = unitMetres;
    evidence.push({ field: 'package.unitMetres', says: `${upAxis.toUpperCase()} is up, a unit is ${unitMetres} m` });
  }
  levels();
  names();
  folders();
  if (summary.clips.length === 0 && samples.every((one) => one.summary.clips.length === 0))
    out.clips = { keep: 'none', rest: false, rangeOfMotion: false };
  return { package: out, evidence, doubts };

  function levels(): void {
    const held = stored.levels ?? [],
      apart = first.files.map(({ path }) => path).filter((path) => /[_.-]lod_?[1-9]\b/i.test(path));
    if (apart.length)
      doubts.push({
        field: 'package.levels',
        says: `${firstFew(apart, 4)} ${apart.length === 1 ? 'is a level' : 'are levels'} of detail in ${apart.length === 1 ? 'a file of its own' : 'files of their own'}. How many triangles each may have isn't known from here: bring them in too, or say it.`,
      });
    if (!held.length || !HOLDS_LEVELS.includes(format)) return;
    let most = summary.triangles,
      from = 0;
    out.levels = held.flatMap(({ triangles, fromM, morphs = false }, i) => {
      const own = Math.min(roomy(triangles), most - 1),
        begins = Math.max(fromM ?? 4 * (i + 1), Math.round((from + 0.1) * 10) / 10);
      if (own < 1) return [];
      [most, from] = [own, begins];
      return [{ triangles: own, fromM: begins, morphs }];
    });
    out.levelsIn = 'one';
    evidence.push({
      field: 'package.levels',
      says: held
        .map(({ triangles, fromM }) => `${count(triangles)} triangles${fromM ? ` from ${fromM} m` : ''}`)
        .join(', '),
    });
    if (held.some(({ fromM }) => fromM === undefined))
      doubts.push({
        field: 'package.levels',
        says: 'From how far away is each level shown? 4 m more for each is taken.',
      });
  }

  function names(): void {
    const all = samples.map((one) => one.summary),
      lists = {
        part: all.flatMap(({ parts }) => parts.map(({ name }) => name)),
        material: all.flatMap(({ materials }) => materials.map(({ name }) => name)),
        map: all.flatMap(({ textures }) => textures.map(({ name }) => bare(name))),
      },
      found: Record<string, string> = {};
    for (const [kind, list] of Object.entries(lists)) {
      const [head, tail] = sharedEnds([...new Set(list)]);
      if (!head && !tail) continue;
      found[kind] = `${head}{name}${tail}`;
      evidence.push({
        field: `package.names.${kind}`,
        says: `all ${list.length} are called ${head ? `“${head}…”` : ''}${head && tail ? ' and ' : ''}${tail ? `“…${tail}”` : ''}`,
      });
    }
    const file = model(),
      own = file && sameEnds(bare(file), summary.name);
    if (own) {
      found.file = `${own[0]}{character}${own[1]}`;
      evidence.push({ field: 'package.names.file', says: `${summary.name} came as ${nameOf(file)}` });
    }
    if (Object.keys(found).length) out.names = found;
  }

  function folders(): void {
    const file = model();
    if (!file) return;
    const home = common(used),
      within = (path: string): string => folderOf(path.slice(home.length)),
      maps = [...new Set(used.filter((path) => IMAGE.test(path)).map(within))],
      lies = within(file),
      found: Record<string, string> = {};
    if (lies) found.model = patternOf(lies);
    if (maps.length === 1 && maps[0] && maps[0] !== `${lies}textures/`) found.maps = patternOf(maps[0]);
    else if (maps.length > 1)
      doubts.push({
        field: 'package.folders.maps',
        says: `Maps lie in ${firstFew(maps, 4)}. By what they are sorted isn't known: say it with {kind}, where it is what they are of.`,
      });
    if (!Object.keys(found).length) return;
    out.folders = found;
    evidence.push({
      field: 'package.folders',
      says: [lies && `the model lies in ${lies}`, found.maps && `its maps in ${maps[0]}`].filter(Boolean).join(', '),
    });
  }

  function model(): string | undefined {
    return known && used.find((path) => endingOf(path) === known);
  }
  /** A folder that is called as the character stands for all that are called otherwise. */
  function patternOf(folder: string): string {
    return folder
      .replace(/\/$/, '')
      .split('/')
      .map((one) => (folded(one) === folded(summary.name) ? '{character}' : one))
      .join('/');
  }
}

const IMAGE = /\.(png|jpe?g|webp|ktx2|tga|bmp|tiff?)$/i;
const count = (n: number): string => n.toLocaleString('en-GB');

const endingOf = (path: string): string => path.slice(path.lastIndexOf('.') + 1).toLowerCase();
const nameOf = (path: string): string => path.slice(path.lastIndexOf('/') + 1);
const folderOf = (path: string): string => path.slice(0, path.lastIndexOf('/') + 1);
/** Names of one thing differ by signs and capitals. */
const folded = (name: string): string =>
  name
    .normalize('NFC')
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, '');
const bare = (path: string): string => nameOf(path).replace(/\.[^.]+$/, '');

/** The folder that all lie in. */
function common(paths: readonly string[]): string {
  let shared = folderOf(paths[0] ?? '');
  while (shared && !paths.every((path) => path.startsWith(shared))) shared = folderOf(shared.slice(0, -1));
  return shared;
}

/** Few letters, and a sign that parts them from the name. */
const HEAD = /^[\p{L}\p{N}]{1,4}[_.-]/u,
  TAIL = /[_.-][\p{L}\p{N}]{1,5}$/u;

/** What all begin and end with, up to a sign that parts it from the name; nothing where there are too few to tell. */
function sharedEnds(names: readonly string[]): [string, string] {
  if (names.length < 3) return ['', ''];
  const head = HEAD.exec(names[0])?.[0] ?? '',
    tail = TAIL.exec(names[0])?.[0] ?? '',
    all = (has: (name: string) => boolean) => names.every(has);
  return [
    head && all((name) => name.startsWith(head) && name.length > head.length) ? head : '',
    tail && all((name) => name.endsWith(tail) && name.length > tail.length) ? tail : '',
  ];
}

/** What stands before and behind a character's name in a file's; null where it isn't in it, or nothing else is. */
function sameEnds(file: string, name: string): [string, string] | null {
  const at = file.toLowerCase().indexOf(name.toLowerCase().replace(/\s+/g, '_'));
  if (at < 0 || file.length === name.length) return null;
  return [file.slice(0, at), file.slice(at + name.length)];
}
