import { readFile } from 'node:fs/promises';
import { diffReports, diffSentences, ProblemError, type Report } from '@dimetra/core';

/** Whether what is to be compared are reports of deliveries instead of characters. */
export const areReports = (paths: readonly string[]): boolean => paths.every((path) => /\.json$/i.test(path));

async function reportAt(path: string): Promise<Report> {
  let value: Partial<Report>;
  try {
    value = JSON.parse(await readFile(path, 'utf8')) as Partial<Report>;
  } catch (error) {
    throw new ProblemError(
      'report.unreadable',
      `“${path}” can't be read as a report: ${(error as Error).message}.`,
      path,
    );
  }
  if (value?.schema !== 1 || !Array.isArray(value.checks) || !Array.isArray(value.result?.parts))
    throw new ProblemError(
      'report.unreadable',
      `“${path}” is no report of a delivery: those are the “report.json” of packages. Give two of them, or two characters.`,
      path,
    );
  return value as Report;
}

/** What the second report says otherwise than the first. @throws ProblemError report.unreadable */
export async function compareReports([a, b]: readonly string[], json: boolean): Promise<number> {
  const diff = diffReports(await reportAt(a), await reportAt(b)),
    lines = diffSentences(diff);
  process.stdout.write(
    json ? `${JSON.stringify(diff)}\n` : `${(lines.length ? lines : ['Both say the same.']).join('\n')}\n`,
  );
  return 0;
}
