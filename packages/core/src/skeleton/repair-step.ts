import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { skeletonOf } from '../character/index.ts';
import { measure } from '../measures.ts';
import { defineStep } from '../step.ts';
import { findBrokenBinds, repairBinds } from '../rig/index.ts';

export const repairStep = defineStep({
  id: 'skeleton.repair',
  station: 'skeleton',
  title: 'Broken binds mended',
  says: 'A joint whose bind was thrown off follows its neighbours again.',
  needs: ['K5'],
  settings: v.object({
    /** Joints whose bind is left as it is. */
    leave: v.optional(v.array(v.string()), []),
  }),
  reads: () => null,
  applies: (document) => findBrokenBinds(document).length > 0,
  reference: {
    needed: (document, settings) => wanted(document, settings.leave).length > 0,
    undergo: (document, settings) => repairBinds(document, wanted(document, settings.leave)),
  },
  async run(document, settings) {
    const skeleton = skeletonOf(document);
    const found = findBrokenBinds(document, skeleton),
      broken = wanted(document, settings.leave, skeleton);
    repairBinds(document, broken, skeleton);
    const left = findBrokenBinds(document, skeletonOf(document)).length;
    return {
      measures: [measure('broken-binds', found.length, left)],
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

/** The broken binds that aren't to be left as they are. */
const wanted = (document: Document, leave: readonly string[], skeleton = skeletonOf(document)) =>
  findBrokenBinds(document, skeleton).filter((entry) => !leave.includes(skeleton.joints[entry.joint].getName()));
