import type { Material, Texture } from '@gltf-transform/core';
import { shininessOfRoughness } from '../mesh/shininess.ts';

type Sampler = (texture: Texture) => string;

export interface EffectOptions {
  /** Elements that stand before the colour in a phong element: emission and ambient. */
  before?(material: Material, sampler: Sampler): string;
  /** Lines put into a material's phong element beyond its colour map. */
  shading?(material: Material, sampler: Sampler): string;
  /** Elements of other profiles beside the phong element: bump maps and the like. */
  extra?(material: Material, sampler: Sampler): string;
  /** Name of the profile that those stand in. */
  profile: string;
}

export function effectOf(
  material: Material,
  id: string,
  images: ReadonlyMap<Texture, string>,
  { before, shading, extra, profile }: EffectOptions,
): string {
  const parameters: string[] = [];
  const sampler = (texture: Texture): string => {
    const image = images.get(texture) as string;
    if (!parameters.some((text) => text.includes(`sid="${image}-sampler"`)))
      parameters.push(
        `<newparam sid="${image}-surface"><surface type="2D"><init_from>${image}</init_from></surface></newparam><newparam sid="${image}-sampler"><sampler2D><source>${image}-surface</source></sampler2D></newparam>`,
      );
    return `<texture texture="${image}-sampler" texcoord="UVSET0"/>`;
  };
  const [r, g, b, a] = material.getBaseColorFactor(),
    map = material.getBaseColorTexture();
  const display = (c: number) => Math.round(c ** (1 / 2.2) * 1e4) / 1e4;
  const shininess = shininessOfRoughness(material.getRoughnessFactor());
  const own = shading
    ? shading(material, sampler)
    : `<specular><color>0.2 0.2 0.2 1</color></specular><shininess><float>${Math.max(1.5, Math.round(shininess))}</float></shininess>${a < 1 ? `<transparent opaque="A_ONE"><color>1 1 1 1</color></transparent><transparency><float>${a}</float></transparency>` : material.getAlphaMode() === 'BLEND' && map ? `<transparent opaque="A_ONE">${sampler(map)}</transparent>` : ''}`;
  const first = before?.(material, sampler) ?? '',
    more = extra?.(material, sampler) ?? '';
  const diffuse = map ? sampler(map) : `<color>${display(r)} ${display(g)} ${display(b)} 1</color>`;
  return `<effect id="${id}-fx"><profile_COMMON>${parameters.join('')}<technique sid="common"><phong>${first}<diffuse>${diffuse}</diffuse>${own}</phong>${more || material.getDoubleSided() ? `<extra><technique profile="${profile}">${more}${material.getDoubleSided() ? '<double_sided>1</double_sided>' : ''}</technique></extra>` : ''}</technique></profile_COMMON></effect>`;
}
