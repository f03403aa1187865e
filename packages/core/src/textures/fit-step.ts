import type { Texture } from '@gltf-transform/core';
import * as v from 'valibot';
import { measure } from '../measures.ts';
import { worded } from '../settings.ts';
import { defineStep } from '../step.ts';
import { textureMemory, textureState } from '../pixels/index.ts';
import type { Finding } from '../problem.ts';
import { densitiesOf, lossesOf } from './look-at-maps.ts';
import { applyTexturePlan, planTextures } from './plan.ts';
import { memoryOf, type TexturePlan, type TextureRule } from './texture-plan.ts';
import { textureFile } from '../character/index.ts';
import { usedTextures, wornTextures } from '../maps/index.ts';
import type { Target } from '../targets/index.ts';

/** Whether sizes depend on what is seen. */
const looks = ({ asSeen, maxMemoryMB }: Target['textures']): boolean => asSeen || maxMemoryMB !== undefined;
const isSmaller = ({ from, to }: TexturePlan): boolean => from.width !== to.width || from.height !== to.height;

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
  reads: ({ textures, appearance }) => ({ ...textures, nearestM: looks(textures) ? appearance.nearestM : undefined }),
  applies: (document) => usedTextures(document).length > 0,
  async run(document, settings, target, context) {
    const memory = (textures: readonly Texture[]) =>
      textures.reduce((sum, texture) => sum + textureMemory(textureState(texture)), 0) / 1048576;
    const before = memory(usedTextures(document));
    const { textures, appearance } = target,
      rule: TextureRule = {
        maxSize: settings.maxSize ?? textures.maxSize,
        sizes: { ...textures.sizes, ...settings.sizes },
        formats: textures.formats,
        maxMemory: textures.maxMemoryMB === undefined ? undefined : textures.maxMemoryMB * 1048576,
        texelsPerCm: textures.texelsPerCm,
        asSeen: textures.asSeen,
        packed: textures.packed,
        maxError: textures.maxError,
      },
      perCm = textures.texelsPerCm ? densitiesOf(document) : undefined;
    let plans = planTextures(document, { ...rule, asSeen: false, maxMemory: undefined }, { perCm });
    // Looking costs a second or two: only where something depends on it.
    if (rule.asSeen || memoryOf(plans) > (rule.maxMemory ?? Infinity))
      plans = planTextures(document, rule, { perCm, loss: await lossesOf(document, appearance.nearestM, context) });
    applyTexturePlan(plans);
    const resized = plans.filter(isSmaller);
    const round = (x: number) => Math.round(x * 10) / 10;
    return {
      measures: [
        measure('texture-memory', round(before), round(memory(wornTextures(document)))),
        measure('maps-resized', 0, resized.length),
      ],
      findings: resized
        .filter(({ reason }) => reason !== 'limit')
        .map((plan) => sized(plan, textures.texelsPerCm, appearance.nearestM)),
    };
  },
});

/** Why a map is smaller than the target's limits ask for. */
function sized({ texture, from, to, reason, loss }: TexturePlan, perCm: number | undefined, nearestM: number): Finding {
  const file = textureFile(texture),
    why =
      reason === 'density'
        ? `more than ${perCm} texels would lie on a centimetre`
        : reason === 'as seen'
          ? `from ${nearestM} m no side shows more of it`
          : loss === undefined
            ? 'the memory for maps asks for it'
            : `the memory for maps asks for it, and of all maps it is missed least (${noticed(loss)})`;
  return {
    code: 'textures.sized',
    severity: 'info',
    message: `“${file}” goes from ${from.width} × ${from.height} to ${to.width} × ${to.height}: ${why}.`,
    where: file,
    ...(loss !== undefined && { measured: Math.round(loss) }),
  };
}
const noticed = (loss: number): string =>
  loss < 0.5 ? 'nothing of it is seen' : `ΔE ${Math.round(loss).toLocaleString('en-GB')} over all sides`;
