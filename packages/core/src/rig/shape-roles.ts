import { HUMANOID_ROLES, jointPosition, subtreeOf, type HumanoidRole, type Skeleton } from '../character/index.ts';

interface Frame {
  skeleton: Skeleton;
  children: number[][];
  at: (i: number) => [number, number, number];
  floor: number;
  height: number;
}

/**
 * Roles from shape and hierarchy alone, for a standing human with +Y up facing +Z: legs are the chains that
 * reach the floor, arms those that reach furthest to the sides, the head is what lies highest between them.
 * Names are not looked at.
 */
export function rolesByShape(skeleton: Skeleton): Map<HumanoidRole, number> {
  const roles = new Map<HumanoidRole, number>();
  const count = skeleton.joints.length;
  if (count < 8) return roles;
  const children: number[][] = Array.from({ length: count }, () => []);
  skeleton.parent.forEach((parent, i) => {
    if (parent >= 0) children[parent].push(i);
  });
  const at = (i: number) => jointPosition(skeleton, i);
  let floor = Infinity,
    top = -Infinity;
  for (let i = 0; i < count; i++) {
    floor = Math.min(floor, at(i)[1]);
    top = Math.max(top, at(i)[1]);
  }
  const frame: Frame = { skeleton, children, at, floor, height: top - floor };
  if (!(frame.height > 0)) return roles;

  const hips = findHips(frame);
  if (hips < 0) return roles;
  roles.set('hips', hips);
  legs(frame, hips, roles);
  spine(frame, hips, roles);
  for (const role of HUMANOID_ROLES) if (roles.get(role) === undefined) roles.delete(role);
  return roles;
}

const reach = (
  frame: Frame,
  root: number,
  measure: (p: [number, number, number]) => number,
): { best: number; value: number } => {
  let best = root,
    value = -Infinity;
  for (const i of subtreeOf(frame.skeleton, root)) {
    const m = measure(frame.at(i));
    if (m > value) {
      value = m;
      best = i;
    }
  }
  return { best, value };
};

/** The deepest joint from which one chain reaches the floor on each side and another the top. */
function findHips(frame: Frame): number {
  const low = frame.floor + frame.height * 0.15;
  const high = frame.floor + frame.height * 0.75;
  let found = -1;
  for (let i = 0; i < frame.skeleton.joints.length; i++) {
    let left = false,
      right = false,
      up = false;
    for (const child of frame.children[i]) {
      const foot = reach(frame, child, (p) => -p[1]);
      const x = frame.at(foot.best)[0];
      if (-foot.value < low) {
        if (x > 0) left = true;
        else right = true;
      }
      if (reach(frame, child, (p) => p[1]).value > high) up = true;
    }
    if (left && right && up) found = i;
  }
  return found;
}

/** Joints from `from` down to `to`, both included. */
function chain(frame: Frame, from: number, to: number): number[] {
  const out: number[] = [];
  for (let i = to; i >= 0; i = frame.skeleton.parent[i]) {
    out.unshift(i);
    if (i === from) return out;
  }
  return [];
}

const distance = (a: readonly number[], b: readonly number[]): number =>
  Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);

/** Of the joints strictly between, the one nearest to `share` of the way along the chain; −1 where there is none. */
function along(frame: Frame, path: number[], share: number): number {
  const lengths = [0];
  for (let i = 1; i < path.length; i++)
    lengths.push(lengths[i - 1] + distance(frame.at(path[i]), frame.at(path[i - 1])));
  const total = lengths[lengths.length - 1];
  let best = -1,
    error = Infinity;
  for (let i = 1; i < path.length - 1; i++) {
    const off = Math.abs(lengths[i] / (total || 1) - share);
    if (off < error) {
      error = off;
      best = path[i];
    }
  }
  return best;
}

/** A hip joint is at most this share of the leg long. */
const HIP_JOINT = 0.16;

