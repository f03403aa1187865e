import { copyDocument, landmarksOf, standAsFound } from '@dimetra/core';
import { describe, openCharacters } from './session.ts';
import type { Parsed } from './arguments.ts';
import { UsageError } from './usage.ts';

export async function inspectCommand({ positionals, values }: Parsed): Promise<number> {
  if (positionals.length !== 1) throw new UsageError('inspect takes one input.');
  const { characters, failed } = await openCharacters(positionals[0]),
    found: Found[] = [];
  for (const read of characters) {
    const described = await describe(read);
    found.push(values.landmarks ? { ...described, ...landmarksIn(read) } : described);
  }
  if (values.json)
    process.stdout.write(
      `${JSON.stringify(found.length === 1 && !failed.length ? found[0] : { schema: 1, characters: found, failed })}\n`,
    );
  else process.stdout.write(found.map(toText).join('\n'));
  for (const { path, message } of failed) process.stderr.write(`${path}: ${message}\n`);
  return failed.length ? 3 : 0;
}

/** Landmarks of a body by its shape alone, once it stands as it was found to. */
function landmarksIn({ document }: Pick<Awaited<ReturnType<typeof openCharacters>>['characters'][number], 'document'>) {
  const standing = copyDocument(document);
  standAsFound(standing);
  const { landmarks, confidence, refused } = landmarksOf(standing);
  return { landmarks, landmarksConfidence: confidence, ...(refused ? { landmarksRefused: refused } : {}) };
}
type Found = Awaited<ReturnType<typeof describe>> & Partial<ReturnType<typeof landmarksIn>>;

function toText(found: Found): string {
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
    ...landmarkLines(found),
    '',
    ...(found.findings.length
      ? found.findings.map((finding) => `${finding.severity}: ${finding.message}`)
      : ['Nothing was found wrong.']),
  ];
  return `${lines.join('\n')}\n`;
}

function landmarkLines({ landmarks, landmarksRefused }: Found): string[] {
  if (!landmarks) return [];
  return [
    '',
    ...(landmarksRefused ? [`  no landmarks: ${landmarksRefused}`] : []),
    ...landmarks.map(
      ({ name, at, confidence }) =>
        `  ${name.padEnd(32)} ${at.map((x) => x.toFixed(3).padStart(7)).join(' ')} m   ${Math.round(confidence * 100)} %`,
    ),
  ];
}

/** How many morphs there are of each kind. */
function morphLines(morphs: readonly { kind: string }[]): string[] {
  const counts = new Map<string, number>();
  for (const { kind } of morphs) counts.set(kind, (counts.get(kind) ?? 0) + 1);
  return counts.size ? ['', `  morphs: ${[...counts].map(([kind, count]) => `${count} ${kind}`).join(', ')}`] : [];
}
