import type { Document, Material, Texture } from '@gltf-transform/core';
import * as v from 'valibot';
import { CLEAR_KINDS, keepOwn, kindsOf, ownOf, SOLID_KINDS, STRAND_KINDS, textureFile } from '../character/index.ts';
import type { Finding } from '../problem.ts';
import { measure } from '../measures.ts';
import { worded } from '../settings.ts';
import { defineStep } from '../step.ts';
import { DerivedMaps } from './derived-maps.ts';
import { fromSpecularGlossiness } from './from-specular-glossiness.ts';
import { mendMap, replaceMap } from './mend-map.ts';
import { placeSpecular } from './place-specular.ts';
import {
  addOperation,
  clearOperations,
  inverted,
  normalsFromHeight,
  operationsOf,
  packSurface,
  withAlpha,
} from '../pixels/index.ts';
import {
  faultMessage,
  findMapFaults,
  imageName,
  judgeHolding,
  type MapFaultCode,
  mapStatistics,
} from '../maps/index.ts';

const AS = v.optional(v.picklist(['found', 'keep']), 'found');
/** Height of a bump map's full range where nobody says it, millimetres: pores, stitches, weave. */
const BUMP_MM = 1;
/** Faults that have a switch of their own. */
const SETTING: Partial<Record<MapFaultCode, 'green' | 'gloss'>> = {
  'textures.green-down': 'green',
  'textures.gloss-as-roughness': 'gloss',
};
export const channelsStep = defineStep({
  id: 'materials.channels',
  station: 'materials',
  title: 'Maps to the channels of glTF',
  says: "Gloss becomes roughness, bumps become normals, opacity goes into the colour's alpha, specular maps are kept as what they say. What lies in a map otherwise than its name says is found by its pixels: green that points down, gloss for roughness, channels in another order, a curve too many, normals without a third direction, one value all over.",
  needs: ['S1', 'S2', 'S4'],
  settings: v.object({
    /** Normal maps with green down: turned as found, or left. */
    green: worded(AS, {
      title: 'Green of normal maps',
      words: { found: 'Turned where it points down', keep: 'Left as it is' },
    }),
    /** Gloss that lies where roughness belongs: inverted where the set of maps agrees, inverted wherever it may be, or left. */
    gloss: worded(v.optional(v.picklist(['found', 'invert', 'keep']), 'found'), {
      title: 'Gloss where roughness belongs',
      words: { found: 'Inverted where all maps agree', invert: 'Inverted wherever it may be', keep: 'Left as it is' },
    }),
    /** Map's file → put right or left as it came, whatever is found. */
    decided: worded(v.optional(v.record(v.string(), v.picklist(['mend', 'keep'])), {}), {
      title: 'Maps decided by hand',
    }),
    /** Height of a bump map's full range on the surface, millimetres; 0 leaves bump maps aside. */
    bumpMm: worded(v.optional(v.pipe(v.number(), v.minValue(0), v.maxValue(50)), BUMP_MM), {
      title: 'Bumps are high, mm',
      step: 0.5,
    }),
  }),
  reads: () => null,
  applies: (document) => document.getRoot().listMaterials().length > 0,
  async run(document, settings, _target, context) {
    const findings: Finding[] = [],
      work = new DerivedMaps(document, context);
    let turned = 0,
      made = 0;
    const faults = await findMapFaults(document, context.images);
    for (const fault of faults) {
      const file = textureFile(fault.texture),
        said = settings.decided[file] ?? settings[SETTING[fault.code] ?? 'decided'];
      if (said === 'keep') continue;
      const mends = fault.sure || said === 'mend' || said === 'invert',
        mended = mends && (await mendMap(document, work, fault, settings.bumpMm));
      if (mended) turned++;
      findings.push({
        code: fault.code,
        severity: mended ? 'info' : 'warning',
        message: faultMessage(fault, mended),
        where: fault.material.getName(),
        measured: fault.measured,
        names: { map: file, channel: fault.channel },
        ...(mended ? {} : { repair: 'materials.channels' }),
      });
    }
    const materials = document.getRoot().listMaterials();
    for (const [i, material] of materials.entries()) {
      context.progress(i / materials.length, `maps of ${material.getName()}`);
      made += await fromSpecularGlossiness(work, material, findings);
      const kept = ownOf(material, 'maps');
      if (kept) made += await placeKept(document, work, material, kept, settings.bumpMm, findings);
      // An inversion decided before is carried out here, so that the stage shows what is delivered.
      const rough = material.getMetallicRoughnessTexture();
      if (rough && operationsOf(rough).some((entry) => entry.op === 'invert')) {
        const fresh = await work.derived(rough, 'roughness', (pixels) => inverted(pixels, [0, 1, 2]));
        if (fresh) {
          const rest = operationsOf(rough).filter((entry) => entry.op !== 'invert');
          clearOperations(rough);
          for (const operation of rest) addOperation(fresh, operation);
          replaceMap(document, rough, fresh, 'metallicRoughness');
          turned++;
        }
      }
    }
    await work.written();
    return {
      measures: [measure('maps-turned', 0, turned), measure('channels-made', 0, made)],
      findings,
    };
  },
});

/** What older formats hold and glTF has no place for becomes what it has one for. @returns channels made */
async function placeKept(
  document: Document,
  work: DerivedMaps,
  material: Material,
  kept: Record<string, string>,
  bumpMm: number,
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
  const bump = named(kept.bump ?? kept.height);
  if (bump && !material.getNormalTexture() && bumpMm > 0) {
    const pixels = await work.pixels(bump);
    // Files call a normal map “bump” as often as not; its pixels tell.
    if (pixels && judgeHolding(pixels, mapStatistics(pixels)).startsWith('normal')) {
      material.setNormalTexture(bump);
      say('“bump”', 'normals it really holds', bump);
      delete left.bump;
    } else {
      const set = material.getBaseColorTextureInfo()?.getTexCoord() ?? 0,
        { mapsPerMetre, wraps } = work.laidOut(material, set),
        perMetre = Number((mapsPerMetre || 1).toPrecision(3));
      const fresh =
        pixels &&
        work.image(bump, 'normal', `${perMetre} ${wraps}`, () =>
          normalsFromHeight(pixels, (bumpMm / 1000) * perMetre * Math.max(pixels.width, pixels.height), wraps),
        );
      if (fresh) {
        material.setNormalTexture(fresh);
        say('bump', 'normals', bump);
        delete left.bump;
        delete left.height;
      }
    }
  }
  const opacity = named(kept.opacity),
    color = material.getBaseColorTexture();
  if (opacity && opacity !== color) {
    const alpha = await work.pixels(opacity);
    const fresh =
      color && alpha
        ? await work.derived(color, `with_${opacity.getName() || 'opacity'}`, (own) => withAlpha(own, alpha))
        : alpha
          ? await work.derived(opacity, 'alpha', (own) =>
              withAlpha({ ...own, data: new Uint8Array(own.data.length).fill(255) }, own),
            )
          : null;
    if (fresh) {
      material.setBaseColorTexture(fresh);
      say('opacity', 'alpha of the colour', opacity);
      delete left.opacity;
    }
  } else if (opacity) delete left.opacity;
  keepOwn(material, 'maps', Object.keys(left).length ? left : undefined);
  return made;
}

/** Whether a material is of a body, which is never metal. */
function isBody(document: Document, material: Material): boolean {
  return [...SOLID_KINDS, ...STRAND_KINDS, ...CLEAR_KINDS].includes(kindsOf(document)(material));
}

type Say = (channel: string, what: string, texture: Texture) => void;

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
