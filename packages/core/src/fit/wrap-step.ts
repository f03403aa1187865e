import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { createDeformer, listParts, updateDossier } from '../character/index.ts';
import { type Measure, measure } from '../measures.ts';
import { type Finding, throwIfAborted } from '../problem.ts';
import { worded } from '../settings.ts';
import { defineStep, otherCharacter } from '../step.ts';
import { figureOf } from '../targets/index.ts';
import { liesOnBody } from './body-of.ts';
import { isSkin, type Wrapped } from '../wrap/index.ts';
import { type Laid, layBody } from './lay-body.ts';
import { openFigure } from './open-figure.ts';
import { ownMorphs } from './own-morphs.ts';
import { wrapOnto } from './wrap-onto.ts';

/** Whose morphs the skin has. */
const MORPHS = ['target', 'source', 'both'] as const;
const WrapSettings = v.object({
  /** Whose polygons and texture places the skin gets, as the application or the command line names it. */
  body: v.optional(v.nullable(v.pipe(v.string(), v.minLength(1), v.maxLength(500))), null),
  morphs: worded(v.optional(v.picklist(MORPHS), 'target'), {
    title: 'Morphs',
    words: {
      target: 'As the target says',
      source: 'The character’s own',
      both: 'The other figure’s beside them',
    },
  }),
  weights: worded(v.optional(v.picklist(['nearer', 'figure', 'source']), 'nearer'), {
    title: 'Weights',
    words: {
      nearer: 'The figure’s, unless it bends wrong',
      figure: 'The figure’s own',
      source: 'The character’s',
    },
  }),
  sides: worded(v.optional(v.picklist(['own', 'alike']), 'own'), {
    title: 'Left and right',
    words: { own: 'Each as it is', alike: 'Both alike, halfway between' },
  }),
  detail: worded(v.optional(v.picklist(['full', 'quick']), 'full'), {
    title: 'How closely',
    words: { full: 'As closely as it goes', quick: 'Quickly, to have a look' },
  }),
});

export const wrapStep = defineStep({
  id: 'fit.wrap',
  station: 'fit',
  title: 'The skin on another figure’s polygons',
  says: 'Another figure’s skin takes on this one’s shape: limb by limb, then ever more closely. It takes the place of the skin that was there; eyes, teeth, hair and clothes stay.',
  needs: ['F1', 'F4', 'F5'],
  settings: WrapSettings,
  reads: (target) => (target.fit?.body ? [figureOf(target)?.title, figureOf(target)?.body, target.fit.morphs] : null),
  applies: (document, target, settings) => {
    const asked = target.fit?.body ? figureOf(target)?.body : undefined;
    return (
      listParts(document).some(isSkin) &&
      (Boolean(settings?.body) || Boolean(target.fit?.body && !(asked && liesOnBody(document, asked))))
    );
  },
  async run(document, settings, target, context) {
    context.progress(0, 'opening the other figure');
    const opened = settings.body
        ? await otherCharacter(context, settings.body, {
            code: 'fit.no-body',
            wanted: 'The skin should get another figure’s polygons',
            who: 'The figure whose polygons the skin should get',
          })
        : await openFigure(target, context),
      { name } = opened,
      stop = () => throwIfAborted(context.signal),
      before = countOf(document);
    context.progress(0.05, 'looking for what lies inside');
    const { figure, body, astray, other, wrapped, at, fit } = wrapOnto(document, opened, settings, {
      stop,
      after: (done) => context.progress(0.1 + 0.75 * done, 'taking on the shape'),
    });
    stop();
    const here = new Set(other.deformer.ranges.flatMap(({ part }) => part.morphNames)),
      keeps = settings.morphs === 'both' || (settings.morphs === 'target' && target.fit?.morphs === 'both'),
      own = keeps ? ownMorphs(figure, body, wrapped.places, (name) => !here.has(name)) : new Map(),
      laid = layBody(document, body, other, wrapped, at, { own, weights: settings.weights });
    if (own.size) updateDossier(document, { figureMorphs: [...own.keys()] });
    return {
      measures: [
        measure('vertices', before.vertices, countOf(document).vertices),
        measure('triangles', before.triangles, countOf(document).triangles),
        measure('off-the-surface', 0, fit.there.rms * 1000),
        measure('off-the-surface-99', 0, fit.there.most99 * 1000),
        measure('surface-not-reached', 0, fit.back.rms * 1000),
        measure('without-counterpart', fit.back.without, fit.there.without),
        measure('curves-matched', 0, wrapped.curves.both.length),
        measure('faces-turned', 0, fit.turned),
        measure('bends-off-carried', 0, laid.weighed.off.source * 1000),
        measure('bends-off-own', 0, laid.weighed.off.figure * 1000),
        ...(wrapped.evened ? [measure('sides-evened', 0, wrapped.evened.moved * 1000)] : []),
        ...(own.size ? [measure('figure-morphs', 0, own.size)] : []),
      ] satisfies Measure[],
      findings: [
        ...told(laid, name),
        ...toldLoops(wrapped.curves, name),
        ...toldAstray(astray, name),
        ...toldWeights(laid, name, settings.weights),
        ...toldSides(wrapped.evened, name),
      ],
    };
  },
});

