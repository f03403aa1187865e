import type { Document, Material } from '@gltf-transform/core';
import type { EmissiveStrength, Transmission } from '@gltf-transform/extensions';
import * as v from 'valibot';
import { measure } from '../measures.ts';
import type { Finding } from '../problem.ts';
import { worded } from '../settings.ts';
import { defineStep } from '../step.ts';
import { MATERIAL_FEATURES, type MaterialFeature, type Target } from '../targets/index.ts';

/** Extension that carries a feature, what it is called, and how it is folded into what every engine has. */
const FEATURES: Record<MaterialFeature, { extension: string; says: string; fold?: (material: Material) => string }> = {
  specular: { extension: 'KHR_materials_specular', says: 'reflection of its own strength or colour' },
  ior: { extension: 'KHR_materials_ior', says: 'an index of refraction' },
  clearcoat: { extension: 'KHR_materials_clearcoat', says: 'a clear coat' },
  sheen: { extension: 'KHR_materials_sheen', says: 'a sheen of fibres' },
  anisotropy: { extension: 'KHR_materials_anisotropy', says: 'highlights along a direction' },
  transmission: {
    extension: 'KHR_materials_transmission',
    says: 'light that goes through',
    fold(material) {
      const clear = material.getExtension<Transmission>('KHR_materials_transmission'),
        [r, g, b, alpha] = material.getBaseColorFactor(),
        left = alpha * (1 - (clear?.getTransmissionFactor() ?? 0));
      // A surface that lets all light through still reflects: a twenty-fifth at least.
      material.setAlphaMode('BLEND').setBaseColorFactor([r, g, b, Math.max(0.04, left)]);
      return 'it became see-through';
    },
  },
  iridescence: { extension: 'KHR_materials_iridescence', says: 'colours of a thin film' },
  emissiveStrength: {
    extension: 'KHR_materials_emissive_strength',
    says: 'a glow over one',
    fold(material) {
      const strength =
          material.getExtension<EmissiveStrength>('KHR_materials_emissive_strength')?.getEmissiveStrength() ?? 1,
        glow = material.getEmissiveFactor().map((value) => Math.min(1, value * strength));
      material.setEmissiveFactor(glow as [number, number, number]);
      return 'its glow is at most one';
    },
  },
  unlit: { extension: 'KHR_materials_unlit', says: 'no light at all' },
};
/** Goes where transmission goes: how thick what lets light through is. */
const VOLUME = ['KHR_materials_volume', 'KHR_materials_dispersion', 'KHR_materials_diffuse_transmission'];

function notUnderstood(document: Document, understands: readonly MaterialFeature[]): [Material, MaterialFeature][] {
  return document
    .getRoot()
    .listMaterials()
    .flatMap((material) =>
      MATERIAL_FEATURES.filter(
        (feature) => !understands.includes(feature) && material.getExtension(FEATURES[feature].extension) !== null,
      ).map((feature): [Material, MaterialFeature] => [material, feature]),
    );
}
const understood = (
  target: Target,
  settings?: { understands?: readonly MaterialFeature[] },
): readonly MaterialFeature[] => settings?.understands ?? target.materials.understands ?? MATERIAL_FEATURES;

/** What of a material the target doesn't understand is folded into what it does, or taken out; the pictures of Check say what that costs. */
export const modelStep = defineStep({
  id: 'materials.model',
  station: 'materials',
  title: 'Material model of the target',
  says: 'What the target doesn’t understand of a material is folded into what it does, or taken out.',
  needs: ['S1'],
  settings: v.object({
    understands: worded(v.optional(v.array(v.picklist(MATERIAL_FEATURES))), { title: 'The target understands' }),
  }),
  reads: (target) => target.materials.understands,
  applies: (document, target, settings) => notUnderstood(document, understood(target, settings)).length > 0,
  async run(document, settings, target) {
    const findings: Finding[] = [],
      lost = notUnderstood(document, understood(target, settings));
    for (const [material, feature] of lost) {
      const { extension, says, fold } = FEATURES[feature],
        folded = fold?.(material);
      material.setExtension(extension, null);
      if (feature === 'transmission') for (const also of VOLUME) material.setExtension(also, null);
      findings.push({
        code: 'materials.not-understood',
        severity: 'info',
        message: `“${material.getName()}” has ${says}, which the target doesn’t understand: ${folded ?? 'it was taken out'}.`,
        where: material.getName(),
        measured: feature,
      });
    }
    // An extension that nothing uses any more isn't named by the file either.
    for (const extension of document.getRoot().listExtensionsUsed())
      if (
        lost.some(([, feature]) => FEATURES[feature].extension === extension.extensionName) &&
        !inUse(document, extension.extensionName)
      )
        extension.dispose();
    return { measures: [measure('features-folded', 0, lost.length)], findings };
  },
});

const inUse = (document: Document, name: string): boolean =>
  document
    .getRoot()
    .listMaterials()
    .some((material) => material.getExtension(name) !== null);
