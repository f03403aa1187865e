import { readFile } from 'node:fs/promises';
import { basename } from 'node:path';
import {
  type FigureWithBody,
  parseTarget,
  ProblemError,
  SHIPPED_FIGURES,
  SHIPPED_TARGETS,
  type Target,
  unpackFigure,
  withFigure,
} from '@dimetra/core';
import { sha256 } from '@dimetra/platform';
import { UsageError } from './usage.ts';

/** A shipped target by its id, or one from a JSON file, with the figure that it names. @param figures those that were given beside it */
export async function findTarget(said: string, figures: readonly FigureWithBody[] = []): Promise<Target> {
  const target = await namedTarget(said);
  return figures.length ? withFigure(target, [...figures.map(({ figure }) => figure), ...SHIPPED_FIGURES]) : target;
}

/** Figures from archives, with their skins. */
export const readFigures = (paths: readonly string[]): Promise<FigureWithBody[]> =>
  Promise.all(
    paths.map(async (path) => {
      const bytes = await readFile(path).catch(() => {
        throw new ProblemError('intake.no-file', `“${path}” doesn't exist or can't be read.`, path);
      });
      return unpackFigure(new Uint8Array(bytes), basename(path), sha256);
    }),
  );

async function namedTarget(said: string): Promise<Target> {
  const shipped = SHIPPED_TARGETS.find((target) => target.id === said);
  if (shipped) return shipped;
  if (!/\.json$/i.test(said))
    throw new UsageError(
      `There is no target “${said}”. Shipped are ${SHIPPED_TARGETS.map((target) => target.id).join(', ')}; or name a JSON file.`,
    );
  return parseTarget(await readJson(said), said);
}

/** @throws ProblemError intake.no-file, json.broken */
export async function readJson(path: string): Promise<unknown> {
  let text: string;
  try {
    text = await readFile(path, 'utf8');
  } catch {
    throw new ProblemError('intake.no-file', `“${path}” doesn't exist or can't be read.`, path);
  }
  try {
    return JSON.parse(text);
  } catch (error) {
    throw new ProblemError('json.broken', `“${path}” is not valid JSON: ${(error as Error).message}.`, path);
  }
}
