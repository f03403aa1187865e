import type { Document, Material, Texture } from '@gltf-transform/core';
import { CLEAR_KINDS, keepOwn, kindsOf, SOLID_KINDS, STRAND_KINDS, textureFile } from '../character/index.ts';
import { imageName } from '../maps/index.ts';
import { inverted, packSurface, withAlpha } from '../pixels/index.ts';
import type { Finding } from '../problem.ts';
import type { DerivedMaps } from './derived-maps.ts';
import { placeBump, placeDisplacement, type Say } from './place-heights.ts';
import { placeSpecular } from './place-specular.ts';

/** What older formats hold and glTF has no place for becomes what it has one for. @returns channels made */
export async function placeKept(
  document: Document,
  work: DerivedMaps,
  material: Material,
  kept: Record<string, string>,
  { bumpMm, displacementMm }: { bumpMm: number; displacementMm: number },
  findings: Finding[],
): Promise<number> {
  const named = (name: string | undefined) =>
    name === undefined
      ? undefined
      : document
          .getRoot()
          .listTextures()
          .find((texture) => texture.getName() === name);
  const name = material.getName(),
    left = { ...kept };
  let made = 0;
  const say = (channel: string, what: string, texture: Texture) => {
    findings.push({
      code: 'materials.channel',
      severity: 'info',
      message: `“${textureFile(texture)}” of “${name}” was a ${channel} map; it gives the ${what}.`,
      where: name,
    });
    made++;
  };
  const shine = named(kept.shininess ?? kept.gloss),
    // Older formats have a place for shininess alone, and whoever has roughness puts it there.
    isRough = shine && imageName(textureFile(shine)).channel === 'roughness';
  const specular = named(kept.specular),
    became =
      specular && !material.getExtension('KHR_materials_specular')
        ? await placeSpecular(work, material, specular, isRough ? undefined : shine, isBody(document, material))
        : null;
  if (specular && became) {
    say('specular', became === 'metal' ? 'metalness, with the colour under it' : 'strength of reflection', specular);
    delete left.specular;
    if (became === 'metal') for (const key of ['shininess', 'gloss']) delete left[key];
  }
  await placeSurface(
    work,
    material,
    {
      gloss: isRough ? undefined : shine,
      rough: named(kept.roughness) ?? (isRough ? shine : undefined),
      metal: named(kept.metallic),
    },
    left,
    say,
  );
  await placeDisplacement(work, material, named(kept.height), displacementMm, left, say);
  await placeBump(work, material, named(kept.bump ?? left.height), bumpMm, left, say);
  await placeOpacity(work, material, named(kept.opacity), left, say);
  const tall = named(left.height);
  if (tall)
    findings.push({
      code: 'materials.displacement-left',
      severity: 'info',
      message: `“${textureFile(tall)}” of “${name}” is a displacement map, and how high it goes isn't in the file: beside the normal map it was left out. Say its height, and its shape is kept under that map.`,
      where: name,
      repair: 'materials.channels',
    });
  keepOwn(material, 'maps', Object.keys(left).length ? left : undefined);
  return made;
}

/** Opacity that came apart goes into the alpha of the colour. */
async function placeOpacity(
  work: DerivedMaps,
  material: Material,
  opacity: Texture | undefined,
  left: Record<string, string>,
  say: Say,
): Promise<void> {
  if (!opacity) return;
  const color = material.getBaseColorTexture();
  if (opacity === color) {
    delete left.opacity;
    return;
  }
  const alpha = await work.pixels(opacity);
  if (!alpha) return;
  const fresh = color
    ? await work.derived(color, `with_${opacity.getName() || 'opacity'}`, (own) => withAlpha(own, alpha))
    : await work.derived(opacity, 'alpha', (own) =>
        withAlpha({ ...own, data: new Uint8Array(own.data.length).fill(255) }, own),
      );
  if (!fresh) return;
  material.setBaseColorTexture(fresh);
  say('opacity', 'alpha of the colour', opacity);
  delete left.opacity;
}

/** Whether a material is of a body, which is never metal. */
function isBody(document: Document, material: Material): boolean {
  return [...SOLID_KINDS, ...STRAND_KINDS, ...CLEAR_KINDS].includes(kindsOf(document)(material));
}

/** Roughness (or gloss) and metalness that came apart, packed as glTF has them; where there is no map the factor alone speaks. */
async function placeSurface(
  work: DerivedMaps,
  material: Material,
  maps: { gloss?: Texture; rough?: Texture; metal?: Texture },
  left: Record<string, string>,
  say: Say,
): Promise<void> {
  const there = material.getMetallicRoughnessTexture(),
    { gloss, metal } = maps;
  if (there && !metal) return;
  const inverse =
      !there && gloss ? await work.derived(gloss, 'roughness', (pixels) => inverted(pixels, [0, 1, 2])) : null,
    rough = there ?? inverse ?? maps.rough ?? null;
  const [roughPixels, metalPixels] = [rough && (await work.pixels(rough)), metal ? await work.pixels(metal) : null];
  if (!roughPixels && !metalPixels) return;
  // A grey map serves as it is while the factor keeps its blue from being read as metalness.
  const asIs = !metalPixels && material.getMetallicFactor() === 0;
  material.setMetallicRoughnessTexture(
    asIs
      ? rough
      : work.image((rough ?? metal) as Texture, 'surface', String(work.numberOf(metal ?? null)), () =>
          packSurface(roughPixels, metalPixels, there ? 1 : 0),
        ),
  );
  if (roughPixels && !there) {
    material.setRoughnessFactor(1);
    if (inverse && gloss) {
      say('gloss', 'roughness', gloss);
      delete left.shininess;
      delete left.gloss;
    } else if (maps.rough) {
      say('separate roughness', 'roughness', maps.rough);
      for (const key of ['roughness', 'shininess', 'gloss']) if (left[key] === maps.rough.getName()) delete left[key];
    }
  }
  if (metalPixels && metal) {
    material.setMetallicFactor(1);
    say('separate metalness', 'metalness', metal);
    delete left.metallic;
  }
}
