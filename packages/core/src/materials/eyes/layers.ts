import type { Document, Material } from '@gltf-transform/core';
import { freeName, type Influences, listMorphNames, listParts, writeInfluences } from '../../character/index.ts';
import { unit, vertexNormals } from '../../geometry/index.ts';
import type { ImageCodec } from '../../pixels/index.ts';
import { type EyeLayer, LAYER_NAMES, materialOf } from './layer-material.ts';
import { type Lids, lidsOf } from './lids.ts';
import { AROUND, type Gaze, gazeOf, type Opening, openingsOf, placeOf } from './opening.ts';
import { SHADE, stripAt, stripFaces, WATER } from './strips.ts';

const ROWS: Record<EyeLayer, typeof WATER> = { tear: WATER, shade: SHADE };

export interface EyeLayersMade {
  made: { layer: EyeLayer; part: string; triangles: number; morphs: number }[];
  /** Why one that was asked for isn't made. */
  not: { layer: EyeLayer; why: string }[];
}

/** Layers that a figure with eyes has not got. */
export function missingLayers(document: Document, asked: readonly EyeLayer[]): EyeLayer[] {
  const kinds = new Set(listParts(document).map(({ kind }) => kind));
  return kinds.has('eye') ? asked.filter((layer) => !kinds.has(layer)) : [];
}

/**
 * Makes what is missing between lids and eyeballs: a line of water where the lids meet the ball, and a soft shade under
 * them. Both hang on the lids: in every morph they are laid anew from where the lids are then, and they bend by the lids'
 * weights.
 * @param mostInfluences joints of a vertex that the target allows
 */
export async function addEyeLayers(
  document: Document,
  asked: readonly EyeLayer[],
  images: ImageCodec,
  mostInfluences: number,
): Promise<EyeLayersMade> {
  const layers = missingLayers(document, asked),
    out: EyeLayersMade = { made: [], not: [] };
  if (!layers.length) return out;
  const gaze = gazeOf(document),
    openings = openingsOf(gaze),
    lids = openings.length ? lidsOf(gaze, openings, Math.min(MOST_JOINTS, mostInfluences)) : null,
    why = !openings.length
      ? 'no lids were found around the eyeballs that stand open at rest'
      : !lids
        ? 'the skin around the eyes does not stand where its mesh has it'
        : null;
  for (const layer of layers) {
    const material = lids && (await materialOf(document, layer, images));
    if (!lids || !material) out.not.push({ layer, why: why ?? 'no image can be written here' });
    else out.made.push({ layer, ...addLayer(document, layer, material, gaze, openings, lids) });
  }
  return out;
}

/** Joints that a place hangs on at most, where the target allows more. */
const MOST_JOINTS = 8;

function addLayer(
  document: Document,
  layer: EyeLayer,
  material: Material,
  gaze: Gaze,
  openings: readonly Opening[],
  { node, skin, off, influences }: Lids,
): { part: string; triangles: number; morphs: number } {
  const rows = ROWS[layer],
    columns = AROUND + 1,
    /** Corners of all strips; the first column stands at the end once more, so that a map goes around. */
    cornersAt = (positions: Float32Array): Float32Array =>
      Float32Array.from(
        openings.flatMap((opening) => {
          const places = stripAt(
            gaze,
            opening,
            opening.margin.map((lid) => placeOf(lid, positions)),
            rows,
          );
          return rows.flatMap((_, r) =>
            Array.from({ length: columns }, (__, i) => places[r * AROUND + (i % AROUND)]).flat(),
          );
        }),
      ),
    faces = openings.flatMap((_, eye) => stripFaces(rows.length, AROUND).map((v) => v + eye * rows.length * columns));
  const vec = (array: Float32Array<ArrayBuffer>, type: 'VEC2' | 'VEC3') =>
    document.createAccessor().setType(type).setArray(array);
  const base = Float32Array.from(cornersAt(gaze.rest)),
    normals = closedNormals(base, faces, columns),
    uv = Float32Array.from(
      openings.flatMap(() =>
        rows.flatMap((_, r) => Array.from({ length: columns }, (__, i) => [i / AROUND, r / (rows.length - 1)]).flat()),
      ),
    );
  const prim = document
    .createPrimitive()
    .setMaterial(material)
    .setAttribute(
      'POSITION',
      vec(
        base.map((x, i) => x - off[i % 3]),
        'VEC3',
      ),
    )
    .setAttribute('NORMAL', vec(Float32Array.from(normals), 'VEC3'))
    .setAttribute('TEXCOORD_0', vec(uv, 'VEC2'))
    .setIndices(document.createAccessor().setType('SCALAR').setArray(Uint16Array.from(faces)));
  if (skin)
    writeInfluences(
      document,
      prim,
      packed(
        openings.flatMap(({ margin }) =>
          rows.flatMap(() => Array.from({ length: columns }, (_, i) => influences(margin[i % AROUND]))),
        ),
      ),
    );
  const names: string[] = [],
    moved = new Float32Array(gaze.rest.length),
    lids = openings.flatMap(({ margin }) => margin.flatMap(({ corners }) => corners));
  for (const name of listMorphNames(document)) {
    gaze.deformer.evaluate(moved, { [name]: 1 });
    if (!lids.some((v) => [0, 1, 2].some((k) => Math.abs(moved[v * 3 + k] - gaze.rest[v * 3 + k]) > STILL))) continue;
    const there = cornersAt(moved);
    names.push(name);
    prim.addTarget(
      document.createPrimitiveTarget(name).setAttribute(
        'POSITION',
        vec(
          there.map((x, i) => x - base[i]),
          'VEC3',
        ),
      ),
    );
  }
  const name = freeName(
      LAYER_NAMES[layer],
      new Set(
        document
          .getRoot()
          .listNodes()
          .map((one) => one.getName()),
      ),
      '_',
    ),
    mesh = document.createMesh(name).addPrimitive(prim),
    own = document.createNode(name).setMesh(mesh).setSkin(skin);
  if (names.length) mesh.setExtras({ targetNames: names }).setWeights(names.map(() => 0));
  const above = node.getParentNode();
  if (above) above.addChild(own.setMatrix(node.getMatrix()));
  else {
    own.setMatrix(node.getMatrix());
    (document.getRoot().getDefaultScene() ?? document.getRoot().listScenes()[0])?.addChild(own);
  }
  return { part: name, triangles: faces.length / 3, morphs: names.length };
}
/** A morph that moves the lids less than this does not, metres. */
const STILL = 2e-6;

/** Normals that go on over the seam. */
function closedNormals(positions: Float32Array, faces: readonly number[], columns: number): Float32Array {
  const normals = vertexNormals(positions, faces);
  for (let first = 0; first < positions.length / 3; first += columns) {
    const [a, b] = [first * 3, (first + columns - 1) * 3],
      mean = unit([0, 1, 2].map((k) => normals[a + k] + normals[b + k]));
    normals.set(mean, a);
    normals.set(mean, b);
  }
  return normals;
}

function packed(rows: readonly (readonly [number, number])[][]): Influences {
  const out: Influences = {
    perVertex: MOST_JOINTS,
    joints: new Uint16Array(rows.length * MOST_JOINTS),
    weights: new Float32Array(rows.length * MOST_JOINTS),
  };
  rows.forEach((row, v) =>
    row.forEach(([joint, weight], n) => {
      out.joints[v * MOST_JOINTS + n] = joint;
      out.weights[v * MOST_JOINTS + n] = weight;
    }),
  );
  return out;
}
