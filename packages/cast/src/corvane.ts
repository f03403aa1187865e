import type { Document, Node } from '@gltf-transform/core';
import {
  addUpDoubles,
  bendVertex,
  floatsOf,
  influencesOf,
  inverseBindsOf,
  listParts,
  multiply,
  poseByTurns,
  quatFromAxis,
  skeletonOf,
  writeInfluences,
  type Influences,
  type Quat,
} from '@dimetra/core';

/** Tessel joint → Corvane joint of the left side or the middle; what is missing gives its weight to the joint above. */
const NAMES: Readonly<Record<string, string>> = {
  figure_root: 'Corvane_Root',
  hips: 'Sacrum',
  waist_bend: 'Lumbar',
  chest_high: 'Thorax',
  neck_low: 'Cervix',
  head: 'Cranium',
  jaw: 'Mandible',
  tongue_1: 'Tongue',
  beanie_tip: 'Cranium_End',
  clav_l: 'Clavicula_L',
  arm_l: 'Humerus_L',
  arm_l_twist: 'Humerus_Roll_L',
  elbow_l: 'Ulna_L',
  fore_l_twist2: 'Ulna_Roll_L',
  wrist_l: 'Manus_L',
  thigh_l: 'Femur_L',
  thigh_l_twist: 'Femur_Roll_L',
  knee_l: 'Tibia_L',
  foot_l: 'Tarsus_L',
  toe_l: 'Toes_L',
  toe_l_end: 'Toes_End_L',
  eye_l: 'Eye_L',
  lid_upper_l: 'Lid_Upper_L',
  lid_lower_l: 'Lid_Lower_L',
  ...Object.fromEntries(
    ['thumb', 'index', 'middle', 'ring', 'little'].flatMap((finger) =>
      [1, 2, 3]
        .map((n) => [`${finger}_l_${n}`, `${finger[0].toUpperCase()}${finger.slice(1)}_${n}_L`])
        .concat([[`${finger}_l_end`, `${finger[0].toUpperCase()}${finger.slice(1)}_End_L`]]),
    ),
  ),
};

/** Corvane's name for a Tessel joint, or null where it has none. */
export function corvaneName(tessel: string): string | null {
  const right = /_r(_|$)/.test(tessel);
  const found = NAMES[right ? tessel.replace(/_r(?=_|$)/, '_l') : tessel];
  return found === undefined ? null : right ? found.replace(/_L$/, '_R') : found;
}

/** Texture tiles of figure format Corvane: head, torso, limbs. */
export function corvaneTile(part: string): number {
  if (/Head|Eyes|Cornea|Lash|Brows|Tear|Teeth|Gums|Tongue|Hair|Scalp|Headset|Beanie/.test(part)) return 0;
  return /Hands|Nails|Boots|Trousers/.test(part) ? 2 : 1;
}

/**
 * Turns a Tessel document into figure format Corvane: arms straight out, other joint names, fewer spine and face
 * joints, texture places on numbered tiles. Changes `document`; its clips are left out.
 */
export function toCorvane(document: Document): void {
  const skeleton = skeletonOf(document);
  const names = skeleton.joints.map((joint) => joint.getName());
  const turns = new Map<number, Quat>();
  names.forEach((name, i) => {
    if (name === 'arm_l') turns.set(i, quatFromAxis([0, 0, 1], Math.PI / 4));
    if (name === 'arm_r') turns.set(i, quatFromAxis([0, 0, 1], -Math.PI / 4));
  });
  const posed = poseByTurns(skeleton, turns);
  const into = names.map((_, i) => {
    let at = i;
    while (at >= 0 && corvaneName(names[at]) === null) at = skeleton.parent[at];
    return at;
  });
  const kept = names.flatMap((name, i) => (corvaneName(name) === null ? [] : [i]));
  const slot = new Map(kept.map((joint, i) => [joint, i]));
  bakePose(document, skeleton, posed, (joint) => slot.get(into[joint]) ?? 0);
  const nodes = makeJoints(
    document,
    kept.map((joint) => ({
      name: corvaneName(names[joint]) as string,
      at: [posed[joint * 16 + 12], posed[joint * 16 + 13], posed[joint * 16 + 14]],
      parent: skeleton.parent[joint] < 0 ? -1 : (slot.get(into[skeleton.parent[joint]]) ?? -1),
    })),
  );
  for (const clip of document.getRoot().listAnimations()) clip.dispose();
  for (const joint of skeleton.joints) joint.dispose();
  for (const old of document.getRoot().listSkins()) old.dispose();
  const skin = document.createSkin('Corvane');
  const binds = new Float32Array(nodes.length * 16);
  kept.forEach((joint, i) => {
    skin.addJoint(nodes[i]);
    binds.set(
      [
        1,
        0,
        0,
        0,
        0,
        1,
        0,
        0,
        0,
        0,
        1,
        0,
        -posed[joint * 16 + 12],
        -posed[joint * 16 + 13],
        -posed[joint * 16 + 14],
        1,
      ],
      i * 16,
    );
  });
  skin.setInverseBindMatrices(document.createAccessor().setType('MAT4').setArray(binds));
  for (const part of listParts(document)) {
    part.node.setSkin(skin);
    const uv = part.prim.getAttribute('TEXCOORD_0'),
      tile = corvaneTile(part.name);
    if (uv && tile)
      part.prim.setAttribute(
        'TEXCOORD_0',
        document
          .createAccessor()
          .setType('VEC2')
          .setArray(floatsOf(uv).map((x, i) => (i % 2 ? x : x + tile)) as Float32Array<ArrayBuffer>),
      );
  }
}

