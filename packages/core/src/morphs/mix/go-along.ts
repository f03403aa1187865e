import { carriedAs, carriedDelta } from '../carry.ts';
import { EVERYWHERE, type PreparedFigure, RIGID } from './prepare.ts';
import { mixRigid, type RigidSheet } from './mix-rigid.ts';

/**
 * Lets what is no skin go along with it, however far it stands off: cloth and hair with the skin below, eyes and what is in the
 * mouth as a whole. @param moved of the skin, xyz by vertex of the figure; the rest is written
 * @param has parts that have their movement already
 */
export function goAlong(figure: PreparedFigure, moved: Float32Array, has: (sheet: number) => boolean): void {
  const { own, ground } = figure,
    // The skin's movement as it is, whatever is written meanwhile.
    skin = { moved: moved.slice(), normals: ground.normalsAt(own.rest.map((value, k) => value + moved[k])), ground },
    rigid: RigidSheet[] = [];
  own.sheets.forEach((sheet, index) => {
    const on = figure.on[index],
      { first, vertices, part } = sheet;
    if (!on || has(index)) return;
    if (RIGID.includes(part.kind)) {
      rigid.push({ sheet, on, index });
      return;
    }
    const how = { ...(carriedAs(part.kind) ?? { rounds: 0, rooted: false }), reach: EVERYWHERE },
      delta = carriedDelta(sheet, own.rest, on, skin, how);
    moved.set(delta.subarray(first * 3, (first + vertices) * 3), first * 3);
  });
  mixRigid({ ...figure, others: [] }, rigid, [], { moved, shares: [] });
}
