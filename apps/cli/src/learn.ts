import { writeFile } from 'node:fs/promises';
import { learnWithBody, packFigure, repairBinds, findBrokenBinds, standAsFound } from '@dimetra/core';
import { sha256 } from '@dimetra/platform';
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
  const learned = await learnWithBody(
    read.document,
    {
      id:
        values.id ??
        (title
          .toLowerCase()
          .replace(/[^a-z0-9]+/g, '-')
          .replace(/^-+|-+$/g, '')
          .slice(0, 64) ||
          'figure'),
      title: title.slice(0, 80),
    },
    sha256,
  );
  // A skin is a file of its own: beside JSON alone it would be missed.
  const packed = /\.zip$/i.test(values.out ?? ''),
    figure = packed ? learned.figure : { ...learned.figure, body: undefined };
  const text = `${JSON.stringify(figure, null, 1)
    .replace(/\n\s+(-?[\d.e-]+,?)(?=\n)/g, ' $1')
    .replace(/([\d]) ?\n\s+\]/g, '$1 ]')}\n`;
  if (values.out) await writeFile(values.out, packed ? packFigure(learned) : text);
  else process.stdout.write(text);
  process.stderr.write(
    `${figure.title}: ${figure.joints.length} joints, ${figure.joints.filter((joint) => !['unknown', 'extra', 'end', 'helper'].includes(joint.role)).length} of them with a role of a body, ${figure.morphs.length} morphs${packed ? (figure.body ? `, a skin of ${figure.body.parts.reduce((sum, part) => sum + part.vertices, 0)} vertices` : '') : ''}.\n`,
  );
  return 0;
}
