import type { Document, Material } from '@gltf-transform/core';
import * as v from 'valibot';
import { listParts, readDossier, takeOutPart, updateDossier } from '../character/index.ts';
import { measure } from '../measures.ts';
import type { Finding } from '../problem.ts';
import { worded } from '../settings.ts';
import { defineStep, type StepContext } from '../step.ts';
import type { Target } from '../targets/index.ts';
import { type AlphaDecision, planAlpha } from './alpha.ts';
import { bestWay, drawHairWays, type HairWay } from './hair-ways.ts';
import { markCore } from './second-pass.ts';

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
  reads: ({ materials, triangles, appearance }) => ({ materials, triangles, nearestM: appearance.nearestM }),
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
      material.setDoubleSided(settings.doubleSided[name] ?? decision.doubleSided);
    }
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

/** Draws all hair alike in the ways that the target leaves open, and takes the one that loses clearly less than the usual. */
async function chooseHairWay(
  document: Document,
  decisions: readonly AlphaDecision[],
  target: Target,
  context: StepContext,
): Promise<Finding[]> {
  const strands = decisions.filter(
      ({ kind, alphaMode, leaveOut }) => ['hair', 'beard'].includes(kind) && alphaMode !== 'OPAQUE' && !leaveOut,
    ),
    hair = strands.map(({ material }) => material),
    usual = strands[0]?.alphaMode as HairWay | undefined,
    ways = usual ? waysFor(document, hair, usual, target) : [];
  if (!usual || ways.length < 2) return [];
  const plain = new Map(strands.map(({ material, cutIfCut }) => [material, cutIfCut])),
    drawn = await drawHairWays(document, hair, ways, plain, {
      images: context.images,
      nearestM: target.appearance.nearestM,
    }),
    best = bestWay(drawn),
    figures = drawn.map(({ way, loss }) => `${WAY[way]} ${loss.toFixed(2)}`).join(', ');
  if (best.way === usual) return [];
  for (const material of hair) {
    if (best.way === 'PASSES') markCore(material);
    else material.setAlphaMode(best.way).setAlphaCutoff(plain.get(material) ?? 0.5);
  }
  return [
    {
      code: 'materials.hair-way',
      severity: 'info',
      message: `Hair is ${WAY[best.way]}: drawn by an engine that sorts no triangles it loses least so (mean ΔE ${figures}).`,
      where: hair.map((material) => material.getName()).join(', '),
      measured: Number(best.loss.toFixed(3)),
    },
  ];
}
const WAY: Record<HairWay, string> = { BLEND: 'blended', MASK: 'cut out', PASSES: 'drawn in two passes' };

/** The usual way first. A second pass is only thought of where its triangles cost no others: with fewer cards hair loses more than a soft edge gains. */
function waysFor(document: Document, hair: readonly Material[], usual: HairWay, target: Target): HairWay[] {
  const { blendAllowed, max } = target.materials,
    parts = listParts(document),
    count = (list: typeof parts) => list.reduce((sum, { triangles }) => sum + triangles, 0),
    strands = count(parts.filter(({ material }) => material && hair.includes(material)));
  const room =
    count(parts) + strands <= target.triangles.max && document.getRoot().listMaterials().length + hair.length <= max;
  return [
    usual,
    ...(target.materials.hair === 'blend' && usual === 'BLEND' ? (['MASK'] as const) : []),
    ...(blendAllowed && room ? (['PASSES'] as const) : []),
  ];
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
