import type { Material } from '@gltf-transform/core';
import type { PBRSpecularGlossiness } from '@gltf-transform/extensions';
import type { Finding } from '../problem.ts';
import type { DerivedMaps } from './derived-maps.ts';
import { convertMaps, toMetallicRoughness } from './specular-glossiness.ts';

/** A material that came as specular–glossiness becomes metallic–roughness, maps too. @returns channels made */
export async function fromSpecularGlossiness(
  maps: DerivedMaps,
  material: Material,
  findings: Finding[],
): Promise<number> {
  const old = material.getExtension<PBRSpecularGlossiness>('KHR_materials_pbrSpecularGlossiness');
  if (!old) return 0;
  const diffuse = old.getDiffuseTexture(),
    surface = old.getSpecularGlossinessTexture(),
    name = material.getName();
  const [d, s] = [diffuse && (await maps.pixels(diffuse)), surface && (await maps.pixels(surface))];
  const factors = {
    diffuse: old.getDiffuseFactor(),
    specular: old.getSpecularFactor(),
    glossiness: old.getGlossinessFactor(),
  };
  const places = [old.getDiffuseTextureInfo(), old.getSpecularGlossinessTextureInfo()];
  if (places[0] && places[1] && places[0].getTexCoord() !== places[1].getTexCoord())
    findings.push({
      code: 'materials.two-places',
      severity: 'warning',
      message: `The colour and gloss maps of “${name}” lie on different texture places; both were read on the colour's.`,
      where: name,
    });
  material.setExtension('KHR_materials_pbrSpecularGlossiness', null);
  const converted = (() => {
    let made: ReturnType<typeof convertMaps> | null = null;
    return () => (made ??= convertMaps({ diffuse: d, specularGlossiness: s, factors }));
  })();
  const named = diffuse ?? surface,
    from = `${maps.numberOf(surface)} ${JSON.stringify(factors)}`;
  if (named && (d || s)) {
    material
      .setBaseColorTexture(maps.image(named, 'color', from, () => converted().baseColor))
      .setMetallicRoughnessTexture(maps.image(named, 'surface', from, () => converted().metallicRoughness))
      .setBaseColorFactor([1, 1, 1, 1])
      .setMetallicFactor(1)
      .setRoughnessFactor(1);
    for (const info of [material.getBaseColorTextureInfo(), material.getMetallicRoughnessTextureInfo()]) {
      const place = places[0] ?? places[1];
      if (info && place) info.copy(place);
    }
  } else {
    const { baseColor, metallic, roughness } = toMetallicRoughness({
      diffuse: [factors.diffuse[0], factors.diffuse[1], factors.diffuse[2]],
      specular: factors.specular,
      glossiness: factors.glossiness,
    });
    material
      .setBaseColorFactor([...baseColor, factors.diffuse[3]])
      .setMetallicFactor(metallic)
      .setRoughnessFactor(roughness);
  }
  findings.push({
    code: 'materials.specular-glossiness',
    severity: 'info',
    message: `“${name}” came as specular–glossiness and was converted to metallic–roughness${named ? ', maps too' : ''}.`,
    where: name,
  });
  return named ? 2 : 1;
}
