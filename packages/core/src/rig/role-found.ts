import type { JointRole } from '../character/index.ts';

export interface RoleFound {
  role: JointRole;
  /** 0 … 1 */
  confidence: number;
  /** In words, for the user. */
  reason: string;
}
