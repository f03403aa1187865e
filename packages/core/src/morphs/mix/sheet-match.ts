import { floatsOf } from '../../character/index.ts';
import type { Sheet } from '../standing.ts';
import type { Stencils } from '../stencil.ts';

/** How it was told which place of another figure a vertex is. */
export type MatchedBy = 'order' | 'places' | 'surface' | 'wrap';

/** Where the vertices of one part lie on another figure. */
export interface SheetMatch extends Stencils {
  by: MatchedBy;
  /** The other's part. */
  other: Sheet;
}

export const noStencils = (vertices: number): Stencils => ({
  corner: new Int32Array(vertices * 3).fill(-1),
  share: new Float32Array(vertices * 3),
});
export const uvOf = ({ part }: Sheet): Float32Array | null => {
  const places = part.prim.getAttribute('TEXCOORD_0');
  return places && floatsOf(places);
};
