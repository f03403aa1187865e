import { floatsOf, listParts, weightSumError } from '../../character/index.ts';
import { judged, noneOf, type Rule } from '../judgement.ts';

const WEIGHTS_OFF = 1e-4;

/** Surfaces sound in themselves. */
export const MESH: readonly Rule[] = [
  ({ document }) => {
    const error = Math.max(0, ...listParts(document).map((part) => weightSumError(part.prim)));
    return judged(
      { rule: 'weights.sum', title: 'Weights off one by at most', station: 'weights' },
      Number(error.toExponential(1)),
      WEIGHTS_OFF,
      error <= WEIGHTS_OFF,
    );
  },
  ({ document }) => {
    const bad = listParts(document).filter((part) =>
      ['POSITION', 'NORMAL', 'TEXCOORD_0'].some((name) => {
        const accessor = part.prim.getAttribute(name);
        return accessor !== null && floatsOf(accessor).some((value) => !Number.isFinite(value));
      }),
    );
    return noneOf(
      { rule: 'mesh.finite', title: 'Parts with values that are not numbers', station: 'reduce' },
      bad.map((part) => part.name),
    );
  },
  ({ document }) =>
    noneOf(
      { rule: 'mesh.empty', title: 'Parts without triangles', station: 'reduce', blocking: false },
      listParts(document)
        .filter((part) => part.triangles === 0)
        .map((part) => part.name),
      (empty) => `Left empty: ${empty.join(', ')}.`,
    ),
];
