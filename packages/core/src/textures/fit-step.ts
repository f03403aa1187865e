import type { Texture } from '@gltf-transform/core';
import * as v from 'valibot';
import { measure } from '../measures.ts';
import { worded } from '../settings.ts';
import { defineStep } from '../step.ts';
import { textureMemory, textureState } from '../pixels/index.ts';
import { applyTexturePlan, planTextures } from './plan.ts';
import { usedTextures, wornTextures } from '../maps/index.ts';

export const texturesStep = defineStep({
  id: 'textures.fit',
  station: 'textures',
  title: 'Sizes and formats',
  needs: ['T1', 'T3'],
  settings: v.object({
    maxSize: worded(v.optional(v.pipe(v.number(), v.integer(), v.minValue(16), v.maxValue(16_384))), {
      title: 'Longest side',
    }),
    sizes: v.optional(v.record(v.string(), v.pipe(v.number(), v.integer(), v.minValue(16), v.maxValue(16_384))), {}),
  }),
  reads: (target) => target.textures,
  applies: (document) => usedTextures(document).length > 0,
  async run(document, settings, target) {
    const memory = (textures: readonly Texture[]) =>
      textures.reduce((sum, texture) => sum + textureMemory(textureState(texture)), 0) / 1048576;
    const before = memory(usedTextures(document));
    const maxMemory = target.textures.maxMemoryMB === undefined ? undefined : target.textures.maxMemoryMB * 1048576;
    const plans = planTextures(document, {
      maxSize: settings.maxSize ?? target.textures.maxSize,
      sizes: { ...target.textures.sizes, ...settings.sizes },
      formats: target.textures.formats,
      maxMemory,
    });
    applyTexturePlan(plans);
    const resized = plans.filter(
      (plan) => plan.from.width !== plan.to.width || plan.from.height !== plan.to.height,
    ).length;
    const round = (x: number) => Math.round(x * 10) / 10;
    return {
      measures: [
        measure('texture-memory', round(before), round(memory(wornTextures(document)))),
        measure('maps-resized', 0, resized),
      ],
      findings: [],
    };
  },
});
