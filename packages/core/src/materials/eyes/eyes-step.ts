import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { measure } from '../../measures.ts';
import type { Finding } from '../../problem.ts';
import { worded } from '../../settings.ts';
import { defineStep, meant } from '../../step.ts';
import type { Target } from '../../targets/index.ts';
import { EYE_LAYERS, type EyeLayer } from './layer-material.ts';
import { addEyeLayers, type EyeLayersMade, missingLayers } from './layers.ts';

const LAYER = v.picklist(['target', 'make', 'leave']);
const EyeSettings = v.object({
  tear: worded(v.optional(LAYER, 'target'), {
    title: 'Line of water along the lids',
    words: { target: 'As the target asks', make: 'Make it where it is missing', leave: 'Leave it out' },
  }),
  shade: worded(v.optional(LAYER, 'target'), {
    title: 'Soft shade under the lids',
    words: { target: 'As the target asks', make: 'Make it where it is missing', leave: 'Leave it out' },
  }),
});
type EyeSettings = v.InferOutput<typeof EyeSettings>;

/** None where a target was stored before they were thought of. */
const layersOf = ({ materials }: Target): readonly EyeLayer[] =>
  (materials.eyeLayers as readonly EyeLayer[] | undefined) ?? [];

const askedOf = (settings: EyeSettings, target: Target): EyeLayer[] =>
  EYE_LAYERS.filter(
    (layer) => settings[layer] === 'make' || (settings[layer] === 'target' && layersOf(target).includes(layer)),
  );

const WORDS: Record<EyeLayer, string> = {
  tear: 'a line of water along the lids',
  shade: 'a soft shade under the lids',
};

export const eyesStep = defineStep({
  id: 'materials.eyes',
  station: 'materials',
  title: 'Water and shade of the eyes',
  says: 'Eyes get a line of water where the lids meet them, and a soft shade under the lids, where they have none. Both follow the lids in every morph.',
  needs: ['S6'],
  settings: EyeSettings,
  reads: (target) => ({ layers: layersOf(target), influences: target.influences.max }),
  ...meant(
    (settings: EyeSettings, target, document) => missingLayers(document, askedOf(settings, target)).length > 0,
    (document: Document, settings: EyeSettings, target, { images }): Promise<EyeLayersMade> =>
      addEyeLayers(document, askedOf(settings, target), images, target.influences.max),
    (target, document) => missingLayers(document, layersOf(target)).length > 0,
  ),
  async run(document, settings, target, context) {
    const { made, not } = await addEyeLayers(
        document,
        askedOf(settings, target),
        context.images,
        target.influences.max,
      ),
      findings: Finding[] = [
        ...made.map(({ layer, part, morphs }) => ({
          code: 'materials.eye-layer',
          severity: 'info' as const,
          message: `The eyes had no ${WORDS[layer].replace(/^an? /, '')}: “${part}” was made; it follows the lids in ${morphs} morphs.`,
          where: part,
        })),
        ...not.map(({ layer, why }) => ({
          code: 'materials.no-eye-layer',
          severity: 'warning' as const,
          message: `The eyes should get ${WORDS[layer]}, and ${why}. Bring such a part in with the character, or leave it out under Materials.`,
        })),
      ];
    return {
      measures: [
        measure('eye-layers', 0, made.length),
        measure(
          'triangles',
          0,
          made.reduce((sum, { triangles }) => sum + triangles, 0),
        ),
      ],
      findings,
    };
  },
});
