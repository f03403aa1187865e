import { describe, openCharacters } from './session.ts';
import type { Parsed } from './arguments.ts';
import { UsageError } from './usage.ts';

export async function inspectCommand({ positionals, values }: Parsed): Promise<number> {
  if (positionals.length !== 1) throw new UsageError('inspect takes one input.');
  const { characters, failed } = await openCharacters(positionals[0]),
    found = [];
  for (const read of characters) found.push(await describe(read));
  if (values.json)
    process.stdout.write(
      `${JSON.stringify(found.length === 1 && !failed.length ? found[0] : { schema: 1, characters: found, failed })}\n`,
    );
  else process.stdout.write(found.map(toText).join('\n'));
  for (const { path, message } of failed) process.stderr.write(`${path}: ${message}\n`);
  return failed.length ? 3 : 0;
}

function toText(found: Awaited<ReturnType<typeof describe>>): string {
  const { character: c } = found;
  const lines = [
    `${c.name}: ${c.heightCm} cm, ${c.triangles.toLocaleString('en-GB')} triangles, ${c.vertices.toLocaleString('en-GB')} vertices`,
    `${c.joints.length} joints, at most ${c.influencesMax} influences, ${c.morphTargets.length} morph targets, ${c.clips.length} clips`,
    `${c.materials.length} materials, ${c.textures.length} maps, ${(c.textureMemoryBytes / 1048576).toFixed(1)} MB on the graphics card`,
    '',
    ...c.parts.map(
      (part) => `  ${part.name.padEnd(32)} ${part.role.padEnd(10)} ${String(part.triangles).padStart(8)} triangles`,
    ),
    ...morphLines(c.morphs ?? []),
    '',
    ...(found.findings.length
      ? found.findings.map((finding) => `${finding.severity}: ${finding.message}`)
      : ['Nothing was found wrong.']),
  ];
  return `${lines.join('\n')}\n`;
}

/** How many morphs there are of each kind. */
function morphLines(morphs: readonly { kind: string }[]): string[] {
  const counts = new Map<string, number>();
  for (const { kind } of morphs) counts.set(kind, (counts.get(kind) ?? 0) + 1);
  return counts.size ? ['', `  morphs: ${[...counts].map(([kind, count]) => `${count} ${kind}`).join(', ')}`] : [];
}
