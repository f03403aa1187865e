import { asCheck, type Check, type Rule, type Subject } from './judgement.ts';
import { JOINTS } from './rules/joints.ts';
import { LIMITS } from './rules/limits.ts';
import { APPEARANCE } from './rules/appearance.ts';
import { MESH } from './rules/mesh.ts';
import { PARITY } from './rules/parity.ts';
import { STANCE } from './rules/stance.ts';

/** In the order in which they are told. */
const RULES: readonly Rule[] = [...LIMITS, ...STANCE, ...JOINTS, ...MESH, ...PARITY, ...APPEARANCE];

/** Every rule of the target, with the measured value beside the limit (D2). */
export function checkCharacter(subject: Subject): Check[] {
  return RULES.flatMap((rule) => {
    const found = rule(subject);
    return found ? [asCheck(found)] : [];
  });
}
