import { isHumanoidRole } from '../character/index.ts';
import type { Figure } from './figure.ts';

/** A joint under another name; what hangs under it follows. The figure as it was where the new name is empty or taken. */
export function renameFigureJoint(figure: Figure, joint: string, name: string): Figure {
  const wanted = name.trim();
  if (!wanted || wanted === joint || figure.joints.some((entry) => entry.name === wanted)) return figure;
  return {
    ...figure,
    joints: figure.joints.map((entry) => ({
      ...entry,
      name: entry.name === joint ? wanted : entry.name,
      parent: entry.parent === joint ? wanted : entry.parent,
    })),
  };
}

/** A joint left out; what hung under it hangs on the joint above. The last joint stays. */
export function removeFigureJoint(figure: Figure, joint: string): Figure {
  const gone = figure.joints.find((entry) => entry.name === joint);
  if (!gone || figure.joints.length === 1) return figure;
  return {
    ...figure,
    joints: figure.joints
      .filter((entry) => entry !== gone)
      .map((entry) => (entry.parent === joint ? { ...entry, parent: gone.parent } : entry)),
  };
}

/** Roles said by joint name. Only one joint has a humanoid role: whoever had it before becomes `unknown`. */
export function correctFigureRoles(figure: Figure, roles: Readonly<Record<string, string>>): Figure {
  const own = new Set(figure.joints.map((joint) => joint.name)),
    said = new Set(
      Object.entries(roles)
        .filter(([name, role]) => own.has(name) && isHumanoidRole(role))
        .map(([, role]) => role),
    );
  return {
    ...figure,
    joints: figure.joints.map((joint) => ({
      ...joint,
      role: Object.hasOwn(roles, joint.name) ? roles[joint.name] : said.has(joint.role) ? 'unknown' : joint.role,
    })),
  };
}
