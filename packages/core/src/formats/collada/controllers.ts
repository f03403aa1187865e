import { childOf, type XmlNode } from '../text/xml.ts';
import { tight } from './geometry.ts';
import { type Collada, inputsOf, nameOf, whole } from './source.ts';

export interface ColladaSkin {
  /** Names of joints, as sids or ids. */
  joints: string[];
  byId: boolean;
  /** Inverse binds times the bind shape, column major, 16 per joint. */
  binds: Float64Array;
  /** First influence of each point, and one past the last. */
  start: Uint32Array;
  joint: Int32Array;
  weight: Float32Array;
}
export interface ColladaMorph {
  name: string /** Position deltas per point, xyz. */;
  deltas: Float64Array;
  weight: number;
}
/** A controller followed down to the geometry it shapes. */
export interface ColladaController {
  geometry: XmlNode;
  skin: ColladaSkin | null;
  morphs: ColladaMorph[];
}

/** Follows skins and morphs, in whichever order they stack, down to the mesh. @throws ProblemError collada.* */
export function readController(file: Collada, controller: XmlNode, depth = 0): ColladaController {
  if (depth > 16) throw file.bad('controllers are stacked in a circle');
  const skin = childOf(controller, 'skin'),
    morph = childOf(controller, 'morph');
  const inner = skin ?? morph;
  const source = file.find(inner?.attributes.source);
  if (!inner || !source) throw file.bad(`the controller “${nameOf(controller)}” shapes nothing that the file holds`);
  const below: ColladaController =
    source.name === 'controller'
      ? readController(file, source, depth + 1)
      : { geometry: source, skin: null, morphs: [] };
  if (skin) return { ...below, skin: readSkin(file, skin, nameOf(controller)) };
  return { ...below, morphs: [...below.morphs, ...readMorph(file, inner, below.geometry, nameOf(controller))] };
}

function readSkin(file: Collada, skin: XmlNode, name: string): ColladaSkin {
  const joints = childOf(skin, 'joints'),
    weights = childOf(skin, 'vertex_weights');
  const of = (node: XmlNode | null, semantic: string) =>
    node ? inputsOf(node).find((input) => input.semantic === semantic) : undefined;
  const named = file.source(of(joints, 'JOINT')?.source, `the skin “${name}”`);
  const inverse = file.source(of(joints, 'INV_BIND_MATRIX')?.source, `the skin “${name}”`);
  const jointInput = of(weights, 'JOINT'),
    weightInput = of(weights, 'WEIGHT');
  if (!named.names || !weights || !jointInput || !weightInput)
    throw file.bad(`the skin “${name}” has no joints or no weights`);
  const listed = file.source(jointInput.source, `the skin “${name}”`).names ?? named.names;
  // Weights may list joints in another order than the binds do.
  const order = listed.map((joint) => (named.names as string[]).indexOf(joint));
  const values = file.source(weightInput.source, `the skin “${name}”`);
  const width = Math.max(...inputsOf(weights).map((input) => input.offset)) + 1;
  const counts = file.numbers(childOf(weights, 'vcount')),
    v = file.numbers(childOf(weights, 'v'));
  const start = new Uint32Array(counts.length + 1);
  for (let i = 0; i < counts.length; i++) start[i + 1] = start[i] + Math.max(0, counts[i]);
  const total = start[counts.length];
  if (total * width > v.length) throw file.bad(`the weights of “${name}” stop too early`);
  const joint = new Int32Array(total),
    weight = new Float32Array(total);
  for (let i = 0; i < total; i++) {
    const j = v[i * width + jointInput.offset],
      w = v[i * width + weightInput.offset];
    if (j >= listed.length || j < -1 || !(w >= 0 && w < values.count))
      throw file.bad(`a weight of “${name}” names joint ${j} or value ${w}, which is not there`);
    joint[i] = j < 0 ? -1 : order[j];
    const value = values.values[values.offset + w * values.stride];
    weight[i] = Number.isFinite(value) && value > 0 ? value : 0;
  }
  const shape = file.numbers(childOf(skin, 'bind_shape_matrix'));
  return {
    joints: named.names,
    byId: Boolean(file.find(of(joints, 'JOINT')?.source)?.children.some((child) => child.name === 'IDREF_array')),
    binds: bindMatrices(
      inverse.values,
      inverse.offset,
      named.names.length,
      shape.length === 16 ? shape : null,
      file,
      name,
    ),
    start,
    joint,
    weight,
  };
}

function bindMatrices(
  values: Float64Array,
  offset: number,
  joints: number,
  shape: Float64Array | null,
  file: Collada,
  name: string,
): Float64Array {
  if (values.length - offset < joints * 16) throw file.bad(`the skin “${name}” has fewer bind matrices than joints`);
  const out = new Float64Array(joints * 16);
  for (let j = 0; j < joints; j++)
    for (let row = 0; row < 4; row++)
      for (let column = 0; column < 4; column++) {
        const at = offset + j * 16 + row * 4;
        let sum = 0;
        if (shape) for (let k = 0; k < 4; k++) sum += values[at + k] * shape[k * 4 + column];
        else sum = values[at + column];
        out[j * 16 + column * 4 + row] = sum;
      }
  return out;
}

function readMorph(file: Collada, morph: XmlNode, base: XmlNode, name: string): ColladaMorph[] {
  const relative = morph.attributes.method === 'RELATIVE';
  const targets = childOf(morph, 'targets');
  const inputs = targets ? inputsOf(targets) : [];
  const names =
    file.source(inputs.find((input) => input.semantic === 'MORPH_TARGET')?.source, `the morph “${name}”`).names ?? [];
  const weightSource = inputs.find((input) => input.semantic === 'MORPH_WEIGHT')?.source;
  const weights = weightSource ? file.source(weightSource, `the morph “${name}”`) : null;
  const basePoints = pointsOf(file, base);
  return names.flatMap((id, i) => {
    const geometry = file.find(id);
    const points = geometry ? pointsOf(file, geometry) : null;
    if (!geometry || !points || !basePoints || points.length !== basePoints.length) {
      file.say({
        code: 'collada.morph',
        severity: 'warning',
        message: `The morph target “${id}” ${points ? 'has another number of points than its base' : 'is missing'}; it was left out.`,
        where: id,
      });
      return [];
    }
    const deltas = points.slice();
    if (!relative) for (let k = 0; k < deltas.length; k++) deltas[k] -= basePoints[k];
    return [
      {
        name: nameOf(geometry, `morph ${i + 1}`),
        deltas,
        weight:
          weights && whole(String(i), 0) < weights.count ? weights.values[weights.offset + i * weights.stride] : 0,
      },
    ];
  });
}

function pointsOf(file: Collada, geometry: XmlNode): Float64Array | null {
  const vertices = childOf(childOf(geometry, 'mesh'), 'vertices');
  const input = vertices && inputsOf(vertices).find((entry) => entry.semantic === 'POSITION');
  return input ? tight(file.source(input.source, nameOf(geometry)), 3) : null;
}
