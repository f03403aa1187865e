import { describe, openCharacter } from './session.ts';
import type { Parsed } from './main.ts';
import { UsageError } from './usage.ts';

export async function inspectCommand({ positionals, values }: Parsed): Promise<number> {
  if (positionals.length !== 1) throw new UsageError('inspect takes one input.');
  const found = await describe(await openCharacter(positionals[0]));
  if (values.json) { process.stdout.write(`${JSON.stringify(found)}\n`); return 0; }
  const { character: c } = found;
  const lines = [
    `${c.name}: ${c.heightCm} cm, ${c.triangles.toLocaleString('en-GB')} triangles, ${c.vertices.toLocaleString('en-GB')} vertices`,
    `${c.joints.length} joints, at most ${c.influencesMax} influences, ${c.morphTargets.length} morph targets, ${c.clips.length} clips`,
    `${c.materials.length} materials, ${c.textures.length} maps, ${(c.textureMemoryBytes / 1048576).toFixed(1)} MB on the graphics card`,
    '',
    ...c.parts.map((part) => `  ${part.name.padEnd(32)} ${part.role.padEnd(10)} ${String(part.triangles).padStart(8)} triangles`),
    '',
    ...(found.findings.length ? found.findings.map((finding) => `${finding.severity}: ${finding.message}`) : ['Nothing was found wrong.']),
  ];
  process.stdout.write(`${lines.join('\n')}\n`);
  return 0;
}