function countOf(document: Document): { vertices: number; triangles: number } {
  const { vertices, indices } = createDeformer(document, isSkin, false);
  return { vertices, triangles: indices.length / 3 };
}

/** What both sides moved is told where eyelids, lashes and clothes would notice. */
function toldSides(evened: Wrapped['evened'], name: string): Finding[] {
  if (!evened) return [];
  const mm = (metres: number) => (metres * 1000).toFixed(1),
    found: Finding[] = [];
  if (evened.farthest > NOTICED)
    found.push({
      code: 'fit.sides-evened',
      severity: 'info',
      message: `Left and right are alike now: the skin moved by ${mm(evened.moved)} mm in the mean, ${mm(evened.farthest)} mm at most. Eyes, lashes and clothes stayed; look at the eyelids and where cloth lies close.`,
      measured: Math.round(evened.farthest * 1e4) / 10,
    });
  if (evened.alone)
    found.push({
      code: 'fit.sides-alone',
      severity: evened.moved > 0 ? 'info' : 'warning',
      message: `${evened.alone === 1 ? 'A point' : `${evened.alone.toLocaleString('en-GB')} points`} of ${name} ${evened.alone === 1 ? 'has' : 'have'} no mirror image in it and stayed as they came to lie.`,
      measured: evened.alone,
    });
  return found;
}
const NOTICED = 0.001;

function toldWeights({ weighed: { by, off } }: Laid, name: string, asked: string): Finding[] {
  if (asked !== 'nearer' || by === 'figure') return [];
  const mm = (metres: number) => (metres * 1000).toFixed(1);
  return [
    {
      code: 'fit.weights-carried',
      severity: 'info',
      message: `The skin follows the joints as it did before, not as ${name} does: in the poses it would be ${mm(off.figure)} mm off with those weights, and is ${mm(off.source)} mm off with its own.`,
      measured: Math.round(off.figure * 1e5) / 100,
    },
  ];
}

/** What held the skin besides its surface, and what of the figure found nothing to lie on. */
function toldLoops({ both, alone }: Wrapped['curves'], name: string): Finding[] {
  const named = both.filter(Boolean);
  if (!named.length && !alone.length) return [];
  const on = named.length
    ? `${listed(named)} of ${name} lie on the character’s own`
    : `No loop of ${name} lies on one of the character’s`;
  return [
    {
      code: 'fit.loops',
      severity: 'info',
      message: `${on}${alone.length ? `; without counterpart here: ${listed(alone)}` : ''}.`,
      measured: named.length,
    },
  ];
}
function toldAstray(astray: readonly string[], name: string): Finding[] {
  if (!astray.length) return [];
  const [are, lie, them] = astray.length === 1 ? ['is', 'lies', 'it'] : ['are', 'lie', 'them'];
  return [
    {
      code: 'fit.loops-astray',
      severity: 'warning',
      message: `${listed(astray)} of ${name} ${lie} off its skin and ${are} not used. Find ${them} by shape at Figures, or draw ${them} anew.`,
      measured: astray.length,
    },
  ];
}
const listed = (names: readonly string[]): string =>
  names.length > 8 ? `${names.slice(0, 6).join(', ')} and ${names.length - 6} more` : names.join(', ');

function told({ parts, without }: Laid, name: string): Finding[] {
  const findings: Finding[] = parts.map((part) => ({
    code: 'fit.laid',
    severity: 'info',
    message: `“${part.name}” of ${name} takes the place of ${part.of.map((one) => `“${one}”`).join(' and ') || 'nothing'}.`,
    where: part.name,
  }));
  if (without.length)
    findings.push({
      code: 'fit.joints-missing',
      severity: 'warning',
      message: `${without.length === 1 ? 'A joint' : `${without.length} joints`} of ${name} ${without.length === 1 ? 'is' : 'are'} not in this skeleton (${without.slice(0, 5).join(', ')}${without.length > 5 ? ' …' : ''}): their weight went to the joints above. Give the character that figure’s skeleton first, in its target.`,
      repair: 'skeleton.remap',
    });
  return findings;
}
