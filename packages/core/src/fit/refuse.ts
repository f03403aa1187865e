import { ProblemError } from '../problem.ts';
import { type Skin, whyUnwrappable } from '../wrap/index.ts';

/** @throws ProblemError fit.body where a figure's skin can't take on a shape */
export function refuseBody(skin: Skin, name: string): void {
  const why = whyUnwrappable(skin) ?? (hasTexturePlaces(skin) ? null : 'its skin has no texture places');
  if (why)
    throw new ProblemError(
      'fit.body',
      `The skin can’t be put on the polygons of ${name}: ${why}. Choose a whole figure with a skeleton.`,
      name,
    );
}

/** @throws ProblemError fit.character where there is nothing whose shape could be taken on */
export function refuseCharacter(skin: Skin): void {
  const why = whyUnwrappable(skin);
  if (why)
    throw new ProblemError(
      'fit.character',
      `No other figure can take on this one’s shape: ${why}. Say at Intake what is skin, or give it a skeleton first.`,
    );
}

const hasTexturePlaces = ({ deformer }: Skin): boolean =>
  deformer.ranges.every(({ part }) => part.prim.getAttribute('TEXCOORD_0'));
