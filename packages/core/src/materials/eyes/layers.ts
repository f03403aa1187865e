import type { Document, Material, Node, Skin } from '@gltf-transform/core';
import { KHRMaterialsIOR, KHRMaterialsSpecular } from '@gltf-transform/extensions';
import {
  floatsOf,
  freeName,
  type Influences,
  influencesOf,
  listMorphNames,
  listParts,
  writeInfluences,
} from '../../character/index.ts';
import { unit, vertexNormals } from '../../geometry/index.ts';
import type { ImageCodec } from '../../pixels/index.ts';
import { AROUND, type Gaze, gazeOf, type OnLid, type Opening, openingsOf, placeOf } from './opening.ts';
import { SHADE, stripAt, stripFaces, WATER } from './strips.ts';

/** What can lie between lids and eyeball. */
export const EYE_LAYERS = ['tear', 'shade'] as const;
export type EyeLayer = (typeof EYE_LAYERS)[number];

const NAMES: Record<EyeLayer, string> = { tear: 'Tear_Line', shade: 'Lid_Shade' },
  ROWS = { tear: WATER, shade: SHADE };

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
    head = openings.length ? headOf(gaze, openings, Math.min(MOST_JOINTS, mostInfluences)) : null,
    why = !openings.length
      ? 'no lids were found around the eyeballs that stand open at rest'
      : !head
        ? 'the skin around the eyes does not stand where its mesh has it'
        : null;
  for (const layer of layers) {
    const material = head && (await materialOf(document, layer, images));
    if (!head || !material) out.not.push({ layer, why: why ?? 'no image can be written here' });
    else out.made.push({ layer, ...addLayer(document, layer, material, gaze, openings, head) });
  }
  return out;
}

/** Where what hangs on the lids belongs. */
interface Head {
  node: Node;
  skin: Skin | null;
  /** How far it stands from where its mesh has it, metres. */
  off: readonly number[];
  /** What moves a place on the lids: places of joints in the skin, and weights that sum to one. */
  influences(place: OnLid): [joint: number, weight: number][];
}

/** Null where lids don't stand where their meshes have them: what is made there would bend otherwise. */
function headOf({ deformer, rest }: Gaze, openings: readonly Opening[], mostInfluences: number): Head | null {
  const partOf = (v: number) =>
      deformer.ranges.find(({ firstVertex, vertices }) => v >= firstVertex && v < firstVertex + vertices),
    lids = new Set(openings.flatMap(({ margin }) => margin.flatMap(({ corners }) => corners))),
    meshes = new Map([...lids].map((v) => [v, partOf(v)]));
  const own = new Map(
    [...new Set(meshes.values())].flatMap((range) => {
      const position = range?.part.prim.getAttribute('POSITION');
      return range && position
        ? [[range, { at: floatsOf(position), influences: influencesOf(range.part.prim) }] as const]
        : [];
    }),
  );
  let off: number[] | null = null;
  for (const [v, range] of meshes) {
    const mesh = range && own.get(range);
    if (!range || !mesh) return null;
    const here = [0, 1, 2].map((k) => rest[v * 3 + k] - mesh.at[(v - range.firstVertex) * 3 + k]);
    off ??= here;
    for (let k = 0; k < 3; k++) if (Math.abs(here[k] - off[k]) > 1e-5) return null;
  }
  const [first] = meshes.values();
  if (!first || !off) return null;
  const { node } = first.part,
    skin = node.getSkin(),
    place = new Map(skin?.listJoints().map((joint, i) => [joint, i]));
  const influences = ({ corners, shares }: OnLid) => {
    const sum = new Map<number, number>();
    corners.forEach((v, c) => {
      const range = meshes.get(v),
        found = range && own.get(range)?.influences,
        joints = range?.part.node.getSkin()?.listJoints() ?? [];
      if (!found || !range) return;
      const { perVertex } = found;
      for (let n = 0, o = (v - range.firstVertex) * perVertex; n < perVertex; n++, o++) {
        const joint = place.get(joints[found.joints[o]]);
        if (joint !== undefined && found.weights[o] > 0)
          sum.set(joint, (sum.get(joint) ?? 0) + found.weights[o] * shares[c]);
      }
    });
    const strongest = [...sum].sort((a, b) => b[1] - a[1] || a[0] - b[0]).slice(0, mostInfluences),
      total = strongest.reduce((all, [, weight]) => all + weight, 0) || 1;
    return strongest.map(([joint, weight]): [number, number] => [joint, weight / total]);
  };
  return { node, skin, off, influences };
}
/** Joints that a place hangs on at most, where the target allows more. */
const MOST_JOINTS = 8;

function addLayer(
  document: Document,
  layer: EyeLayer,
  material: Material,
  gaze: Gaze,
  openings: readonly Opening[],
  { node, skin, off, influences }: Head,
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
      NAMES[layer],
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

/** Opacity of the shade where the lids begin. */
const DARKEST = 0.6;
const RAMP = 32;

async function materialOf(document: Document, layer: EyeLayer, images: ImageCodec): Promise<Material | null> {
  const material = document
    .createMaterial(
      freeName(
        NAMES[layer],
        new Set(
          document
            .getRoot()
            .listMaterials()
            .map((one) => one.getName()),
        ),
        '_',
      ),
    )
    .setAlphaMode('BLEND')
    .setMetallicFactor(0);
  if (layer === 'tear') {
    // Water (Hale & Querry 1973): index of refraction 1.33.
    const ior = document.createExtension(KHRMaterialsIOR).createIOR().setIOR(1.333);
    return material.setBaseColorFactor([1, 1, 1, 0.12]).setRoughnessFactor(0.03).setExtension('KHR_materials_ior', ior);
  }
  if (!images.encode) return null;
  // From the edge under the lid inwards: nothing, deepest, and gone.
  const data = new Uint8Array(RAMP * 4 * 4);
  for (let y = 0; y < RAMP; y++) {
    const way = (y + 0.5) / RAMP,
      t = Math.max(0, Math.min(1, (way - 0.3) / 0.7)),
      left = 1 - t * t * (3 - 2 * t);
    for (let x = 0; x < 4; x++) data.set([40, 18, 16, Math.round(255 * DARKEST * left)], (y * 4 + x) * 4);
  }
  const map = document
      .createTexture(`${material.getName()}_color`)
      .setMimeType('image/png')
      .setImage(await images.encode({ width: 4, height: RAMP, data })),
    specular = document.createExtension(KHRMaterialsSpecular).createSpecular().setSpecularFactor(0);
  material.setBaseColorTexture(map).setRoughnessFactor(1).setExtension('KHR_materials_specular', specular);
  material.getBaseColorTextureInfo()?.setWrapS(33071).setWrapT(33071);
  return material;
}