function makeJoints(document: Document, joints: readonly { name: string; at: number[]; parent: number }[]): Node[] {
  const scene = document.getRoot().listScenes()[0];
  const nodes = joints.map((joint) => document.createNode(joint.name));
  joints.forEach((joint, i) => {
    const above = joint.parent < 0 ? [0, 0, 0] : joints[joint.parent].at;
    nodes[i].setTranslation([joint.at[0] - above[0], joint.at[1] - above[1], joint.at[2] - above[2]]);
    if (joint.parent < 0) scene.addChild(nodes[i]);
    else nodes[joint.parent].addChild(nodes[i]);
  });
  return nodes;
}

/** Positions, normals and morphs as the pose bends them; influences name the new joints. */
function bakePose(
  document: Document,
  skeleton: ReturnType<typeof skeletonOf>,
  posed: Float64Array,
  slotOf: (joint: number) => number,
): void {
  for (const part of listParts(document)) {
    const skin = part.node.getSkin(),
      influences = influencesOf(part.prim),
      position = part.prim.getAttribute('POSITION'),
      normal = part.prim.getAttribute('NORMAL');
    if (!skin || !influences || !position || !normal) continue;
    const at = skin.listJoints().map((joint) => skeleton.index.get(joint) ?? 0),
      binds = inverseBindsOf(skin);
    const matrices = new Float64Array(binds.length);
    at.forEach((joint, j) => {
      multiply(matrices, j * 16, posed, joint * 16, binds, j * 16);
    });
    const rest = floatsOf(position),
      bent = bendAll(rest, influences, matrices);
    const tips = bendAll(
      rest.map((x, i) => x + floatsOf(normal)[i] * 0.01),
      influences,
      matrices,
    );
    const put = (array: Float32Array) =>
      document
        .createAccessor()
        .setType('VEC3')
        .setArray(array as Float32Array<ArrayBuffer>);
    part.prim.setAttribute('POSITION', put(bent));
    part.prim.setAttribute('NORMAL', put(unitRows(tips.map((x, i) => x - bent[i]))));
    for (const target of part.prim.listTargets()) {
      const delta = target.getAttribute('POSITION');
      if (!delta) continue;
      const values = floatsOf(delta),
        moved = bendAll(
          rest.map((x, i) => x + values[i]),
          influences,
          matrices,
        );
      target.setAttribute(
        'POSITION',
        put(
          moved.map((x, i) =>
            values[i - (i % 3)] === 0 && values[i - (i % 3) + 1] === 0 && values[i - (i % 3) + 2] === 0
              ? 0
              : x - bent[i],
          ),
        ).setSparse(delta.getSparse()),
      );
    }
    for (let k = 0; k < influences.joints.length; k++) influences.joints[k] = slotOf(at[influences.joints[k]]);
    addUpDoubles(influences.joints, influences.weights, influences.perVertex);
    writeInfluences(document, part.prim, influences);
  }
}

function bendAll(positions: Float32Array, influences: Influences, matrices: Float64Array): Float32Array {
  const out = new Float32Array(positions.length),
    point = new Float64Array(3);
  for (let v = 0; v < positions.length / 3; v++) {
    bendVertex(point, matrices, influences, v, positions);
    out.set(point, v * 3);
  }
  return out;
}

function unitRows(values: Float32Array): Float32Array {
  for (let i = 0; i < values.length; i += 3) {
    const l = Math.hypot(values[i], values[i + 1], values[i + 2]) || 1;
    values[i] /= l;
    values[i + 1] /= l;
    values[i + 2] /= l;
  }
  return values;
}
