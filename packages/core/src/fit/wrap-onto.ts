import type { Document } from '@gltf-transform/core';
import {
  type Correspondence,
  correspond,
  FULL,
  PREVIEW,
  type Skin,
  skinOf,
  type SurfaceFit,
  surfaceFit,
  type Wrapped,
  wrapSkin,
} from '../wrap/index.ts';
import { standingSkin } from './figure-loops.ts';
import { type OpenedFigure, standing } from './open-figure.ts';
import { refuseBody, refuseCharacter } from './refuse.ts';

export interface WrapAsked {
  detail: 'full' | 'quick';
  sides: 'own' | 'alike';
}
export interface WrapWatched {
  stop?(): void;
  /** Before anything moves, and after each round: the share that is done, and the surface as it lies then. */
  after?(done: number, surface: { corners: Uint32Array; places: Float32Array }): void;
}
export interface WrappedOnto {
  /** The other figure as it stands, and its skin. */
  figure: Document;
  body: Skin;
  /** Loops that the figure says and that lie nowhere on its skin. */
  astray: string[];
  /** The character's own skin. */
  other: Skin;
  wrapped: Wrapped;
  at: Correspondence;
  fit: SurfaceFit;
}

/**
 * Another figure's skin takes on a character's shape; nothing of either is changed.
 * @throws ProblemError fit.body, fit.character
 */
export function wrapOnto(
  document: Document,
  opened: OpenedFigure,
  { detail, sides }: WrapAsked,
  { stop = () => {}, after = () => {} }: WrapWatched = {},
): WrappedOnto {
  const figure = standing(opened.document),
    { skin: body, astray } = standingSkin(figure, opened),
    other = skinOf(document);
  refuseBody(body, opened.name);
  refuseCharacter(other);
  after(0, body.mesh);
  const { corners } = body.mesh,
    wrapped = wrapSkin(body, other, {
      settings: detail === 'quick' ? PREVIEW : FULL,
      stop,
      symmetric: sides === 'alike',
      after: (done, places) => after(done, { corners, places }),
    });
  after(1, { corners, places: wrapped.places });
  const at = correspond(body.mesh, wrapped.places, wrapped.trust, other.mesh);
  return { figure, body, astray, other, wrapped, at, fit: surfaceFit(body.mesh, wrapped, other.mesh) };
}
