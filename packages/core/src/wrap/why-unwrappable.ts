import { REQUIRED_ROLES, roleLabel } from '../character/index.ts';
import type { Skin } from './skin.ts';

/** Fewer points are no body; more than this take memory that nobody has. */
const LEAST_POINTS = 400;
const MOST_POINTS = 400_000;

/** Why a skin can neither take on another's shape nor lend its own; null where it can. */
export function whyUnwrappable({ mesh, roles, rest }: Skin): string | null {
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
