import {
  compareCharacters,
  copyDocument,
  SHIPPED_FIGURES,
  SHIPPED_TARGETS,
  stepById,
  takeHome,
  type StepContext,
} from '@dimetra/core';
import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';

const STEPS = ['skeleton.remap', 'rest.convert'].map((id) => stepById(id) as NonNullable<ReturnType<typeof stepById>>);

/** Remaps a character to a figure and gives it the figure's rest pose, as a run does; the document changes. */
export async function becomeFigure(
  document: Document,
  figure: (typeof SHIPPED_FIGURES)[number],
  context: StepContext,
): Promise<void> {
  const target = {
    ...(SHIPPED_TARGETS.find((entry) => entry.id === 'tessel-figure') as (typeof SHIPPED_TARGETS)[number]),
    joints: { keep: 'all' as const, names: 'roles' as const, figure },
  };
  for (const step of STEPS) await step.run(document, v.parse(step.settings, {}), target, context);
}

/** One line per figure that ships: how the character, once converted, stands and bends against itself. */
export async function benchConversions(source: Document, context: StepContext): Promise<void> {
  process.stdout.write('\nTo each figure and bent over the range of motion, mm\n');
  for (const figure of SHIPPED_FIGURES) {
    const document = copyDocument(source),
      start = performance.now();
    await becomeFigure(document, figure, context);
    const seconds = (performance.now() - start) / 1000;
    takeHome(document);
    const { shape } = await compareCharacters(source, document, { samples: 3000 });
    const worst = shape.poses.reduce((most, row) => (row.rmsMm > most.rmsMm ? row : most));
    const mean = shape.poses.reduce((sum, row) => sum + row.rmsMm, 0) / shape.poses.length;
    process.stdout.write(
      `  ${figure.title.padEnd(24)} rest ${shape.rest.maxMm.toFixed(4)} · poses on average ${mean.toFixed(2)} RMS · worst ${worst.rmsMm.toFixed(2)} RMS, ${worst.maxMm.toFixed(1)} at most: ${worst.name}, in ${worst.where ?? 'no part'} · ${seconds.toFixed(1)} s\n`,
    );
  }
}
