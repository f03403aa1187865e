import { REQUIRED_ROLES, roleLabel } from '../character/index.ts';
import { ProblemError } from '../problem.ts';
import type { Skin } from './skin.ts';

/** Fewer points are no body; more than this take memory that nobody has. */
const LEAST_POINTS = 400;
const MOST_POINTS = 400_000;

/** @throws ProblemError fit.body where a figure's skin can't take on a shape */
export function refuseBody(skin: Skin, name: string): void {
  const why = reason(skin) ?? (hasTexturePlaces(skin) ? null : 'its skin has no texture places');
  if (why)
    throw new ProblemError(
      'fit.body',
      `The skin can’t be put on the polygons of ${name}: ${why}. Choose a whole figure with a skeleton.`,
      name,
    );
}

/** @throws ProblemError fit.character where there is nothing whose shape could be taken on */
export function refuseCharacter(skin: Skin): void {
  const why = reason(skin);
  if (why)
    throw new ProblemError(
      'fit.character',
      `No other figure can take on this one’s shape: ${why}. Say at Intake what is skin, or give it a skeleton first.`,
    );
}

function reason({ mesh, roles, rest }: Skin): string | null {
  if (mesh.points < LEAST_POINTS)
    return mesh.points ? `its skin has only ${mesh.points} points` : 'nothing of it is known to be skin';
  if (mesh.points > MOST_POINTS)
    return `its skin has ${mesh.points.toLocaleString('en')} points, more than the ${MOST_POINTS.toLocaleString('en')} that can be held at once`;
  if (!rest.every(Number.isFinite)) return 'some of its vertices lie nowhere';
  const missing = REQUIRED_ROLES.filter((role) => !roles.has(role));
  if (missing.length)
    return `its skeleton lacks ${missing
      .slice(0, 3)
      .map((role) => roleLabel(role))
      .join(', ')}${missing.length > 3 ? ` and ${missing.length - 3} more` : ''}`;
  return null;
}

const hasTexturePlaces = ({ deformer }: Skin): boolean =>
  deformer.ranges.every(({ part }) => part.prim.getAttribute('TEXCOORD_0'));
