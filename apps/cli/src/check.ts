import { checkFiles, verdictSentence } from '@dimetra/core';
import { look } from '@dimetra/eyes';
import { readInput, unpackImage } from '@dimetra/platform';
import { basename } from 'node:path';
import { findTarget } from './find-target.ts';
import { oneTarget, type Parsed } from './arguments.ts';
import { UsageError } from './usage.ts';

/** Judges a delivery, ours or another's, by the rules of a target and the second pair of eyes. */
export async function checkCommand(parsed: Parsed): Promise<number> {
  const { positionals, values } = parsed;
  if (positionals.length !== 1) throw new UsageError('check takes one file, folder or archive.');
  const target = await findTarget(oneTarget(parsed, 'check')),
    files = await readInput(positionals[0]);
  const main =
    files.some((file) => file.path === basename(positionals[0])) && !/\.zip$/i.test(positionals[0])
      ? basename(positionals[0])
      : undefined;
  const { file, reported, summary, verdict, checks } = await checkFiles(files, target, look, { main, unpackImage });
  if (values.json)
    process.stdout.write(
      `${JSON.stringify({ schema: 1, file, target: target.id, reported, verdict, checks, character: summary })}\n`,
    );
  else {
    const broken = checks
      .filter((check) => !check.ok)
      .map((check) => `${check.blocking ? 'blocks' : 'noted'}: ${check.message}\n`);
    process.stdout.write(
      `${file} for ${target.title}: ${verdictSentence(verdict)}${reported ? ' Held to the report beside it.' : ''} How far it is from its source is not part of this; compare tells.\n${broken.join('')}`,
    );
  }
  return verdict.blocking ? 4 : 0;
}
