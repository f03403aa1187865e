import type { Contents } from '../inspect/index.ts';

/** What a figure is made of, a line a thing, so that two lists of it can be laid side by side. */
function linesOf({ parts, joints, materials, textures, morphTargets, clips }: Contents): string[] {
  return [
    ...parts.map(
      (part) =>
        `part “${part.name}”: ${part.triangles} triangles, ${part.vertices} vertices, ${part.material ?? 'no material'}, ${part.morphTargets.length} morphs`,
    ),
    ...joints.map((joint) => `joint “${joint.name}” under “${joint.parent ?? ''}”`),
    ...materials.map(
      (material) =>
        `material “${material.name}”: ${material.alphaMode}, ${material.doubleSided ? 'two sides' : 'one side'}, ${Object.entries(
          material.maps,
        )
          .map(([channel, map]) => `${channel} ${map.width} × ${map.height}`)
          .sort()
          .join(', ')}`,
    ),
    ...textures.map((texture) => `map ${texture.width} × ${texture.height} ${texture.mimeType}`),
    ...morphTargets.map((name) => `morph “${name}”`),
    ...clips.map((clip) => `clip “${clip.name}”: ${clip.channels} channels`),
  ];
}

/** Lines of one list that the other hasn't got, either way round; empty where both are made of the same. */
export function contentsApart(stated: Contents, found: Contents): string[] {
  const left = new Map<string, number>();
  for (const line of linesOf(stated)) left.set(line, (left.get(line) ?? 0) + 1);
  const more: string[] = [];
  for (const line of linesOf(found)) {
    const n = left.get(line) ?? 0;
    if (n) left.set(line, n - 1);
    else more.push(`not stated: ${line}`);
  }
  return [
    ...[...left].flatMap(([line, n]) => Array.from({ length: n }, () => `stated and not there: ${line}`)),
    ...more,
  ];
}
