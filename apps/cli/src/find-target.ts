import { readFile } from 'node:fs/promises';
import { parseTarget, ProblemError, SHIPPED_TARGETS, type Target } from '@dimetra/core';
import { UsageError } from './usage.ts';

/** A shipped target by its id, or one from a JSON file. */
export async function findTarget(said: string): Promise<Target> {
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
