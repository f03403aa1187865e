import type { Document } from '@gltf-transform/core';
import { listMorphNames, listParts, passesOf } from '../../character/index.ts';
import type { LevelRow } from '../../check/index.ts';
import { type AppearanceRow, compareCharacters } from '../../parity/index.ts';
import { throwIfAborted } from '../../problem.ts';
import type { StepContext } from '../../step.ts';
import { isStatic, type Target } from '../../targets/index.ts';
import { type MadeLevel, targetOfLevel } from './make-levels.ts';

/** What shows a figure that is too far away for its face to be looked at. */
const VIEWS = ['figure, front', 'figure, left', 'figure, back', 'figure, right', 'arms raised'];
const SAMPLES = 8000;

/** Lays every level beside the nearest as it is seen from where it begins: surface at rest and in poses, and pictures. */
export async function measureLevels(
  nearest: Document,
  made: readonly MadeLevel[],
  target: Target,
  context: StepContext,
  { appearance = true }: { appearance?: boolean } = {},
): Promise<LevelRow[]> {
  const rows: LevelRow[] = [];
  for (const { level, n, document } of made) {
    throwIfAborted(context.signal);
    const seenFrom = targetOfLevel(target, level).appearance,
      { shape, appearance: looked } = await compareCharacters(nearest, document, {
        samples: SAMPLES,
        still: isStatic(target),
        images: context.images,
        signal: context.signal,
        ...(appearance && { appearance: { nearestM: seenFrom.nearestM, only: VIEWS } }),
        progress: (fraction) =>
          context.progress(
            (n - 1 + fraction) / made.length,
            `looking at level ${n} of detail from ${level.fromM} m`,
            'check',
          ),
      }),
      parts = listParts(document),
      looks = looked.views && heaviest(looked.views, seenFrom);
    rows.push({
      n,
      fromM: level.fromM,
      triangles: parts.reduce((sum, part) => sum + part.triangles * passesOf(part.material), 0),
      most: level.triangles,
      vertices: parts.reduce((sum, part) => sum + part.vertices, 0),
      morphs: listMorphNames(document).length,
      restRmsMm: shape.rest.rmsMm,
      poseRmsMm: Math.max(0, ...shape.poses.map(({ rmsMm }) => rmsMm)),
      ...(looks && { looks }),
    });
  }
  return rows;
}

/** The place that comes nearest to what the target allows, or goes furthest beyond. */
function heaviest(views: readonly AppearanceRow[], { other, changed }: Target['appearance']): LevelRow['looks'] {
  let worst: LevelRow['looks'];
  for (const { view, converted } of views)
    for (const { from, to, weight } of converted.regions) {
      const share = weight / Math.max(1, from === to ? changed : other);
      if (share > (worst?.share ?? -1))
        worst = { weight, share: Math.round(share * 1000) / 1000, view: view.name, from, to };
    }
  return worst ?? { weight: 0, share: 0, view: VIEWS[0], from: null, to: null };
}
