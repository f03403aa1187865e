import { ProblemError } from '../../problem.ts';
import type { PreparedMix } from './prepare.ts';

/** Refuses what has nothing of this one's skin. @throws ProblemError morphs.other-topology */
export function refuseOthers({ own, others, skin }: PreparedMix): void {
  for (const { person, matches } of others)
    if (!own.sheets.some(({ first }, i) => skin.pointOf[first] >= 0 && matches[i]))
      throw new ProblemError(
        'morphs.other-topology',
        `“${person.name}” can't be mixed in: no part of its skin is the same mesh, neither by the order of its vertices nor by texture places nor by how its triangles hang together. Choose a figure of the same topology.`,
        person.name,
      );
}
