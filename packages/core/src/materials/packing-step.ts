import type { Document, Material, Texture, TextureInfo } from '@gltf-transform/core';
import type { Transform } from '@gltf-transform/extensions';
import * as v from 'valibot';
import { isWorn, textureFile } from '../character/index.ts';
import { measure } from '../measures.ts';
import { isRedFull, packChannels, redAlone, withoutRed } from '../pixels/index.ts';
import { type Finding, throwIfAborted } from '../problem.ts';
import { worded } from '../settings.ts';
import { defineStep } from '../step.ts';
import { CHANNEL_PACKINGS, type ChannelPacking, type Target } from '../targets/index.ts';
import { DerivedMaps } from './derived-maps.ts';

const wanted = (target: Target, { packing }: { packing?: ChannelPacking } = {}): ChannelPacking =>
  packing ?? target.textures.packing ?? 'keep';

/** Occlusion, roughness and metalness in one map, or occlusion in one of its own, as the target's engine reads them. */
export const packingStep = defineStep({
  id: 'materials.packing',
  station: 'textures',
  title: 'Channels in one map',
  says: 'Occlusion, roughness and metalness lie in one map (red, green, blue) or occlusion in one of its own, as the target asks. What is shown stays the same.',
  needs: ['S4', 'T1'],
  settings: v.object({
    packing: worded(v.optional(v.picklist(CHANNEL_PACKINGS)), {
      title: 'Occlusion, roughness, metalness',
      words: { keep: 'As they come', one: 'In one map', apart: 'Occlusion on its own' },
    }),
  }),
  reads: (target) => target.textures.packing ?? null,
  applies: (document, target, settings) => {
    const packing = wanted(target, settings);
    return packing !== 'keep' && document.getRoot().listMaterials().some(hasMaps);
  },
  async run(document, settings, target, context) {
    const packing = wanted(target, settings),
      work = new DerivedMaps(document, context),
      findings: Finding[] = [],
      old = new Set<Texture>(),
      materials = document.getRoot().listMaterials().filter(hasMaps);
    let changed = 0;
    for (const [i, material] of materials.entries()) {
      throwIfAborted(context.signal);
      context.progress(i / materials.length, `channels of ${material.getName()}`);
      const before = [material.getOcclusionTexture(), material.getMetallicRoughnessTexture()],
        problem = await (packing === 'one' ? bringTogether : takeApart)(work, material);
      if (problem) findings.push(problem);
      if (before[0] === material.getOcclusionTexture() && before[1] === material.getMetallicRoughnessTexture())
        continue;
      changed++;
      for (const texture of before) if (texture) old.add(texture);
    }
    await work.written();
    for (const texture of old) if (!isWorn(texture)) texture.dispose();
    return { measures: [measure('materials-packed', 0, changed)], findings };
  },
});

const hasMaps = (material: Material): boolean =>
  !!(material.getOcclusionTexture() ?? material.getMetallicRoughnessTexture());

/** @returns what stands against it */
async function bringTogether(work: DerivedMaps, material: Material): Promise<Finding | null> {
  const occlusion = material.getOcclusionTexture(),
    surface = material.getMetallicRoughnessTexture(),
    from = material.getOcclusionTextureInfo(),
    to = material.getMetallicRoughnessTextureInfo();
  if (occlusion && surface && !liesAlike(from, to))
    return {
      code: 'textures.not-packed',
      severity: 'warning',
      message: `Occlusion (“${textureFile(occlusion)}”) and surface (“${textureFile(surface)}”) of “${material.getName()}” lie on the figure by different texture coordinates: they can't be one map, and stay two.`,
      where: material.getName(),
    };
  if (occlusion === surface) return null;
  const [shade, rough] = [occlusion && (await work.pixels(occlusion)), surface && (await work.pixels(surface))];
  // What can't be opened is told where maps are read.
  if ((occlusion && !shade) || (surface && !rough)) return null;
  if (!occlusion && rough && isRedFull(rough)) return null;
  const packed = work.image((surface ?? occlusion) as Texture, 'orm', String(work.numberOf(occlusion)), () =>
    packChannels(shade, rough),
  );
  material.setMetallicRoughnessTexture(packed);
  if (!surface && from) material.getMetallicRoughnessTextureInfo()?.copy(from);
  if (occlusion) material.setOcclusionTexture(packed);
  return null;
}

async function takeApart(work: DerivedMaps, material: Material): Promise<null> {
  const packed = material.getOcclusionTexture();
  if (!packed || packed !== material.getMetallicRoughnessTexture()) return null;
  const pixels = await work.pixels(packed);
  if (!pixels) return null;
  material.setOcclusionTexture(work.image(packed, 'occlusion', '', () => redAlone(pixels)));
  material.setMetallicRoughnessTexture(work.image(packed, 'surface', '', () => withoutRed(pixels)));
  return null;
}

/** Whether two maps lie on a figure in the same places, and go on alike beyond their edges. */
function liesAlike(one: TextureInfo | null, other: TextureInfo | null): boolean {
  if (!one || !other) return true;
  const [a, b] = [placeOf(one), placeOf(other)];
  return a.every((value, i) => value === b[i]);
}

function placeOf(info: TextureInfo): number[] {
  const transform = info.getExtension<Transform>('KHR_texture_transform');
  return [
    transform?.getTexCoord() ?? info.getTexCoord(),
    ...(transform?.getOffset() ?? [0, 0]),
    transform?.getRotation() ?? 0,
    ...(transform?.getScale() ?? [1, 1]),
    info.getWrapS(),
    info.getWrapT(),
  ];
}

/** Materials whose occlusion and surface lie otherwise than the target asks. */
export const notPacked = (document: Document, packing: ChannelPacking = 'keep'): Material[] =>
  document
    .getRoot()
    .listMaterials()
    .filter((material) => {
      const occlusion = material.getOcclusionTexture(),
        surface = material.getMetallicRoughnessTexture();
      if (packing === 'one') return !!occlusion && occlusion !== surface;
      return packing === 'apart' && !!occlusion && occlusion === surface;
    });