function legs(frame: Frame, hips: number, roles: Map<HumanoidRole, number>): void {
  for (const side of ['left', 'right'] as const) {
    const sign = side === 'left' ? 1 : -1;
    const candidates = frame.children[hips].filter((child) => {
      const foot = reach(frame, child, (p) => -p[1]);
      return -foot.value < frame.floor + frame.height * 0.15 && frame.at(foot.best)[0] * sign > 0;
    });
    const thigh = candidates[0];
    if (thigh === undefined) continue;
    const front = reach(frame, thigh, (p) => (p[1] < frame.floor + frame.height * 0.12 ? p[2] * 4 - p[1] : -1e3)).best;
    const path = chain(frame, thigh, front);
    // The ankle is the last joint of the chain that still stands over the heel; a shin below a joint makes that joint a knee, even where nothing lies under the ankle.
    let ankle = path.length - 1;
    const shin = 0.3 * (frame.at(thigh)[1] - frame.floor);
    while (
      ankle > 1 &&
      distance(frame.at(path[ankle]), frame.at(path[ankle - 1])) < shin &&
      (frame.at(path[ankle])[1] - frame.floor < frame.height * 0.028 ||
        frame.at(path[ankle])[2] - frame.at(path[ankle - 1])[2] >
          0.6 * distance(frame.at(path[ankle]), frame.at(path[ankle - 1])))
    )
      ankle--;
    const foot = path[ankle];
    roles.set(`${side}Foot`, foot);
    // A short joint between hips and leg is a hip joint; the leg begins below it.
    let upper = thigh;
    const below = (joint: number) => path[path.indexOf(joint) + 1],
      leg = distance(frame.at(thigh), frame.at(foot));
    while (
      path.indexOf(upper) + 2 < path.indexOf(foot) &&
      distance(frame.at(upper), frame.at(below(upper))) < HIP_JOINT * leg
    )
      upper = below(upper);
    roles.set(`${side}UpperLeg`, upper);
    const knee = along(frame, chain(frame, upper, foot), 0.52);
    if (knee >= 0) roles.set(`${side}LowerLeg`, knee);
    if (ankle + 1 < path.length) roles.set(`${side}Toes`, path[ankle + 1]);
  }
}

function spine(frame: Frame, hips: number, roles: Map<HumanoidRole, number>): void {
  const crown = reach(frame, hips, (p) => p[1] - Math.abs(p[0]) * 2).best;
  const path = chain(frame, hips, crown).slice(1);
  const hasArm = (i: number, sign: number) =>
    frame.children[i].some(
      (child) =>
        !path.includes(child) &&
        Math.abs(reach(frame, child, (p) => p[0] * sign).value) > frame.height * 0.15 &&
        reach(frame, child, (p) => p[0] * sign).value > frame.height * 0.15,
    );
  let chest = -1;
  path.forEach((joint, i) => {
    if (hasArm(joint, 1) && hasArm(joint, -1)) chest = i;
  });
  if (chest < 0) return;
  const trunk = path.slice(0, chest + 1);
  roles.set('spine', trunk[0]);
  if (trunk.length === 2) roles.set('chest', trunk[1]);
  if (trunk.length >= 3) {
    roles.set('upperChest', trunk[trunk.length - 1]);
    roles.set('chest', trunk[trunk.length === 3 ? 1 : trunk.length - 2]);
  }
  const above = path.slice(chest + 1);
  if (above.length) {
    // The head carries the face, or is the last joint with anything below it; chains of one are all head.
    let head = above.findIndex((joint, i) => i > 0 && frame.children[joint].length >= 2);
    if (head < 0) head = above.length >= 3 ? above.length - 2 : above.length - 1;
    if (head > 0) roles.set('neck', above[0]);
    roles.set('head', above[head]);
    face(frame, above[head], roles);
  }
  for (const side of ['left', 'right'] as const) arm(frame, path[chest], path, side, roles);
}

function face(frame: Frame, head: number, roles: Map<HumanoidRole, number>): void {
  const leaves = frame.children[head].filter(
    (child) => Math.abs(frame.at(child)[0]) > 0.01 * frame.height && frame.at(child)[2] > frame.at(head)[2],
  );
  for (const left of leaves) {
    const p = frame.at(left);
    if (p[0] < 0 || frame.children[left].length) continue;
    const right = leaves.find((other) => distance(frame.at(other), [-p[0], p[1], p[2]]) < 0.004 * frame.height);
    // Pupils stand 63 mm apart on a 1.75 m figure.
    if (right !== undefined && Math.abs((2 * p[0]) / frame.height - 0.036) < 0.012 && !roles.has('leftEye')) {
      roles.set('leftEye', left);
      roles.set('rightEye', right);
    }
  }
  const eye = roles.get('leftEye');
  const jaw = frame.children[head].find(
    (child) =>
      Math.abs(frame.at(child)[0]) < 0.004 * frame.height &&
      (eye === undefined || frame.at(child)[1] < frame.at(eye)[1]) &&
      frame.at(child)[1] < frame.at(head)[1] + 0.04 * frame.height &&
      frame.at(child)[2] > frame.at(head)[2],
  );
  if (jaw !== undefined) roles.set('jaw', jaw);
}

/** From wrist to finger tips, as a share of the height, with room for long hands. */
const HAND_LENGTH = 0.16;

