import type { Texture } from '@gltf-transform/core';
import * as v from 'valibot';
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
    maxSize: v.optional(v.pipe(v.number(), v.integer(), v.minValue(16), v.maxValue(16_384))),
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
        { name: 'texture memory', unit: 'MB', source: round(before), result: round(memory(wornTextures(document))) },
        { name: 'maps resized', unit: '', source: 0, result: resized },
      ],
      findings: [],
    };
  },
});
