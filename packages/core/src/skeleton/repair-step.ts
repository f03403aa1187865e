import * as v from 'valibot';
import { skeletonOf } from '../character/index.ts';
import { defineStep } from '../step.ts';
import { findBrokenBinds, repairBinds } from '../rig/index.ts';

export const repairStep = defineStep({
  id: 'skeleton.repair',
  station: 'skeleton',
  title: 'Broken binds mended',
  needs: ['K5'],
  settings: v.object({
    /** Joints whose bind is left as it is. */
    leave: v.optional(v.array(v.string()), []),
  }),
  reads: () => null,
  applies: (document) => findBrokenBinds(document).length > 0,
  async run(document, settings) {
    const skeleton = skeletonOf(document);
    const found = findBrokenBinds(document, skeleton),
      broken = found.filter((entry) => !settings.leave.includes(skeleton.joints[entry.joint].getName()));
    repairBinds(document, broken, skeleton);
    const left = findBrokenBinds(document, skeletonOf(document)).length;
    return {
      measures: [{ name: 'broken binds', unit: '', source: found.length, result: left }],
      findings: broken.map((entry) => ({
        code: 'skeleton.bind-mended',
        severity: 'info' as const,
        message: `“${skeleton.joints[entry.joint].getName()}” was bound ${(entry.metres * 100).toFixed(1)} cm off (${entry.what}); it follows its neighbours again.`,
        where: skeleton.joints[entry.joint].getName(),
        measured: Math.round(entry.metres * 1000),
      })),
    };
  },
});
