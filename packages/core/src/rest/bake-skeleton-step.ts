import * as v from 'valibot';
import { readDossier } from '../character/index.ts';
import type { Finding } from '../problem.ts';
import { measure } from '../measures.ts';
import { defineStep } from '../step.ts';
import { isStatic } from '../targets/index.ts';
import { bakeSkeleton } from './bake-skeleton.ts';

export const bakeSkeletonStep = defineStep({
  id: 'skeleton.bake',
  station: 'skeleton',
  title: 'Joints into the mesh',
  needs: ['D1'],
  settings: v.object({}),
  reads: isStatic,
  applies: (document, target) =>
    isStatic(target) && (document.getRoot().listSkins().length > 0 || readDossier(document).apart !== undefined),
  async run(document) {
    const { joints, clips } = bakeSkeleton(document),
      findings: Finding[] = [];
    findings.push({
      code: 'skeleton.baked',
      severity: 'info',
      message: `The target asks for a static figure: ${joints} joints were taken into the mesh, which stands as they held it.`,
      measured: joints,
    });
    if (clips.length)
      findings.push({
        code: 'skeleton.clips-gone',
        severity: 'info',
        message: `A static figure plays nothing: ${clips.length === 1 ? 'a clip was' : `${clips.length} clips were`} left out (${clips.slice(0, 3).join(', ')}${clips.length > 3 ? ' …' : ''}).`,
        measured: clips.length,
      });
    return { measures: [measure('joints', joints, 0)], findings };
  },
});
