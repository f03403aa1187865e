import type { KnownLayout } from '../maps/index.ts';
import { type Figure, SEAM_STEPS } from './figure.ts';

/** Layouts that figures with a skin of their own say: what a map may have been painted for. */
export const knownLayouts = (figures: readonly Figure[]): KnownLayout[] =>
  figures.flatMap(({ id, title, body }) =>
    (body?.parts ?? []).flatMap(({ name, seams }) =>
      seams?.length ? [{ figure: id, title, part: name, seams: seams.map((step) => step / SEAM_STEPS) }] : [],
    ),
  );
