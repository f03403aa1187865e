import { writeFile } from 'node:fs/promises';
import { learnFigure, repairBinds, findBrokenBinds, standAsFound } from '@dimetra/core';
import type { Parsed } from './arguments.ts';
import { openCharacter } from './session.ts';
import { UsageError } from './usage.ts';

/** Learns a figure from a sample: joints with roles and places, names of parts, materials and morphs. */
export async function learnCommand({ positionals, values }: Parsed): Promise<number> {
  if (positionals.length !== 1) throw new UsageError('learn takes one input.');
  const read = await openCharacter(positionals[0]),
    title = values.title ?? read.name;
  standAsFound(read.document);
  repairBinds(read.document, findBrokenBinds(read.document));
  const figure = learnFigure(read.document, {
    id:
      values.id ??
      (title
        .toLowerCase()
        .replace(/[^a-z0-9]+/g, '-')
        .replace(/^-+|-+$/g, '')
        .slice(0, 64) ||
        'figure'),
    title: title.slice(0, 80),
  });
  const text = `${JSON.stringify(figure, null, 1)
    .replace(/\n\s+(-?[\d.e-]+,?)(?=\n)/g, ' $1')
    .replace(/([\d]) ?\n\s+\]/g, '$1 ]')}\n`;
  if (values.out) await writeFile(values.out, text);
  else process.stdout.write(text);
  process.stderr.write(
    `${figure.title}: ${figure.joints.length} joints, ${figure.joints.filter((joint) => !['unknown', 'extra', 'end', 'helper'].includes(joint.role)).length} of them with a role of a body, ${figure.morphs.length} morphs.\n`,
  );
  return 0;
}
