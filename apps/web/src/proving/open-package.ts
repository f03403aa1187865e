import { unzipSync } from 'fflate';

export interface Package {
  /** Files by path within the package. */
  files: ReadonlyMap<string, Uint8Array<ArrayBuffer>>;
  /** Path of the model. */
  model: string;
  /** Path of the model first, then of the others it comes with: parts of the figure, and levels further away. */
  models: readonly PackedModel[];
  /** What the report beside the model states; null where none came along, or it isn't one. */
  report: StatedReport | null;
  bytes: number;
}

/** One model of several, as the manifest says. */
export interface PackedModel {
  path: string;
  /** 0 is the nearest. */
  level: number;
  /** Where it begins, metres. */
  fromM?: number;
  part?: string;
  /** It lies in the file of the nearest. */
  inside?: boolean;
}

/** Of a report only what is held against the model here; anything may be missing from somebody else's. */
export interface StatedReport {
  target?: { package?: { only?: string } };
  levels?: { n: number }[];
  result?: {
    joints?: { name: string; role?: string }[];
    materials?: { name: string; maps?: Record<string, { width: number; height: number }> }[];
    clips?: { name: string }[];
    morphTargets?: string[];
  };
}

export const MODELS = ['glb', 'gltf', 'vrm', 'usdz', 'usda', 'usd', 'usdc', 'dae', 'obj'] as const;
export type ModelKind = (typeof MODELS)[number];
export const endingOf = (path: string): string => path.slice(path.lastIndexOf('.') + 1).toLowerCase();

/** Why something can't be tried, as a sentence. */
export class CantTry extends Error {}

/** More than a figure is; a package that says it is larger is not opened. */
const MOST_BYTES = 2 * 1024 ** 3;

/**
 * What lies in a package or was dropped, by a general archive library: none of our readers has a part in it.
 * @throws CantTry with a sentence
 */
export function openPackage(given: readonly { path: string; bytes: Uint8Array<ArrayBuffer> }[]): Package {
  const files = new Map<string, Uint8Array<ArrayBuffer>>();
  for (const { path, bytes } of given)
    if (endingOf(path) === 'zip') for (const [inner, content] of unzipped(path, bytes)) files.set(inner, content);
    else files.set(path, bytes);
  const models = [...files].filter(([path]) => (MODELS as readonly string[]).includes(endingOf(path)));
  if (!models.length)
    throw new CantTry(
      `There is no model here: ${files.size ? `${[...files.keys()].slice(0, 3).join(', ')} can't be put on the quay` : 'the package is empty'}. Give a package, or a .glb, .gltf, .vrm, .usdz, .usda, .dae or .obj with its files.`,
    );
  const said = modelsIn(files),
    // Of a package with grades its own model, not one of theirs.
    [top, ...further] = [...files.keys()]
      .filter((path) => path === 'manifest.json' || path.endsWith('/manifest.json'))
      .map((path) => path.slice(0, -'manifest.json'.length))
      .sort((a, b) => a.length - b.length),
    own =
      top === undefined
        ? []
        : models.filter(
            ([path]) =>
              path.startsWith(top) &&
              !further.some((other) => other !== top && other.startsWith(top) && path.startsWith(other)),
          ),
    [largest] = (own.length ? own : models).sort((a, b) => b[1].length - a[1].length)[0],
    model = said?.[0].path ?? largest;
  let bytes = 0;
  for (const content of files.values()) bytes += content.length;
  return { files, model, models: said ?? [{ path: model, level: 0 }], report: reportIn(files), bytes };
}

function unzipped(path: string, bytes: Uint8Array): [string, Uint8Array<ArrayBuffer>][] {
  let total = 0;
  try {
    return Object.entries(
      unzipSync(bytes, {
        filter: ({ name, originalSize }) => {
          total += originalSize;
          if (total > MOST_BYTES) throw new CantTry(`“${path}” would open to more than 2 GB. It was not opened.`);
          return !name.endsWith('/');
        },
      }),
    ) as [string, Uint8Array<ArrayBuffer>][];
  } catch (error) {
    if (error instanceof CantTry) throw error;
    throw new CantTry(`“${path}” is damaged or no ZIP archive. Pack it again.`);
  }
}

/** The file of a name that lies furthest out: grades have their own. */
const outermost = (files: ReadonlyMap<string, Uint8Array>, name: string): string | undefined =>
  [...files.keys()].filter((path) => path === name || path.endsWith(`/${name}`)).sort((a, b) => a.length - b.length)[0];

/** What the manifest says of several models, where all of them are here; null where it says nothing that can be followed. */
function modelsIn(files: ReadonlyMap<string, Uint8Array>): PackedModel[] | null {
  const path = outermost(files, 'manifest.json'),
    bytes = path && files.get(path);
  if (!path || !bytes) return null;
  const folder = path.slice(0, -'manifest.json'.length);
  try {
    const { models } = JSON.parse(new TextDecoder().decode(bytes)) as { models?: PackedModel[] };
    if (!Array.isArray(models)) return null;
    const all = models
      .filter((one) => typeof one?.path === 'string' && Number.isInteger(one.level) && one.level >= 0)
      .map((one) => ({ ...one, path: folder + one.path }))
      .sort((a, b) => a.level - b.level);
    return all.length && all[0].level === 0 && all.every((one) => files.has(one.path)) ? all : null;
  } catch {
    return null;
  }
}

function reportIn(files: ReadonlyMap<string, Uint8Array>): StatedReport | null {
  const path = outermost(files, 'report.json'),
    bytes = path && files.get(path);
  if (!bytes) return null;
  try {
    const value: unknown = JSON.parse(new TextDecoder().decode(bytes));
    return value && typeof value === 'object' ? asDelivered(value as StatedReport) : null;
  } catch {
    return null;
  }
}

/** What of the report's figure lies in the package, where its target lets one thing alone go out. */
function asDelivered(report: StatedReport): StatedReport {
  const only = report.target?.package?.only,
    { result } = report;
  if (!only || !result) return report;
  const plain = { ...result, morphTargets: [] };
  if (only === 'mesh')
    return {
      ...report,
      result: {
        ...plain,
        joints: [],
        clips: [],
        materials: result.materials?.map(({ name }) => ({ name })),
      },
    };
  return { ...report, result: { ...plain, materials: [], ...(only === 'skeleton' && { clips: [] }) } };
}

/** Whether there is nothing to be drawn, on purpose. */
export const isJointsAlone = (report: StatedReport | null): boolean =>
  /^(skeleton|motion)$/.test(report?.target?.package?.only ?? '');
