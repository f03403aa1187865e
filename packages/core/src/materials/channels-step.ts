import * as v from 'valibot';
import { ownOf, textureFile } from '../character/index.ts';
import type { Finding } from '../problem.ts';
import { measure } from '../measures.ts';
import { worded } from '../settings.ts';
import { defineStep } from '../step.ts';
import { DerivedMaps } from './derived-maps.ts';
import { fromSpecularGlossiness } from './from-specular-glossiness.ts';
import { mendMap, replaceMap } from './mend-map.ts';
import { placeKept } from './place-kept.ts';
import { addOperation, clearOperations, inverted, operationsOf } from '../pixels/index.ts';
import { faultMessage, findMapFaults, type MapFaultCode, repairOf } from '../maps/index.ts';
import { type Figure, figureOf, knownLayouts, SHIPPED_FIGURES, type Target } from '../targets/index.ts';

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
    /** Full range of displacement maps, millimetres, which no file says; 0 takes them for bumps where there are no normals. */
    displacementMm: worded(v.optional(v.pipe(v.number(), v.minValue(0), v.maxValue(500)), 0), {
      title: 'Displacement is high, mm',
      step: 1,
    }),
  }),
  reads: (target) => figureBeside(target)?.body ?? null,
  applies: (document) => document.getRoot().listMaterials().length > 0,
  async run(document, settings, target, context) {
    const findings: Finding[] = [],
      work = new DerivedMaps(document, context);
    let turned = 0,
      made = 0;
    const beside = figureBeside(target),
      known = knownLayouts(beside ? [...SHIPPED_FIGURES, beside] : SHIPPED_FIGURES),
      faults = await findMapFaults(document, context.images, known);
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
        names: { map: file, channel: fault.channel, ...(fault.figure && { figure: fault.figure }) },
        ...(mended ? {} : { repair: repairOf(fault) }),
      });
    }
    const materials = document.getRoot().listMaterials();
    for (const [i, material] of materials.entries()) {
      context.progress(i / materials.length, `maps of ${material.getName()}`);
      made += await fromSpecularGlossiness(work, material, findings);
      const kept = ownOf(material, 'maps');
      if (kept) made += await placeKept(document, work, material, kept, settings, findings);
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

/** A figure of the target's own: whose layouts are known besides those that ship. */
function figureBeside(target: Target): Figure | null {
  const own = figureOf(target);
  return own && !SHIPPED_FIGURES.some(({ id }) => id === own.id) ? own : null;
}
