import { Document, type Node } from '@gltf-transform/core';
import { HUMANOID_PARENT, type HumanoidRole } from '../character/index.ts';
import { vertexNormals } from '../geometry/index.ts';

/** Joint places of a standing adult, arms down 45 degrees; left side, metres. */
const PLACES: Partial<Record<HumanoidRole, [number, number, number]>> = {
  hips: [0, 0.96, 0],
  spine: [0, 1.06, -0.01],
  chest: [0, 1.18, -0.02],
  upperChest: [0, 1.3, -0.03],
  neck: [0, 1.48, -0.02],
  head: [0, 1.56, 0],
  jaw: [0, 1.58, 0.03],
  leftEye: [0.0315, 1.66, 0.08],
  leftShoulder: [0.03, 1.45, 0],
  leftUpperArm: [0.18, 1.43, -0.01],
  leftLowerArm: [0.39, 1.22, -0.02],
  leftHand: [0.57, 1.04, 0],
  leftUpperLeg: [0.09, 0.92, 0],
  leftLowerLeg: [0.1, 0.5, 0.01],
  leftFoot: [0.11, 0.09, -0.03],
  leftToes: [0.12, 0.03, 0.1],
  leftThumbMetacarpal: [0.59, 1.03, 0.03],
  leftThumbProximal: [0.61, 1.0, 0.06],
  leftThumbDistal: [0.63, 0.97, 0.08],
  leftIndexProximal: [0.64, 0.97, 0.03],
  leftIndexIntermediate: [0.67, 0.94, 0.033],
  leftIndexDistal: [0.69, 0.92, 0.034],
  leftMiddleProximal: [0.64, 0.97, 0.01],
  leftMiddleIntermediate: [0.675, 0.935, 0.01],
  leftMiddleDistal: [0.7, 0.91, 0.01],
  leftRingProximal: [0.635, 0.97, -0.012],
  leftRingIntermediate: [0.667, 0.938, -0.013],
  leftRingDistal: [0.69, 0.915, -0.014],
  leftLittleProximal: [0.63, 0.975, -0.03],
  leftLittleIntermediate: [0.652, 0.952, -0.035],
  leftLittleDistal: [0.668, 0.936, -0.037],
};

export interface StickOptions {
  /** Joint name for a role. */
  name?: (role: HumanoidRole) => string;
  /** Rings and sides of each limb's tube; default 6 × 8. */
  rings?: number;
  sides?: number;
  /** Extra joints: name → parent role and place. */
  extra?: Record<string, { under: HumanoidRole; at: [number, number, number] }>;
}

