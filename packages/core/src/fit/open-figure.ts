import type { Document } from '@gltf-transform/core';
import { copyDocument } from '../character/index.ts';
import { readGltf } from '../formats/index.ts';
import { ProblemError } from '../problem.ts';
import { standAsFound } from '../rig/index.ts';
import type { StepContext } from '../step.ts';
import { type Figure, type FigureLoop, figureOf, type Target } from '../targets/index.ts';

/** A figure's skin, or another character. */
export interface OpenedFigure {
  document: Document;
  name: string;
  /** Loops that the figure says. */
  loops?: readonly FigureLoop[];
}

/** @throws ProblemError fit.no-body where the target's figure has none, or it isn't here */
export async function openFigure(target: Target, { piece }: StepContext): Promise<OpenedFigure> {
  const figure = figureOf(target);
  if (!figure?.body)
    throw new ProblemError(
      'fit.no-body',
      `${target.title} asks for the skin on its figure’s polygons, and ${figure ? `${figure.title} has joints alone` : 'names no figure'}. Learn the figure with its skin, or switch that off in the target.`,
      target.id,
    );
  return openFigureBody(figure, { piece });
}

/** @throws ProblemError fit.no-body where a figure's skin isn't here */
export async function openFigureBody(figure: Figure, { piece }: Pick<StepContext, 'piece'>): Promise<OpenedFigure> {
  const { file = '' } = figure.body ?? {},
    bytes = (file && (await piece?.(file))) || null;
  if (!bytes)
    throw new ProblemError(
      'fit.no-body',
      `The skin of ${figure.title} is not here (${file.slice(0, 12)}…). Bring the figure once more as an archive, with its files.`,
      figure.id,
    );
  const { document: opened } = await readGltf(
    { path: `${figure.id}.glb`, bytes: bytes as Uint8Array<ArrayBuffer> },
    [],
  );
  return { document: opened, name: figure.title, loops: figure.body?.loops };
}

/** Another figure as it stands at rest in metres. */
export function standing(opened: Document): Document {
  const own = copyDocument(opened);
  standAsFound(own);
  return own;
}
