import type { Document } from '@gltf-transform/core';
import { isJointRole, readDossier, skeletonOf, updateDossier } from '../character/index.ts';
import { type Figure, SHIPPED_FIGURES } from '../targets/index.ts';

/** Of the character's joints, and of the figure's, this share has to go by the same names. */
const SHARE_OF_CHARACTER = 0.7,
  SHARE_OF_FIGURE = 0.6;
/** Names that every pipeline uses say nothing of a figure. */
const FEWEST = 12;

/** The figure whose joint names a skeleton has, of two that fit alike the later one: what was learned here stands behind what ships. Null where none fits. */
export function figureByNames(names: readonly string[], figures: readonly Figure[] = SHIPPED_FIGURES): Figure | null {
  const have = new Set(names);
  let best: Figure | null = null,
    most = 0;
  for (const figure of figures) {
    const shared = figure.joints.filter((joint) => have.has(joint.name)).length;
    const fit = shared / Math.max(1, have.size) + shared / figure.joints.length;
    if (
      shared >= FEWEST &&
      shared >= SHARE_OF_CHARACTER * have.size &&
      shared >= SHARE_OF_FIGURE * figure.joints.length &&
      fit >= most
    ) {
      best = figure;
      most = fit;
    }
  }
  return best;
}

/**
 * Looks whether a character's joints go by the names of a figure that was learned before; its roles, corrections
 * among them, are used then. Changes the dossier of `document`.
 */
export function recogniseFigure(document: Document, figures: readonly Figure[]): Figure | null {
  const figure = figureByNames(
    skeletonOf(document).joints.map((joint) => joint.getName()),
    figures,
  );
  if (figure)
    updateDossier(document, {
      declaredRoles: {
        ...Object.fromEntries(
          figure.joints.filter((joint) => isJointRole(joint.role)).map((joint) => [joint.name, joint.role]),
        ),
        ...readDossier(document).declaredRoles,
      },
      figure: { id: figure.id, title: figure.title },
    });
  return figure;
}
