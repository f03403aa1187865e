import type { Document, Material } from '@gltf-transform/core';
import * as v from 'valibot';
import { isHair, keepOwn, listParts, readDossier, takeOutPart, updateDossier } from '../character/index.ts';
import { measure } from '../measures.ts';
import type { Finding } from '../problem.ts';
import { worded } from '../settings.ts';
import { defineStep, type StepContext } from '../step.ts';
import type { Target } from '../targets/index.ts';
import { type AlphaDecision, planAlpha } from './alpha.ts';
import { bestWay, drawHairWays, toldWay } from './hair-ways.ts';
import { cutScalps, markCore } from './second-pass.ts';

/** `PASSES`: strands as a cut-out core and a blended edge after it. */
const ALPHA_MODE = v.picklist(['OPAQUE', 'MASK', 'BLEND', 'PASSES']);
export const materialsStep = defineStep({
  id: 'materials.transparency',
  station: 'materials',
  title: 'Transparency and sides',
  needs: ['S3'],
  settings: v.object({
    /** Material name → alpha mode set by hand. */
    alphaModes: worded(v.optional(v.record(v.string(), ALPHA_MODE), {}), { title: 'Drawn', names: 'material' }),
    /** Material name → drawn from both sides, set by hand. */
    doubleSided: worded(v.optional(v.record(v.string(), v.boolean()), {}), { title: 'Both sides', names: 'material' }),
  }),
  reads: ({ materials, appearance }) => ({ materials, nearestM: appearance.nearestM }),
  applies: (document) => document.getRoot().listMaterials().length > 0,
  async run(document, settings, target, context) {
    const { decisions, found } = await planAlpha(document, target.materials, context.images, (fraction) =>
      context.progress(fraction / 2, 'looking at alpha'),
    );
    const findings: Finding[] = [];
    const count = (mode: string) =>
      document
        .getRoot()
        .listMaterials()
        .filter((material) => material.getAlphaMode() === mode).length;
    const before = { blend: count('BLEND'), mask: count('MASK') };
    for (const decision of decisions) {
      const { material } = decision;
      const name = material.getName();
      if (decision.leaveOut && settings.alphaModes[name] === undefined) {
        leaveOutParts(document, material, decision.why, findings);
        continue;
      }
      const mode = settings.alphaModes[name] ?? decision.alphaMode;
      const was = material.getAlphaMode();
      if (mode !== was)
        findings.push({
          code: 'materials.alpha',
          severity: 'info',
          message: `“${name}” goes from ${word(was)} to ${word(mode)}: ${settings.alphaModes[name] ? 'set by hand' : decision.why}.`,
          where: name,
          measured: found.get(material)?.pattern,
        });
      if (mode === 'PASSES') markCore(material);
      else material.setAlphaMode(mode);
      if (mode === 'MASK') material.setAlphaCutoff(decision.alphaCutoff);
      if (settings.alphaModes[name] && mode !== 'PASSES' && isHair(decision.kind)) keepOwn(material, 'passes', 1);
      material.setDoubleSided(settings.doubleSided[name] ?? decision.doubleSided);
    }
    const byHand = (material: Material) => settings.alphaModes[material.getName()],
      blends = decisions.some(({ material, kind }) => isHair(kind) && /BLEND|PASSES/.test(byHand(material) ?? ''));
    if (blends) cutScalps(listParts(document).filter(({ material }) => material && !byHand(material)));
    const open = decisions.filter(({ material }) => settings.alphaModes[material.getName()] === undefined);
    context.progress(0.5, 'drawing hair in several ways');
    findings.push(...(await chooseHairWay(document, open, target, context)));
    return {
      measures: [
        measure('blended-materials', before.blend, count('BLEND')),
        measure('cut-out-materials', before.mask, count('MASK')),
      ],
      findings,
    };
  },
});

/** Where the target blends hair, all of it alike is drawn blended and cut out, and cut out where that loses clearly less. */
async function chooseHairWay(
  document: Document,
  decisions: readonly AlphaDecision[],
  { appearance }: Target,
  { images }: StepContext,
): Promise<Finding[]> {
  const strands = decisions.filter(({ kind, alphaMode }) => isHair(kind) && alphaMode === 'BLEND'),
    hair = strands.map(({ material }) => material);
  if (!hair.length) return [];
  const cuts = new Map(strands.map(({ material, cutIfCut }) => [material, cutIfCut])),
    drawn = await drawHairWays(document, hair, ['BLEND', 'MASK'], cuts, { images, nearestM: appearance.nearestM });
  if (bestWay(drawn).way !== 'MASK') return [];
  for (const material of hair) material.setAlphaMode('MASK').setAlphaCutoff(cuts.get(material) ?? 0.5);
  return [toldWay(drawn, hair)];
}

/** Takes off what can't be shown, and remembers why, so that nothing counts as lost. */
function leaveOutParts(document: Document, material: Material, why: string, findings: Finding[]): void {
  const leftOut = { ...readDossier(document).leftOut };
  for (const part of listParts(document).filter((entry) => entry.material === material)) {
    takeOutPart(part);
    leftOut[part.name] = why;
    findings.push({
      code: 'materials.left-out',
      severity: 'info',
      message: `“${part.name}” was left out: ${why}.`,
      where: part.name,
      measured: part.triangles,
    });
  }
  updateDossier(document, { leftOut });
}

const word = (mode: string): string =>
  ({ OPAQUE: 'opaque', MASK: 'cut-out', BLEND: 'blended', PASSES: 'two passes' })[mode] ?? mode;
