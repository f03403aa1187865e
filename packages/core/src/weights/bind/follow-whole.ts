import { floatsOf, type HumanoidRole, jointPosition, type Part, type Skeleton } from '../../character/index.ts';
import { type RoleFound, roleIndex } from '../../rig/index.ts';
import { WORN } from '../worn.ts';

/** Eyes follow their joint, hair, lashes, teeth and what is worn on the head the head or the jaw, whole. */
export function followWhole(
  part: Part,
  influences: { perVertex: number; joints: Uint16Array; weights: Float32Array },
  skeleton: Skeleton,
  roles: readonly RoleFound[],
): void {
  const index = roleIndex(roles),
    head = index.get('head'),
    position = part.prim.getAttribute('POSITION');
  if (head === undefined || !position) return;
  const points = floatsOf(position),
    { kind } = part,
    onHead = WORN.includes(part.role) && liesAbove(points, chinHeight(skeleton, index));
  const jointFor = (x: number): number | null => {
    if (onHead) return head;
    if (kind === 'eye' || kind === 'cornea') return index.get(x > 0 ? 'leftEye' : 'rightEye') ?? head;
    if (
      kind === 'hair' ||
      kind === 'beard' ||
      kind === 'brow' ||
      kind === 'lash' ||
      kind === 'scalp' ||
      kind === 'tear' ||
      kind === 'shade'
    )
      return head;
    if (kind === 'teeth' || kind === 'gums' || kind === 'tongue')
      return /lower|tongue|unter|inferior/i.test(part.name) ? (index.get('jaw') ?? head) : head;
    return null;
  };
  for (let v = 0; v < points.length / 3; v++) {
    const joint = jointFor(points[v * 3]);
    if (joint === null) return;
    influences.joints.fill(0, v * influences.perVertex, (v + 1) * influences.perVertex);
    influences.weights.fill(0, v * influences.perVertex, (v + 1) * influences.perVertex);
    influences.joints[v * influences.perVertex] = joint;
    influences.weights[v * influences.perVertex] = 1;
  }
}

/** Half-way from neck to head: about the chin. */
function chinHeight(skeleton: Skeleton, index: ReadonlyMap<HumanoidRole, number>): number {
  const head = index.get('head'),
    neck = index.get('neck');
  return head === undefined || neck === undefined
    ? Infinity
    : (jointPosition(skeleton, head)[1] + jointPosition(skeleton, neck)[1]) / 2;
}

/** Whether all but stray points lie above a height. */
function liesAbove(points: Float32Array, y: number): boolean {
  let below = 0;
  for (let i = 1; i < points.length; i += 3) if (points[i] < y) below++;
  return below <= (points.length / 3) * 0.01;
}
