import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { type Measure, measure } from '../../measures.ts';
import { type Finding, throwIfAborted } from '../../problem.ts';
import { worded } from '../../settings.ts';
import { defineStep, otherCharacter, type StepContext } from '../../step.ts';
import { type Baked, bakeNormals } from './bake-normals.ts';
import { findCage } from './cage.ts';
import { fineSurface } from './fine-surface.ts';
import { layDetail } from './lay-detail.ts';
import { meanEdge, sizeFor } from './map-size.ts';
import { rightWayRound } from './right-way-round.ts';
import { sheetsOf } from './sheets.ts';
import { isCovered, notWorth, refuseFine, toldOfSheet } from './tell-detail.ts';

/** Beyond this part of the body's height two surfaces don't belong together. */
const FARTHEST = 0.02;

const DetailSettings = v.object({
  /** The finer model, as the application or the command line names it. */
  from: v.optional(v.pipe(v.string(), v.minLength(1), v.maxLength(500))),
  /** Materials that get what it holds; none named: all that it covers. */
  materials: worded(v.optional(v.array(v.string()), []), { title: 'Materials', names: 'material' }),
  size: worded(v.optional(v.picklist(['found', '512', '1024', '2048', '4096']), 'found'), {
    title: 'Size of the maps',
    words: {
      found: 'As fine as the model',
      512: '512 × 512',
      1024: '1024 × 1024',
      2048: '2048 × 2048',
      4096: '4096 × 4096',
    },
  }),
  /** What becomes of a normal map that is there. */
  own: worded(v.optional(v.picklist(['found', 'over', 'replace', 'keep']), 'found'), {
    title: 'A normal map that is there',
    words: {
      found: 'Stays where it holds the same, else goes on top',
      over: 'Goes on top',
      replace: 'Is replaced',
      keep: 'Stays',
    },
  }),
});
type DetailSettings = v.InferOutput<typeof DetailSettings>;

/** Runs before anything moves the mesh: the finer model lies on it as it came, and what is baked goes along with it. */
export const detailStep = defineStep({
  id: 'materials.detail',
  station: 'materials',
  title: 'Fine detail as normals',
  says: 'Shape that only a finer model of this character holds, subdivided or sculpted, becomes a normal map of the mesh that goes out. How far off it lies is found by itself.',
  needs: ['M8'],
  settings: DetailSettings,
  reads: () => null,
  applies: (_document, _target, settings) => Boolean(settings?.from),
  reference: {
    needed: (_document, settings) => Boolean(settings.from),
    undergo: async (document, settings, _target, context) => void (await carryOut(document, settings, context)),
  },
  run: (document, settings, _target, context) => carryOut(document, settings, context),
});

async function carryOut(
  document: Document,
  settings: DetailSettings,
  context: StepContext,
): Promise<{ measures: Measure[]; findings: Finding[] }> {
  const stop = () => throwIfAborted(context.signal);
  context.progress(0, 'opening the finer model');
  const other = await otherCharacter(context, settings.from ?? '', {
      code: 'materials.no-finer',
      wanted: 'Fine detail should come from another model',
      who: 'The finer model',
    }),
    { surface, sheets, height } = sheetsOf(document, settings.materials),
    findings: Finding[] = [];
  const fine = fineSurface(other.document, surface);
  refuseFine(fine, height, other.name);
  if (fine.taken)
    findings.push({
      code: 'materials.finer-laid-over',
      severity: 'info',
      message: `“${other.name}” was ${fine.taken}, so that it lies on this character.`,
      where: other.name,
    });
  stop();
  context.progress(0.1, 'how far the finer model lies off');
  const cage = findCage(surface, fine, FARTHEST * height, stop),
    edge = meanEdge(fine),
    mended = await rightWayRound(document, sheets, context),
    sum = { made: 0, degrees: 0, texels: 0, missing: 0 };
  for (const [i, sheet] of sheets.entries()) {
    context.progress(0.2 + (0.8 * i) / sheets.length, `detail of “${sheet.name}”`);
    if (!sheet.stretches.some(({ firstVertex, vertices }) => anyReach(cage.reach, firstVertex, vertices))) continue;
    const size = settings.size === 'found' ? sizeFor(sheet.mapsPerMetre, edge) : Number(settings.size),
      baked = bakeNormals(surface, sheet.stretches, fine, cage, size, stop);
    if (!isCovered(baked)) continue;
    const why = notWorth(sheet, baked, other.name, settings.materials.length > 0);
    if (why) {
      findings.push(why);
      continue;
    }
    const own = sheet.own && (await mended.of(sheet.own)),
      done = await layDetail(document, sheet, baked, own, settings.own, context);
    findings.push(toldOfSheet(sheet, baked, done, other.name));
    if (done !== 'kept') add(sum, baked);
  }
  if (!findings.some(({ code }) => /finer-same|detail/.test(code)))
    findings.push({
      code: 'materials.finer-covers-nothing',
      severity: 'warning',
      message: `“${other.name}” covers nothing of this character that has texture places${settings.materials.length ? ', among the materials that were named' : ''}; no map was made of it.`,
      where: other.name,
      repair: 'materials.detail',
    });
  const filled = sum.texels - sum.missing;
  return {
    measures: [
      measure('detail-maps', 0, sum.made),
      measure('detail-of-finer', 0, filled ? sum.degrees / filled : 0),
      measure('finer-lies-off', 0, cage.most * 1000),
      measure('detail-missing', 0, sum.texels ? (100 * sum.missing) / sum.texels : 0),
    ],
    findings,
  };
}

const add = (sum: { made: number; degrees: number; texels: number; missing: number }, baked: Baked): void => {
  sum.made++;
  sum.degrees += baked.meanDegrees * (baked.texels - baked.missing);
  sum.texels += baked.texels;
  sum.missing += baked.missing;
};

const anyReach = (reach: Float32Array, from: number, count: number): boolean => {
  for (let v = from; v < from + count; v++) if (reach[v] > 0) return true;
  return false;
};
