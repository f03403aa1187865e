import * as v from 'valibot';
import { roleLabel, skeletonOf } from '../character/index.ts';
import type { Finding } from '../problem.ts';
import { measure } from '../measures.ts';
import { worded } from '../settings.ts';
import { defineStep } from '../step.ts';
import { figureOf, isStatic, skeletonRule } from '../targets/index.ts';
import { asJointPlans, planFigure } from './plan-figure.ts';
import { missingRoles, planSkeleton } from './plan.ts';
import { refigure } from './refigure.ts';
import { remapSkeleton } from './remap.ts';
import { refuseTurnedTies } from './tie-order.ts';
import { jointRoles } from '../rig/index.ts';

export const skeletonStep = defineStep({
  id: 'skeleton.remap',
  station: 'skeleton',
  title: 'Joints to the target',
  needs: ['K1', 'K2', 'K3', 'K7'],
  settings: v.object({
    /** Joint name → name on the target, or empty to let it go. */
    ties: worded(v.optional(v.record(v.string(), v.string()), {}), { title: 'Ties', names: 'joint' }),
    /** With a figure: whether joints that only end a chain are made. */
    ends: worded(v.optional(v.boolean(), true), { title: 'End joints' }),
    /** With a figure: whether joints the source lacks take weight from the chain they lie on. */
    spread: worded(v.optional(v.boolean(), false), { title: 'Weight for joints put in' }),
  }),
  reads: (target) => target.joints,
  applies: (document, target) => !isStatic(target) && document.getRoot().listSkins().length > 0,
  async run(document, settings, target) {
    const skeleton = skeletonOf(document);
    const roles = jointRoles(document, skeleton);
    refuseTurnedTies(
      skeleton.joints.map((joint, i) => ({
        name: joint.getName(),
        parent: skeleton.parent[i] < 0 ? null : skeleton.joints[skeleton.parent[i]].getName(),
        role: roles[i].role,
      })),
      settings.ties,
      target,
    );
    const figure = figureOf(target),
      figurePlan = figure && planFigure(document, figure, settings, skeleton, roles);
    const plans = figurePlan
      ? asJointPlans(figurePlan)
      : planSkeleton(document, skeletonRule(target), settings.ties, skeleton, roles);
    const findings: Finding[] = [];
    const missing = missingRoles(plans.map((plan) => plan.found));
    if (missing.length)
      findings.push({
        code: 'skeleton.roles-missing',
        severity: 'warning',
        message: `No joint was recognised as ${missing.map(roleLabel).join(', ')}. Tie ${missing.length === 1 ? 'it' : 'them'} by hand in the loom.`,
        measured: missing.length,
        limit: 0,
        repair: 'skeleton.remap',
      });
    const guesses = plans.filter(
      (plan) =>
        plan.target !== null && plan.found.confidence < 0.6 && plan.found.role !== 'end' && plan.found.role !== 'extra',
    );
    if (guesses.length)
      findings.push({
        code: 'skeleton.guesses',
        severity: 'info',
        message: `${guesses.length} joints are guesses: ${guesses
          .slice(0, 5)
          .map((plan) => skeleton.joints[plan.joint].getName())
          .join(', ')}${guesses.length > 5 ? ' …' : ''}.`,
        measured: guesses.length,
      });
    const before = skeleton.joints.length;
    if (figure && figurePlan) {
      const inserted = figurePlan.joints.filter((joint) => joint.from < 0);
      if (inserted.length)
        findings.push({
          code: 'skeleton.put-in',
          severity: 'info',
          message: `${inserted.length} joints of ${figure.title} have no counterpart and were placed by proportion${settings.spread ? ', with weight from their chain' : ', without weight'}: ${inserted
            .slice(0, 5)
            .map((joint) => joint.name)
            .join(', ')}${inserted.length > 5 ? ' …' : ''}.`,
          measured: inserted.length,
        });
      refigure(document, figurePlan, settings, skeleton);
    } else findings.push(...remapSkeleton(document, plans, skeleton));
    return {
      measures: [measure('joints', before, skeletonOf(document).joints.length)],
      findings,
    };
  },
});
