import * as v from 'valibot';
import { measure } from '../measures.ts';
import { defineStep } from '../step.ts';
import { addSoftEdges, withoutEdge } from './second-pass.ts';

/** The second pass of hair that is drawn in two; after the reduction, so that both passes have the same triangles. */
export const softEdgeStep = defineStep({
  id: 'materials.soft-edge',
  station: 'reduce',
  title: 'Soft edge of hair',
  says: 'Hair in two passes gets its second one: the same triangles once more, blended, after the core that is cut out. They share vertices, morphs and maps.',
  needs: ['S3'],
  settings: v.object({}),
  reads: () => null,
  applies: (document) => withoutEdge(document).length > 0,
  async run(document) {
    const given = addSoftEdges(document);
    return { measures: [measure('soft-edges', 0, given.length)], findings: [] };
  },
});
