import { roleLabel, skeletonOf } from '../character/index.ts';
import type { Document } from '@gltf-transform/core';
import { ADULT_CM, brokenBindFinding, findBrokenBinds } from '../rig/index.ts';
import { idleFindings, missingRoles } from '../skeleton/index.ts';
import type { Finding } from '../problem.ts';
import type { CharacterSummary } from './character-summary.ts';

/** How it stands, and in which unit. */
export function stanceFindings(summary: CharacterSummary): Finding[] {
  const findings: Finding[] = [];
  const [least, most] = ADULT_CM;
  if (summary.heightCm < least || summary.heightCm > most)
    findings.push({
      code: 'intake.height',
      severity: 'warning',
      message: `The character is ${summary.heightCm} cm high; an adult stands ${least} to ${most} cm. Set the unit if that is wrong.`,
      measured: summary.heightCm,
      limit: `${least}–${most}`,
      repair: 'intake.stand',
    });
  if (summary.unitMetres !== 1)
    findings.push({
      code: 'intake.unit',
      severity: 'warning',
      message: `One unit of the file is ${summary.unitMetres} m; the character is brought to metres.`,
      measured: summary.unitMetres,
      limit: 1,
      repair: 'intake.stand',
    });
  if (summary.upAxis !== 'y')
    findings.push({
      code: 'intake.up-axis',
      severity: 'warning',
      message: `The figure doesn't stand: its up axis is ${summary.upAxis.toUpperCase()}. It is stood up.`,
      measured: summary.upAxis,
      limit: 'y',
      repair: 'intake.stand',
    });
  if (summary.facing !== '+z')
    findings.push({
      code: 'intake.facing',
      severity: 'warning',
      message: `The figure faces ${summary.facing.toUpperCase()}; it is turned to +Z.`,
      measured: summary.facing,
      limit: '+z',
      repair: 'intake.stand',
    });
  if (summary.facingUnsure)
    findings.push({
      code: 'intake.facing-unsure',
      severity: 'warning',
      message:
        'Nothing tells which way the figure faces; it is taken to face front. Set the facing if its left and right are swapped.',
      repair: 'intake.stand',
    });
  return findings;
}

/** Roles that no joint has. */
export function roleFindings(summary: CharacterSummary): Finding[] {
  const findings: Finding[] = [];
  const missing = summary.joints.length ? missingRoles(summary.joints) : [];
  if (missing.length)
    findings.push({
      code: 'skeleton.roles-missing',
      severity: 'warning',
      message: `No joint was recognised as ${missing.map(roleLabel).join(', ')}.`,
      measured: missing.length,
      limit: 0,
      repair: 'skeleton.remap',
    });
  return findings;
}

/** Joints that do nothing, and binds that are broken. */
export function skeletonFindings(document: Document, summary: CharacterSummary): Finding[] {
  const findings: Finding[] = [];
  const skeleton = skeletonOf(document);
  if (summary.joints.length === skeleton.joints.length)
    findings.push(...idleFindings(document, skeleton, summary.joints, summary.unitMetres));
  findings.push(
    ...findBrokenBinds(document, skeleton).map((entry) => brokenBindFinding(entry, skeleton, summary.unitMetres)),
  );
  return findings;
}
