/** A joint of figure format Tessel: metres, Y up, arms down 45 degrees, axes along the world's. */
export interface JointSpec {
  name: string;
  parent: string | null;
  at: [number, number, number];
}

/** From the head's own millimetres to the figure's metres. */
export const HEAD_AT: readonly [number, number, number] = [0, 1.547, 0.018];
export const fromHead = (p: readonly number[]): [number, number, number] => [
  p[0] / 1000 + HEAD_AT[0],
  p[1] / 1000 + HEAD_AT[1],
  p[2] / 1000 + HEAD_AT[2],
];

export const SHOULDER: [number, number, number] = [0.185, 1.425, -0.012];
export const ELBOW: [number, number, number] = [0.392, 1.218, -0.018];
export const WRIST: [number, number, number] = [0.574, 1.036, 0.006];
const along = (a: readonly number[], b: readonly number[], t: number): [number, number, number] =>
  [0, 1, 2].map((k) => a[k] + (b[k] - a[k]) * t) as [number, number, number];

/** Direction of the hand, across it towards the thumb, and out of the palm; left side. */
export const HAND = {
  forward: [0.707, -0.707, 0.02],
  thumbward: [0.05, 0.05, 0.9975],
  palm: [-0.706, -0.706, 0.07],
} as const;
const inHand = (f: number, t: number, p: number): [number, number, number] =>
  [0, 1, 2].map((k) => WRIST[k] + HAND.forward[k] * f + HAND.thumbward[k] * t + HAND.palm[k] * p) as [
    number,
    number,
    number,
  ];

/** Finger joints in the hand's frame, metres: forward, thumbward, palmward. */
export const FINGERS: Record<string, [number, number, number][]> = {
  thumb: [
    [0.022, 0.026, 0.014],
    [0.05, 0.056, 0.022],
    [0.077, 0.074, 0.026],
    [0.1, 0.085, 0.03],
  ],
  index: [
    [0.032, 0.018, 0],
    [0.092, 0.03, 0],
    [0.135, 0.034, 0.006],
    [0.16, 0.036, 0.013],
    [0.18, 0.037, 0.021],
  ],
  middle: [
    [0.032, 0.006, 0],
    [0.095, 0.009, -0.001],
    [0.143, 0.01, 0.006],
    [0.172, 0.01, 0.014],
    [0.193, 0.01, 0.023],
  ],
  ring: [
    [0.032, -0.006, 0],
    [0.09, -0.011, 0],
    [0.134, -0.013, 0.007],
    [0.161, -0.014, 0.015],
    [0.181, -0.014, 0.024],
  ],
  little: [
    [0.03, -0.018, 0.002],
    [0.082, -0.03, 0.003],
    [0.115, -0.035, 0.009],
    [0.134, -0.037, 0.016],
    [0.152, -0.038, 0.024],
  ],
};
export const fingerPoint = (finger: string, i: number): [number, number, number] => inHand(...FINGERS[finger][i]);

function leftSide(): JointSpec[] {
  const out: JointSpec[] = [];
  const put = (name: string, parent: string | null, at: [number, number, number]) => {
    out.push({ name, parent, at });
    return name;
  };
  put('clav_l', 'chest_high', [0.028, 1.452, 0.012]);
  put('arm_l', 'clav_l', SHOULDER);
  put('arm_l_twist', 'arm_l', along(SHOULDER, ELBOW, 0.5));
  put('elbow_l', 'arm_l', ELBOW);
  put('fore_l_twist1', 'elbow_l', along(ELBOW, WRIST, 0.36));
  put('fore_l_twist2', 'elbow_l', along(ELBOW, WRIST, 0.7));
  put('wrist_l', 'elbow_l', WRIST);
  for (const finger of Object.keys(FINGERS)) {
    let parent = 'wrist_l';
    FINGERS[finger].forEach((_, i) => {
      const last = i === FINGERS[finger].length - 1;
      const number = finger === 'thumb' ? i + 1 : i;
      parent = put(last ? `${finger}_l_end` : `${finger}_l_${number}`, parent, fingerPoint(finger, i));
    });
  }
  put('thigh_l', 'hips', [0.092, 0.925, -0.004]);
  put('thigh_l_twist', 'thigh_l', [0.098, 0.71, 0]);
  put('knee_l', 'thigh_l', [0.104, 0.505, 0.006]);
  put('shin_l_twist', 'knee_l', [0.108, 0.3, -0.01]);
  put('foot_l', 'knee_l', [0.112, 0.1, -0.028]);
  put('toe_l', 'foot_l', [0.122, 0.035, 0.092]);
  put('toe_l_end', 'toe_l', [0.128, 0.03, 0.165]);
  put('eye_l', 'head', fromHead([31.5, 114, 69.6]));
  put('lid_upper_l', 'head', fromHead([31.5, 116, 69.6]));
  put('lid_lower_l', 'head', fromHead([31.5, 112, 69.6]));
  put('brow_inner_l', 'head', fromHead([14, 130, 92]));
  put('brow_outer_l', 'head', fromHead([42, 131, 82]));
  put('cheek_l', 'head', fromHead([44, 88, 70]));
  put('lip_corner_l', 'jaw', fromHead([25, 47, 86]));
  put('nostril_l', 'head', fromHead([11, 78, 98]));
  put('glute_l_helper', 'thigh_l', [0.09, 0.9, -0.11]);
  put('vest_strap_l', 'chest_high', [0.075, 1.3, 0.15]);
  return out;
}

const mirrored = (name: string): string => name.replace(/_l(?=_|$)/, '_r');

/** All joints, parents before children. */
export function tesselJoints(): JointSpec[] {
  const trunk: JointSpec[] = [
    { name: 'figure_root', parent: null, at: [0, 0, 0] },
    { name: 'hips', parent: 'figure_root', at: [0, 0.965, 0] },
    { name: 'waist_bend', parent: 'hips', at: [0, 1.05, -0.012] },
    { name: 'waist_twist', parent: 'waist_bend', at: [0, 1.11, -0.018] },
    { name: 'chest_low', parent: 'waist_bend', at: [0, 1.18, -0.024] },
    { name: 'chest_high', parent: 'chest_low', at: [0, 1.3, -0.03] },
    { name: 'neck_low', parent: 'chest_high', at: [0, 1.478, -0.026] },
    { name: 'neck_high', parent: 'neck_low', at: [0, 1.535, -0.014] },
    { name: 'head', parent: 'neck_high', at: fromHead([0, 48, -14]) },
    { name: 'jaw', parent: 'head', at: fromHead([0, 92, 8]) },
    { name: 'tongue_1', parent: 'jaw', at: fromHead([0, 40, 45]) },
    { name: 'tongue_2', parent: 'tongue_1', at: fromHead([0, 43, 62]) },
    { name: 'lip_upper', parent: 'head', at: fromHead([0, 53, 95]) },
    { name: 'lip_lower', parent: 'jaw', at: fromHead([0, 40, 92]) },
    { name: 'beanie_tip', parent: 'head', at: fromHead([0, 236, -10]) },
  ];
  const left = leftSide();
  const right = left.map(
    (joint): JointSpec => ({
      name: mirrored(joint.name),
      parent: joint.parent && mirrored(joint.parent),
      at: [-joint.at[0], joint.at[1], joint.at[2]],
    }),
  );
  const all = [...trunk, ...left, ...right];
  const done: JointSpec[] = [];
  const names = new Set<string | null>([null]);
  while (done.length < all.length)
    for (const joint of all)
      if (!names.has(joint.name) && names.has(joint.parent)) {
        names.add(joint.name);
        done.push(joint);
      }
  return done;
}