function arm(
  frame: Frame,
  chest: number,
  trunk: number[],
  side: 'left' | 'right',
  roles: Map<HumanoidRole, number>,
): void {
  const sign = side === 'left' ? 1 : -1;
  let start = -1,
    far = frame.height * 0.15;
  for (const child of frame.children[chest]) {
    if (trunk.includes(child)) continue;
    const r = reach(frame, child, (p) => p[0] * sign);
    if (r.value > far) {
      far = r.value;
      start = child;
    }
  }
  if (start < 0) return;
  // The hand is where three or more chains begin, a hand's length from the tips: twists side by side are chains too. Else it is the last joint but the ends.
  const members = subtreeOf(frame.skeleton, start);
  const tip = reach(frame, start, (p) => p[0] * sign - p[1] * 0.3).best;
  const palm = members.find(
    (i) =>
      distance(frame.at(i), frame.at(tip)) < HAND_LENGTH * frame.height &&
      frame.children[i].filter((child) => frame.children[child].length > 0 || frame.children[i].length >= 4).length >=
        3,
  );
  const hand = palm ?? chain(frame, start, tip).slice(0, 4).at(-1) ?? tip;
  const path = chain(frame, start, hand);
  roles.set(`${side}Hand`, hand);
  // Clavicle, upper arm, forearm by lengths: an upper arm is about as long as a forearm, a clavicle half of it.
  const shoulderFirst =
    path.length >= 4 ||
    (path.length === 3 &&
      distance(frame.at(path[0]), frame.at(path[1])) < 0.7 * distance(frame.at(path[1]), frame.at(path[2])));
  const upper = shoulderFirst ? path[1] : path[0];
  if (shoulderFirst) roles.set(`${side}Shoulder`, path[0]);
  roles.set(`${side}UpperArm`, upper);
  const elbow = along(frame, chain(frame, upper, hand), 0.53);
  if (elbow >= 0) roles.set(`${side}LowerArm`, elbow);
  if (palm !== undefined) fingers(frame, hand, elbow, side, roles);
}

function fingers(
  frame: Frame,
  hand: number,
  elbow: number,
  side: 'left' | 'right',
  roles: Map<HumanoidRole, number>,
): void {
  const wrist = frame.at(hand);
  const chains = frame.children[hand]
    .map((root) => {
      const path = [root];
      for (let next = frame.children[root]; next.length; next = frame.children[path[path.length - 1]])
        path.push(next[0]);
      return path;
    })
    .filter((path) => path.length >= 2 && distance(frame.at(path[path.length - 1]), wrist) > 0.03 * frame.height);
  if (chains.length < 3 || chains.length > 6) return;
  // The thumb's tip lies least far along the forearm's direction; the rest follow from front to back.
  const arm = frame.at(elbow >= 0 ? elbow : hand);
  const axis = [wrist[0] - arm[0], wrist[1] - arm[1], wrist[2] - arm[2]];
  const forward = (path: number[]) => {
    const p = frame.at(path[path.length - 1]);
    return (p[0] - wrist[0]) * axis[0] + (p[1] - wrist[1]) * axis[1] + (p[2] - wrist[2]) * axis[2];
  };
  const thumb = chains.reduce((a, b) => (forward(a) < forward(b) ? a : b));
  const rest = chains.filter((path) => path !== thumb);
  // Square to the forearm, towards the thumb: the index lies furthest that way, the little finger least.
  const tipOf = (path: number[]) => frame.at(path[path.length - 1]);
  const toThumb = [0, 1, 2].map((k) => tipOf(thumb)[k] - wrist[k]);
  const length = axis[0] ** 2 + axis[1] ** 2 + axis[2] ** 2 || 1;
  const share = (toThumb[0] * axis[0] + toThumb[1] * axis[1] + toThumb[2] * axis[2]) / length;
  const side3 = toThumb.map((c, k) => c - axis[k] * share);
  const across = (path: number[]) => {
    const p = frame.at(path[Math.min(1, path.length - 1)]);
    return p[0] * side3[0] + p[1] * side3[1] + p[2] * side3[2];
  };
  rest.sort((a, b) => across(b) - across(a));
  const put = (finger: string, segments: string[], path: number[]) => {
    // A metacarpal in front of three finger joints is not part of the humanoid vocabulary.
    const joints =
      path.length > 4 ||
      (path.length === 4 &&
        distance(frame.at(path[0]), frame.at(path[1])) > 1.2 * distance(frame.at(path[1]), frame.at(path[2])) &&
        finger !== 'Thumb')
        ? path.slice(1)
        : path;
    segments.forEach((segment, i) => {
      if (joints[i] !== undefined) roles.set(`${side}${finger}${segment}` as HumanoidRole, joints[i]);
    });
  };
  put('Thumb', ['Metacarpal', 'Proximal', 'Distal'], thumb);
  ['Index', 'Middle', 'Ring', 'Little'].forEach((finger, i) => {
    if (rest[i]) put(finger, ['Proximal', 'Intermediate', 'Distal'], rest[i]);
  });
}