/** A person of tubes, one per bone: small enough for exact expectations, jointed and morphed like a real one. */
export function stickFigure(options: StickOptions = {}): Document {
  const { name = (role) => role, rings = 6, sides = 8, extra = {} } = options;
  const places = new Map<HumanoidRole, [number, number, number]>();
  for (const role of Object.keys(HUMANOID_PARENT) as HumanoidRole[]) {
    const left = PLACES[role.replace(/^right/, 'left') as HumanoidRole];
    if (left) places.set(role, role.startsWith('right') ? [-left[0], left[1], left[2]] : left);
  }
  const document = new Document();
  document.createBuffer();
  const scene = document.createScene();
  const nodes = new Map<HumanoidRole, Node>();
  const skin = document.createSkin('skin');
  const binds: number[] = [];
  const add = (title: string, at: [number, number, number], parent: Node | null, above: [number, number, number]) => {
    const node = document.createNode(title).setTranslation([at[0] - above[0], at[1] - above[1], at[2] - above[2]]);
    if (parent) parent.addChild(node);
    else scene.addChild(node);
    skin.addJoint(node);
    binds.push(1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, -at[0], -at[1], -at[2], 1);
    return node;
  };
  for (const [role, at] of places) {
    const parent = HUMANOID_PARENT[role];
    nodes.set(
      role,
      add(
        name(role),
        at,
        parent ? (nodes.get(parent) as Node) : null,
        parent ? (places.get(parent) as [number, number, number]) : [0, 0, 0],
      ),
    );
  }
  for (const [title, { under, at }] of Object.entries(extra))
    add(title, at, nodes.get(under) as Node, places.get(under) as [number, number, number]);
  skin.setInverseBindMatrices(document.createAccessor().setType('MAT4').setArray(new Float32Array(binds)));

  const positions: number[] = [],
    joints: number[] = [],
    weights: number[] = [],
    uv: number[] = [],
    indices: number[] = [];
  const order = [...places.keys()];
  order.forEach((role, j) => {
    const parent = HUMANOID_PARENT[role];
    if (!parent) return;
    const a = places.get(parent) as number[],
      b = places.get(role) as number[],
      p = order.indexOf(parent);
    const first = positions.length / 3,
      radius = /Thumb|Index|Middle|Ring|Little|Eye|jaw/.test(role) ? 0.008 : 0.045;
    const axis = [b[0] - a[0], b[1] - a[1], b[2] - a[2]],
      length = Math.hypot(...axis) || 1;
    const up = Math.abs(axis[1]) / length > 0.9 ? [0, 0, 1] : [0, 1, 0];
    const u = [up[1] * axis[2] - up[2] * axis[1], up[2] * axis[0] - up[0] * axis[2], up[0] * axis[1] - up[1] * axis[0]],
      ul = Math.hypot(...u);
    const v = [axis[1] * u[2] - axis[2] * u[1], axis[2] * u[0] - axis[0] * u[2], axis[0] * u[1] - axis[1] * u[0]],
      vl = Math.hypot(...v);
    for (let r = 0; r <= rings; r++)
      for (let s = 0; s <= sides; s++) {
        const t = r / rings,
          f = (2 * Math.PI * (s % sides)) / sides;
        for (let k = 0; k < 3; k++)
          positions.push(a[k] + axis[k] * t + radius * ((u[k] / ul) * Math.cos(f) + (v[k] / vl) * Math.sin(f)));
        joints.push(p, j, 0, 0);
        weights.push(1 - t * 0.4, t * 0.4, 0, 0);
        uv.push(s / sides, t);
      }
    for (let r = 0; r < rings; r++)
      for (let s = 0; s < sides; s++) {
        const i = first + r * (sides + 1) + s;
        indices.push(i, i + 1, i + sides + 2, i, i + sides + 2, i + sides + 1);
      }
  });
  const vec = (type: 'VEC2' | 'VEC3' | 'VEC4', array: Float32Array | Uint16Array) =>
    document
      .createAccessor()
      .setType(type)
      .setArray(array as Float32Array<ArrayBuffer>);
  const material = document
    .createMaterial('Skin')
    .setBaseColorFactor([0.75, 0.5, 0.4, 1])
    .setRoughnessFactor(0.6)
    .setMetallicFactor(0);
  const lift = new Float32Array(positions.length);
  for (let i = 0; i < positions.length; i += 3)
    if (positions[i + 1] > 1.5) lift[i + 1] = 0.01 * (positions[i + 1] - 1.5);
  const prim = document
    .createPrimitive()
    .setMaterial(material)
    .setAttribute('POSITION', vec('VEC3', new Float32Array(positions)))
    .setAttribute('NORMAL', vec('VEC3', vertexNormals(positions, indices)))
    .setAttribute('TEXCOORD_0', vec('VEC2', new Float32Array(uv)))
    .setAttribute('JOINTS_0', vec('VEC4', new Uint16Array(joints)))
    .setAttribute('WEIGHTS_0', vec('VEC4', new Float32Array(weights)))
    .setIndices(
      document
        .createAccessor()
        .setType('SCALAR')
        .setArray(positions.length < 196_608 ? new Uint16Array(indices) : new Uint32Array(indices)),
    )
    .addTarget(document.createPrimitiveTarget('lift').setAttribute('POSITION', vec('VEC3', lift)));
  scene.addChild(
    document
      .createNode('Body')
      .setMesh(
        document
          .createMesh('Body')
          .addPrimitive(prim)
          .setExtras({ targetNames: ['lift'] }),
      )
      .setSkin(skin),
  );
  return document;
}
