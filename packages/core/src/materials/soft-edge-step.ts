import type { Document, Material } from '@gltf-transform/core';
import * as v from 'valibot';
import { isHair, kindsOf, listParts, ownOf, type Part } from '../character/index.ts';
import { measure } from '../measures.ts';
import type { Finding } from '../problem.ts';
import { defineStep } from '../step.ts';
import type { Target } from '../targets/index.ts';
import { bestWay, drawHairWays, type HairWay, toldWay } from './hair-ways.ts';
import { addSoftEdges, markCore, withoutEdge } from './second-pass.ts';

/**
 * Hair that could be drawn in two passes instead of one: the target blends, nobody said otherwise, and there is room. The
 * second pass must cost no other triangles: with fewer cards hair loses more than a soft edge gains (on the demo's
 * swimmer at 20,000 triangles a mean ΔE of 0.15 from its worst side, against 0.03).
 */
function couldBeTwice(document: Document, { materials, triangles }: Target): Material[] {
  if (!materials.blendAllowed || withoutEdge(document).length) return [];
  const kindOf = kindsOf(document),
    all = document.getRoot().listMaterials(),
    hair = all.filter(
      (material) =>
        isHair(kindOf(material)) && material.getAlphaMode() !== 'OPAQUE' && ownOf(material, 'passes') === undefined,
    ),
    parts = listParts(document),
    count = (list: readonly Part[]) => list.reduce((sum, part) => sum + part.triangles, 0),
    strands = count(parts.filter(({ material }) => material && hair.includes(material)));
  return count(parts) + strands <= triangles.max && all.length + hair.length <= materials.max ? hair : [];
}

/**
 * The second pass of hair that is drawn in two; after the reduction, so that both passes have the same triangles. Chosen
 * by what an engine draws, where nobody says it.
 */
export const softEdgeStep = defineStep({
  id: 'materials.soft-edge',
  station: 'reduce',
  title: 'Soft edge of hair',
  says: 'Where triangles are left, hair is tried in two passes: a core that is cut out, and the same triangles once more, blended, for the edge. They share vertices, morphs and maps.',
  needs: ['S3'],
  settings: v.object({}),
  reads: ({ materials, triangles, appearance }) => ({ materials, triangles, nearestM: appearance.nearestM }),
  applies: (document, target) => withoutEdge(document).length > 0 || couldBeTwice(document, target).length > 0,
  async run(document, _settings, target, { images, progress }) {
    const hair = couldBeTwice(document, target),
      findings: Finding[] = [];
    if (hair.length) {
      progress(0.1, 'drawing hair in two passes');
      const usual = hair[0].getAlphaMode() as HairWay,
        cuts = new Map(hair.map((material) => [material, material.getAlphaCutoff()])),
        drawn = await drawHairWays(document, hair, [usual, 'PASSES'], cuts, {
          images,
          nearestM: target.appearance.nearestM,
        });
      if (bestWay(drawn).way === 'PASSES') {
        for (const material of hair) markCore(material);
        findings.push(toldWay(drawn, hair));
      }
    }
    const given = addSoftEdges(document);
    return { measures: [measure('soft-edges', 0, given.length)], findings };
  },
});
