import { HUMANOID_PARENT, isHumanoidRole, roleLabel } from '../character/index.ts';
import { type Problem, ProblemError } from '../problem.ts';
import { figureOf, targetJointNames, type Target } from '../targets/index.ts';

/** A joint as an inventory lists it. */
export interface TiedJoint {
  name: string;
  parent: string | null;
  role: string;
}

/**
 * Ties by hand that turn ancestry over: a joint that hangs below another can't become one that stands above it on the
 * target, since the skeleton would have to hang from itself.
 * @param ties joint name → target joint name, '' to let it go
 * @returns one problem for each pair, empty where the ties can be carried out
 */
export function tiesTurnedOver(
  joints: readonly TiedJoint[],
  ties: Readonly<Record<string, string>>,
  target: Target,
): Problem[] {
  const goal = goalsOf(joints, ties, target),
    at = new Map(joints.map((joint) => [joint.name, joint])),
    out: Problem[] = [];
  for (const joint of joints) {
    const own = goal.of.get(joint.name);
    if (own === undefined) continue;
    const seen = new Set<string>();
    for (let up = joint.parent; up !== null && !seen.has(up); up = at.get(up)?.parent ?? null) {
      seen.add(up);
      const above = goal.of.get(up);
      if (above === undefined || !(ties[joint.name] || ties[up]) || !isAbove(goal.parent, own, above)) continue;
      out.push({
        code: 'skeleton.tie-order',
        where: joint.name,
        message: `“${up}” goes to ${goal.title(above)} and “${joint.name}”, which hangs below it, to ${goal.title(own)}; on the target it is the other way round. Tie them in the order in which they hang, or let one of them go.`,
      });
    }
  }
  return out;
}

/** @throws ProblemError skeleton.tie-order where ties can't be carried out */
export function refuseTurnedTies(
  joints: readonly TiedJoint[],
  ties: Readonly<Record<string, string>>,
  target: Target,
): void {
  const [first] = tiesTurnedOver(joints, ties, target);
  if (first) throw new ProblemError(first.code, first.message, first.where);
}

interface Goals {
  of: Map<string, string>;
  parent: (goal: string) => string | null;
  title: (goal: string) => string;
}

function goalsOf(joints: readonly TiedJoint[], ties: Readonly<Record<string, string>>, target: Target): Goals {
  const figure = figureOf(target),
    of = new Map<string, string>();
  const roleOfName = new Map(Object.entries(targetJointNames(target)).map(([role, name]) => [name, role]));
  const named = new Map(figure?.joints.map((joint) => [joint.name, joint.parent])),
    byRole = new Map(figure?.joints.map((joint) => [joint.role as string, joint.name]));
  const goalOfTie = (tie: string): string | undefined => {
    if (figure) return named.has(tie) ? tie : undefined;
    const role = roleOfName.get(tie) ?? tie;
    return isHumanoidRole(role) ? role : undefined;
  };
  const goalOfRole = (role: string): string | undefined =>
    isHumanoidRole(role) ? (figure ? byRole.get(role) : role) : undefined;
  const taken = new Set(Object.values(ties).map((tie) => goalOfTie(tie)));
  for (const joint of joints) {
    const tie = ties[joint.name],
      found = tie === undefined ? goalOfRole(joint.role) : goalOfTie(tie);
    if (found !== undefined && (tie !== undefined || !taken.has(found))) of.set(joint.name, found);
  }
  return {
    of,
    parent: (goal) => (figure ? (named.get(goal) ?? null) : HUMANOID_PARENT[goal as keyof typeof HUMANOID_PARENT]),
    title: (goal) => (figure ? `“${goal}”` : roleLabel(goal)),
  };
}

function isAbove(parent: Goals['parent'], ancestor: string, goal: string): boolean {
  const seen = new Set<string>();
  for (let at = parent(goal); at !== null && !seen.has(at); at = parent(at)) {
    if (at === ancestor) return true;
    seen.add(at);
  }
  return false;
}
