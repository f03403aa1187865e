import type { Document } from '@gltf-transform/core';
import { listParts } from '../character/index.ts';
import type { InputFile } from '../formats/index.ts';
import { ProblemError, type Finding } from '../problem.ts';
import { HOLDS_LEVELS, type Level, pathFrom, type Target } from '../targets/index.ts';
import { holdLevels } from './levels/hold-levels.ts';
import { fileNameOf } from './file-names.ts';
import { modelFiles } from './model-files.ts';
import { partsEach } from './parts-each.ts';
import type { Prepared } from './prepare.ts';

/** A model of a package: the whole figure or one part, the nearest or a level of detail further away. */
export interface DeliveredModel {
  /** The file that holds it, and the files that belong to that, itself first. */
  path: string;
  files: readonly InputFile[];
  /** What it was made from. */
  document: Document;
  /** 0 is the nearest. */
  level: number;
  fromM?: number;
  /** The node that carries it, where parts are delivered each. */
  part?: string;
  /** It isn't what the file shows by itself: a level that lies in the file of the nearest. */
  inside?: true;
}

/** A further level, ready to be written. */
export interface PreparedLevel {
  n: number;
  level: Level;
  prepared: Prepared;
}

export const levelsInOne = ({ package: { format, levels = [], levelsIn } }: Target): boolean =>
  levels.length > 0 && levelsIn === 'one' && HOLDS_LEVELS.includes(format);

/**
 * Writes every model of a package as the target wants them: parts in one file or each in one of its own, levels beside
 * the nearest or in its file, all in `folder` of the package. Names of files: the model's, then the part's, then `lod1`, `lod2` …
 * @throws ProblemError package.files-collide
 */
export async function deliveredModels(
  nearest: Prepared,
  levels: readonly PreparedLevel[],
  target: Target,
  name: string,
  heightM: number,
  folder = '',
): Promise<{ files: InputFile[]; models: DeliveredModel[]; findings: Finding[] }> {
  const inOne = levelsInOne(target),
    // A figure that is joints alone has no parts to lie apart.
    each = target.package.parts === 'each' && listParts(nearest.document).length > 0,
    all = [{ n: 0, level: null as Level | null, prepared: nearest }, ...levels],
    models: DeliveredModel[] = [],
    files = new Map<string, InputFile>(),
    findings: Finding[] = [];
  const apart = all.map(({ prepared: { document } }) => (each ? partsEach(document) : [{ part: undefined, document }])),
    stems = each ? partNames(apart[0].map(({ part }) => part ?? '')) : new Map<string, string>();
  for (const { part, document } of apart[0]) {
    const stem = part === undefined ? name : `${name}_${stems.get(part)}`,
      mine = all.map((one, i) => ({
        ...one,
        document: i ? apart[i].find((other) => other.part === part)?.document : document,
      }));
    if (inOne) {
      const held = mine
          .slice(1)
          .flatMap(({ n, level, document: own }) => (own && level ? [{ n, fromM: level.fromM, document: own }] : [])),
        inNodes = /^gl(b|tf)$/.test(target.package.format),
        out = inNodes
          ? await written(holdLevels(document, held, heightM), target, stem, nearest.says)
          : await written(document, target, stem, nearest.says, held);
      add(out);
      const one = { path: out.files[0].path, files: out.files, ...(part !== undefined && { part }) };
      models.push({ ...one, document, level: 0 });
      for (const { n, fromM, document: own } of held)
        models.push({ ...one, document: own, level: n, fromM, inside: true });
      continue;
    }
    for (const { n, level, prepared, document: own } of mine) {
      if (!own) continue;
      const out = await written(own, target, n ? `${stem}_lod${n}` : stem, prepared.says);
      add(out);
      models.push({
        path: out.files[0].path,
        files: out.files,
        document: own,
        level: n,
        ...(level && { fromM: level.fromM }),
        ...(part !== undefined && { part }),
      });
    }
  }
  return { files: [...files.values()], models, findings };

  /** Files as they lie in the package: maps where the model's references lead. */
  async function written(...given: Parameters<typeof modelFiles>): ReturnType<typeof modelFiles> {
    const made = await modelFiles(...given);
    return { ...made, files: made.files.map(({ path, bytes }) => ({ path: pathFrom(folder, path), bytes })) };
  }

  function add(out: Awaited<ReturnType<typeof modelFiles>>): void {
    for (const file of out.files) {
      const there = files.get(file.path);
      // Maps beside a model may be those of another.
      if (there && !same(there.bytes, file.bytes))
        throw new ProblemError(
          'package.files-collide',
          `Two files of the package would be called “${file.path}” and differ. Give maps or parts other names.`,
          file.path,
        );
      files.set(file.path, there ?? file);
    }
    for (const finding of out.findings)
      if (!findings.some(({ code, message }) => code === finding.code && message === finding.message))
        findings.push(finding);
  }
}

/** What parts are called in names of files, each otherwise, on disks too that know no capitals. */
function partNames(parts: readonly string[]): Map<string, string> {
  const out = new Map<string, string>(),
    taken = new Set<string>();
  for (const part of parts) {
    const base = fileNameOf(part).replaceAll('-', '_');
    let own = base;
    for (let n = 2; taken.has(own); n++) own = `${base}_${n}`;
    taken.add(own);
    out.set(part, own);
  }
  return out;
}

function same(a: Uint8Array, b: Uint8Array): boolean {
  if (a.length !== b.length) return false;
  for (let i = 0; i < a.length; i++) if (a[i] !== b[i]) return false;
  return true;
}
