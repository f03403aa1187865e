import { type Measure, measure } from '../measures.ts';
import { type Finding, throwIfAborted } from '../problem.ts';
import { defineStep } from '../step.ts';
import { fittedParts } from './carry-morphs.ts';
import { PinsSettings } from './pins.ts';
import { pinLaid } from './pin-laid.ts';

export const pinsStep = defineStep({
  id: 'fit.pins',
  station: 'fit',
  title: 'Pins and regions left alone',
  says: 'Places of the new skin that were pinned come to lie where they belong on the old one, and what is around them goes along; regions left alone keep the other figure’s own shape. The wrap goes on from where it was.',
  needs: ['F1', 'F5'],
  settings: PinsSettings,
  reads: () => null,
  applies: (document, _target, settings) =>
    settings !== undefined && settings.pins.length + settings.leave.length > 0 && fittedParts(document).length > 0,
  async run(document, settings, _target, context) {
    const done = pinLaid(document, settings, {
      stop: () => throwIfAborted(context.signal),
      after: (fraction) => context.progress(fraction, 'going on from the pins'),
    });
    if (!done) return { measures: [], findings: [] };
    return {
      measures: [
        measure('pins-held', settings.pins.length, settings.pins.length - done.lost.pins.length),
        measure('off-the-pins', done.before * 1000, done.after * 1000),
        measure('off-the-surface', 0, done.fit.there.rms * 1000),
        measure('off-the-surface-99', 0, done.fit.there.most99 * 1000),
        measure('faces-turned', 0, done.fit.turned),
      ] satisfies Measure[],
      findings: [
        ...done.lost.pins.map((number) => lost(`Pin ${number + 1}`, 'isn’t held')),
        ...done.lost.leave.map((number) => lost(`Region ${number + 1}`, 'isn’t left alone')),
        ...(done.fit.turned > 0 ? [folded(done.fit.turned)] : []),
      ],
    };
  },
});

const folded = (faces: number): Finding => ({
  code: 'fit.pins-fold',
  severity: 'warning',
  message: `${faces === 1 ? 'A face is' : `${faces} faces are`} turned over by the pins: let more around them go along, or pin them less far from where they lay.`,
  measured: faces,
});

const lost = (what: string, then: string): Finding => ({
  code: 'fit.pin-lost',
  severity: 'warning',
  message: `${what} has a place that isn’t on the skin any more, so it ${then}. Set it anew, or take it away.`,
  where: what,
});
