import { basename, join } from 'node:path';
import { fileNameOf, type ReadResult, type Source } from '@dimetra/core';
import { oneTarget, type Parsed } from './arguments.ts';
import { batchCommand } from './batch.ts';
import { convertOne } from './convert-one.ts';
import { findTarget, readFigures } from './find-target.ts';
import { readRecipe } from './read-recipe.ts';
import { distinct, openCharacters } from './session.ts';
import { UsageError } from './usage.ts';

export async function convertCommand(parsed: Parsed): Promise<number> {
  const { positionals, values } = parsed;
  if (!positionals.length) throw new UsageError('convert needs an input.');
  if (!values.target?.length) throw new UsageError('convert needs --target.');
  if (!values.out) throw new UsageError('convert needs --out.');
  if (positionals.length > 1 || values.target.length > 1 || values.jobs || values.junit || values.baseline)
    return batchCommand(parsed);
  const figures = await readFigures(values.figure ?? []),
    target = await findTarget(oneTarget(parsed, 'convert'), figures);
  const followed = await readRecipe(values.recipe, values.by);
  const { characters, failed } = await openCharacters(positionals[0], values.main),
    alone = characters.length === 1 && !failed.length;
  // Names that differ may be one name once they are plain.
  const folders = alone
    ? [values.out]
    : distinct(
        characters.map((read) => fileNameOf(read.name)),
        '-',
      ).map((name) => join(values.out as string, name));
  const outputs = [];
  let blocked = false;
  const names = characters.map((read) => read.name);
  for (let taken = takeFirst(characters), i = 0; taken; taken = takeFirst(characters), i++) {
    const { output, text, blocking } = await convertOne(
      { ...taken.about, source: taken.source },
      target,
      followed,
      folders[i],
      figures,
    );
    blocked ||= blocking;
    outputs.push(output);
    if (!values.json) process.stdout.write(text);
  }
  if (values.json)
    process.stdout.write(
      `${JSON.stringify(alone ? outputs[0] : { schema: 1, characters: outputs.map((output, i) => ({ name: names[i], folder: basename(folders[i]), ...output })), failed })}\n`,
    );
  for (const { path, message } of failed) process.stderr.write(`${path}: ${message}\n`);
  return failed.length ? 3 : blocked ? 4 : 0;
}

/** The first of a list, taken off it: so its document can go as soon as nothing needs it any more. */
function takeFirst(characters: ReadResult[]): { about: Omit<ReadResult, 'document'>; source: Source } | null {
  const first = characters.shift();
  if (!first) return null;
  const { document, ...about } = first;
  let held: ReadResult['document'] | null = document;
  return {
    about,
    source: {
      async document() {
        if (!held) throw new Error('the character was let go of');
        return held;
      },
      release() {
        held = null;
      },
    },
  };
}
