import type { Document, Material } from '@gltf-transform/core';
import * as v from 'valibot';
import { listParts, readDossier, takeOutPart, updateDossier } from '../character/index.ts';
import type { Finding } from '../problem.ts';
import { measure } from '../measures.ts';
import { worded } from '../settings.ts';
import { defineStep } from '../step.ts';
import { planAlpha } from './alpha.ts';

const ALPHA_MODE = v.picklist(['OPAQUE', 'MASK', 'BLEND']);
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
  reads: (target) => target.materials,
  applies: (document) => document.getRoot().listMaterials().length > 0,
  async run(document, settings, target, context) {
    const { decisions, found } = await planAlpha(document, target.materials, context.images, (fraction) =>
      context.progress(fraction, 'looking at alpha'),
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
      material.setAlphaMode(mode);
      if (mode === 'MASK') material.setAlphaCutoff(decision.alphaCutoff);
      material.setDoubleSided(settings.doubleSided[name] ?? decision.doubleSided);
    }
    return {
      measures: [
        measure('blended-materials', before.blend, count('BLEND')),
        measure('cut-out-materials', before.mask, count('MASK')),
      ],
      findings,
    };
  },
});

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

const word = (mode: string): string => ({ OPAQUE: 'opaque', MASK: 'cut-out', BLEND: 'blended' })[mode] ?? mode;
