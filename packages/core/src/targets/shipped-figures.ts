import { HUMANOID_PARENT, HUMANOID_ROLES } from '../character/index.ts';
import { parseFigure, type Figure } from './figure.ts';
import corvane from './figures/corvane.json';
import tessel from './figures/tessel.json';
import { hanimFigure } from './hanim.ts';
import type { Target } from './schema.ts';
import { NEUTRAL_HEIGHT, NEUTRAL_PLACES, type Place } from './neutral-body.ts';

/** Arms straight out along ±X about the shoulder, as VRM 1.0 asks of the rest pose. */
function armsOut(role: string, at: Place): Place {
  if (!/LowerArm|Hand|Thumb|Index|Middle|Ring|Little/.test(role)) return at;
  const side = role.startsWith('left') ? 1 : -1,
    [sx, sy] = NEUTRAL_PLACES[side > 0 ? 'leftUpperArm' : 'rightUpperArm'];
  return [sx + side * (sy - at[1]), sy + side * (at[0] - sx), at[2]];
}

function vrmFigure(): Figure {
  return parseFigure({
    schema: 1,
    id: 'vrm-1',
    title: 'VRM 1.0 humanoid',
    note: 'Bones and hierarchy of the open VRM 1.0 humanoid, arms straight out.',
    heightM: NEUTRAL_HEIGHT,
    joints: HUMANOID_ROLES.map((role) => ({
      name: role,
      role,
      parent: HUMANOID_PARENT[role],
      at: armsOut(role, NEUTRAL_PLACES[role]),
    })),
  });
}

/** Roles as names and the arms at 45 degrees: for pipelines that have no figure of their own. */
function neutralFigure(): Figure {
  const down = (role: string, [x, y, z]: Place): Place => {
    if (!/LowerArm|Hand|Thumb|Index|Middle|Ring|Little/.test(role)) return [x, y, z];
    const side = role.startsWith('left') ? 1 : -1,
      [sx, sy] = NEUTRAL_PLACES[side > 0 ? 'leftUpperArm' : 'rightUpperArm'];
    const u = side * (x - sx),
      w = y - sy,
      c = Math.SQRT1_2;
    return [sx + side * (u * c - w * c), sy + u * c + w * c, z];
  };
  return parseFigure({
    schema: 1,
    id: 'gltf-neutral',
    title: 'glTF neutral',
    note: "Joints named by their roles under one root, axes along the body's, arms down 45 degrees.",
    heightM: NEUTRAL_HEIGHT,
    joints: [
      { name: 'root', role: 'helper', parent: null, at: [0, 0, 0] },
      ...HUMANOID_ROLES.map((role) => ({
        name: role,
        role,
        parent: HUMANOID_PARENT[role] ?? 'root',
        at: down(role, NEUTRAL_PLACES[role]),
      })),
    ],
  });
}

export const SHIPPED_FIGURES: readonly Figure[] = [
  parseFigure(tessel),
  parseFigure(corvane),
  vrmFigure(),
  neutralFigure(),
  ...([1, 2, 3, 4] as const).map(hanimFigure),
];
export const shippedFigure = (id: string): Figure | undefined => SHIPPED_FIGURES.find((figure) => figure.id === id);

/** The figure a target asks for; one named by id is looked up among those that ship. */
export function figureOf(target: Target): Figure | undefined {
  const { figure } = target.joints;
  return typeof figure === 'string' ? shippedFigure(figure) : figure;
}
