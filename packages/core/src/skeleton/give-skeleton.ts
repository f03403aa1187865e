import type { Document, Node } from '@gltf-transform/core';
import {
  freeName,
  HUMANOID_PARENT,
  HUMANOID_ROLES,
  type HumanoidRole,
  isHumanoidRole,
  skeletonOf,
  updateDossier,
} from '../character/index.ts';
import type { JointFound, Places } from '../landmarks/index.ts';
import { figureDocument } from '../rig/index.ts';
import { type Figure, parseFigure } from '../targets/index.ts';
import { planFigure } from './plan-figure.ts';
import { makeNodes } from './refigure.ts';

/** Where a figure's joints lie in its own rest pose, by role. */
export const placesOf = (figure: Figure): Places =>
  Object.fromEntries(figure.joints.filter(({ role }) => isHumanoidRole(role)).map(({ role, at }) => [role, at]));

/** Joints found in a body as a figure of their own: each hangs on the nearest above it that was found. */
function foundFigure(joints: readonly Pick<JointFound, 'role' | 'at'>[]): Figure {
  const at = new Map(joints.map((joint) => [joint.role, joint.at]));
  const above = (role: HumanoidRole): HumanoidRole | null => {
    let up: HumanoidRole | null = HUMANOID_PARENT[role];
    while (up && !at.has(up)) up = HUMANOID_PARENT[up];
    return up;
  };
  return parseFigure({
    schema: 1,
    id: 'found',
    title: 'Found',
    heightM: 1.75,
    joints: HUMANOID_ROLES.filter((role) => at.has(role)).map((role) => ({
      name: role,
      role,
      parent: above(role),
      at: at.get(role),
    })),
  });
}

/**
 * Hangs a figure's joints into a document without a skeleton: those that were found at their places, the rest between and
 * beside them by the figure's own proportions, each turned as the figure has it. `weights.bind` binds the mesh to them.
 * @returns nodes of the joints, parents first
 */
export function giveSkeleton(
  document: Document,
  figure: Figure,
  joints: readonly Pick<JointFound, 'role' | 'at'>[],
): Node[] {
  const found = figureDocument(foundFigure(joints)),
    plan = planFigure(found, figure),
    taken = new Set(
      document
        .getRoot()
        .listNodes()
        .map((node) => node.getName()),
    ),
    nodes = makeNodes(document, plan, skeletonOf(found));
  // A joint is known by its name until it is bound: what is called so already keeps its own.
  for (const node of nodes) {
    const name = freeName(node.getName(), taken);
    taken.add(name);
    node.setName(name);
  }
  updateDossier(document, {
    apart: {
      file: figure.title,
      roots: plan.joints.flatMap(({ parent }, i) => (parent < 0 ? [nodes[i].getName()] : [])),
      placed: true,
    },
    declaredRoles: Object.fromEntries(plan.joints.map(({ role }, i) => [nodes[i].getName(), role])),
  });
  return nodes;
}
