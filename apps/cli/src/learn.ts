import { writeFile } from 'node:fs/promises';
import {
  type Figure,
  learnFigure,
  learnTarget,
  learnWithBody,
  packFigure,
  repairBinds,
  findBrokenBinds,
  standAsFound,
  summarise,
} from '@dimetra/core';
import { readInput, sha256 } from '@dimetra/platform';
import type { Parsed } from './arguments.ts';
import { openCharacter } from './session.ts';
import { UsageError } from './usage.ts';

/** Learns a delivery target from a sample that works where it is for: its limits, and the figure that its joints are. */
async function learnTargetCommand(input: string, values: Parsed['values']): Promise<number> {
  const read = await openCharacter(input),
    title = (values.title ?? `As ${read.name}`).slice(0, 80),
    id = values.id ?? idOf(title, 'target'),
    files = await Promise.all((await readInput(input)).map(async ({ path, bytes }) => ({ path, bytes: bytes.length }))),
    summary = summarise(read.document, read.name, { seen: false });
  let figure: Figure | undefined;
  if (summary.joints.length) {
    standAsFound(read.document);
    repairBinds(read.document, findBrokenBinds(read.document));
    figure = learnFigure(read.document, { id: `${id.slice(0, 56)}-figure`, title: `${title} figure`.slice(0, 80) });
  }
  const { target, evidence, doubts } = learnTarget([{ summary, files }], { id, title, figure }),
    text = `${JSON.stringify(target, null, 1)}\n`;
  if (values.out) await writeFile(values.out, text);
  else process.stdout.write(text);
  for (const { field, says } of evidence) process.stderr.write(`${field}: ${says}\n`);
  for (const { field, says } of doubts) process.stderr.write(`asked, ${field}: ${says}\n`);
  return 0;
}

const idOf = (title: string, otherwise: string): string =>
  title
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 64) || otherwise;

/** Learns a figure from a sample: joints with roles and places, names of parts, materials and morphs. */
export async function learnCommand({ positionals, values }: Parsed): Promise<number> {
  if (positionals.length !== 1) throw new UsageError('learn takes one input.');
  if (values.as === 'target') return learnTargetCommand(positionals[0], values);
  if (values.as !== undefined && values.as !== 'figure') throw new UsageError('--as takes figure or target.');
  const read = await openCharacter(positionals[0]),
    title = values.title ?? read.name;
  standAsFound(read.document);
  repairBinds(read.document, findBrokenBinds(read.document));
  const learned = await learnWithBody(
    read.document,
    {
      id: values.id ?? idOf(title, 'figure'),
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
