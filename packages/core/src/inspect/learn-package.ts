import { CHOOSES_AXES, COMPRESSES, HOLDS_LEVELS, PACKAGE_FORMATS, type TargetInput } from '../targets/index.ts';
import { firstFew } from './first-few.ts';
import type { CharacterSummary } from './character-summary.ts';
import { roomy } from './roomy.ts';
import type { Learned, Sample } from './sample.ts';

type PackageInput = TargetInput['package'];
export interface LearnedPackage extends Told {
  package: PackageInput;
}

/** What is learned of a subject, and what was said of it on the way. */
interface Told {
  evidence: Learned[];
  doubts: Learned[];
}

/** How a package is written, from the files that samples came in. */
export function learnPackage(samples: readonly [Sample, ...Sample[]], maxMB: number): LearnedPackage {
  const [first] = samples,
    told: Told = { evidence: [], doubts: [] },
    used = first.files.filter((file) => file.used !== false).map(({ path }) => path),
    known = PACKAGE_FORMATS.find((one) => used.some((path) => endingOf(path) === one)),
    format = known ?? 'glb',
    model = known && used.find((path) => endingOf(path) === known);
  if (known) told.evidence.push({ field: 'package.format', says: `it came as .${known}` });
  else
    told.doubts.push({
      field: 'package.format',
      says: `It came as .${used[0] ? endingOf(used[0]) : '?'}, which isn't written; .glb is taken.`,
    });
  const { summary } = first,
    out: PackageInput = {
      format,
      maxMB,
      ...(COMPRESSES.includes(format) && compressionOf(summary, told)),
      ...(known && CHOOSES_AXES.includes(known) && axesOf(summary, told)),
      ...(HOLDS_LEVELS.includes(format) && levelsOf(summary, told)),
      ...namesOf(samples, model, told),
      ...(model && foldersOf(summary.name, model, used, told)),
      ...(samples.every((one) => !one.summary.clips.length) && {
        clips: { keep: 'none' as const, rest: false, rangeOfMotion: false },
      }),
    };
  levelsApart(first, told);
  return { package: out, ...told };
}

function compressionOf({ stored: { compression } = {} }: CharacterSummary, { evidence }: Told): Partial<PackageInput> {
  evidence.push({
    field: 'package.compression',
    says: compression ? `its arrays are stored by ${compression}` : 'its arrays are stored as they are',
  });
  return compression ? { compression } : {};
}

function axesOf({ upAxis, unitMetres }: CharacterSummary, { evidence }: Told): Partial<PackageInput> {
  evidence.push({ field: 'package.unitMetres', says: `${upAxis.toUpperCase()} is up, a unit is ${unitMetres} m` });
  return {
    ...(upAxis === 'z' && { upAxis: 'Z' as const }),
    ...(unitMetres !== 1 && unitMetres >= 1e-4 && unitMetres <= 1000 && { unitMetres }),
  };
}

/** Levels of detail in the file itself, each a little roomier than the sample's and smaller than the one before. */
function levelsOf(
  { stored: { levels: held = [] } = {}, triangles: all }: CharacterSummary,
  told: Told,
): Partial<PackageInput> {
  if (!held.length) return {};
  let most = all,
    from = 0;
  const levels = held.flatMap(({ triangles, fromM, morphs = false }, i) => {
    const own = Math.min(roomy(triangles), most - 1),
      begins = Math.max(fromM ?? 4 * (i + 1), Math.round((from + 0.1) * 10) / 10);
    if (own < 1) return [];
    [most, from] = [own, begins];
    return [{ triangles: own, fromM: begins, morphs }];
  });
  told.evidence.push({
    field: 'package.levels',
    says: held
      .map(({ triangles, fromM }) => `${count(triangles)} triangles${fromM ? ` from ${fromM} m` : ''}`)
      .join(', '),
  });
  if (held.some(({ fromM }) => fromM === undefined))
    told.doubts.push({
      field: 'package.levels',
      says: 'From how far away is each level shown? 4 m more for each is taken.',
    });
  return { levels, levelsIn: 'one' };
}

/** Levels in files of their own are seen by their names alone. */
function levelsApart({ files }: Sample, { doubts }: Told): void {
  const apart = files.map(({ path }) => path).filter((path) => /[_.-]lod_?[1-9]\b/i.test(path));
  if (!apart.length) return;
  doubts.push({
    field: 'package.levels',
    says: `${firstFew(apart, 4)} ${apart.length === 1 ? 'is a level' : 'are levels'} of detail in ${apart.length === 1 ? 'a file of its own' : 'files of their own'}. How many triangles each may have isn't known from here: bring them in too, or say it.`,
  });
}

/** How names begin and end, where all of a sort do alike. */
function namesOf(samples: readonly Sample[], model: string | undefined, { evidence }: Told): Partial<PackageInput> {
  const all = samples.map((one) => one.summary),
    [{ name: character }] = all,
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
      says: `all ${list.length} are called ${[head && `“${head}…”`, tail && `“…${tail}”`].filter(Boolean).join(' and ')}`,
    });
  }
  const own = model && sameEnds(bare(model), character);
  if (own) {
    found.file = `${own[0]}{character}${own[1]}`;
    evidence.push({ field: 'package.names.file', says: `${character} came as ${nameOf(model)}` });
  }
  return Object.keys(found).length ? { names: found } : {};
}

function foldersOf(character: string, model: string, used: readonly string[], told: Told): Partial<PackageInput> {
  const home = common(used),
    within = (path: string): string => folderOf(path.slice(home.length)),
    // A folder that is called as the character stands for all that are called otherwise.
    patternOf = (folder: string): string =>
      folder
        .replace(/\/$/, '')
        .split('/')
        .map((one) => (folded(one) === folded(character) ? '{character}' : one))
        .join('/'),
    maps = [...new Set(used.filter((path) => IMAGE.test(path)).map(within))],
    lies = within(model),
    found: Record<string, string> = {};
  if (lies) found.model = patternOf(lies);
  if (maps.length === 1 && maps[0] && maps[0] !== `${lies}textures/`) found.maps = patternOf(maps[0]);
  else if (maps.length > 1)
    told.doubts.push({
      field: 'package.folders.maps',
      says: `Maps lie in ${firstFew(maps, 4)}. By what they are sorted isn't known: say it with {kind}, where it is what they are of.`,
    });
  if (!Object.keys(found).length) return {};
  told.evidence.push({
    field: 'package.folders',
    says: [lies && `the model lies in ${lies}`, found.maps && `its maps in ${maps[0]}`].filter(Boolean).join(', '),
  });
  return { folders: found };
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
