import type { Material } from '@gltf-transform/core';
import { type Deformer, floatsOf, type Part } from '../character/index.ts';
import { ProblemError } from '../problem.ts';
import type { Maps } from './maps.ts';
import { PLAIN, sceneMaterial, throughOf } from './material.ts';
import type { Scene, SceneMaterial, ScenePart } from './scene.ts';

const MOST_PARTS = 65_535;

/** How a figure's materials are read, where not as they stand in its document. */
export interface Reading {
  /** Has the maps and factors of a material, whatever it says of transparency. */
  maps(material: Material): Material;
  /** Its surface is solid, whatever it says. */
  solid(part: Part): boolean;
}
const AS_IT_STANDS: Reading = { maps: (material) => material, solid: () => false };

/**
 * A figure as flat arrays, standing at rest; {@link poseScene} puts it into a pose.
 * @throws ProblemError appearance.parts where it has too many parts to be told apart
 */
export async function createScene(deformer: Deformer, maps: Maps, reading = AS_IT_STANDS): Promise<Scene> {
  const { ranges, indices, vertices } = deformer;
  if (ranges.length > MOST_PARTS)
    throw new ProblemError(
      'appearance.parts',
      `The character has ${ranges.length.toLocaleString('en-GB')} parts, more than can be drawn. Join parts first.`,
    );
  const places = new Map<Material | null, number>(),
    materials: SceneMaterial[] = [],
    parts: ScenePart[] = [],
    partOf = new Uint16Array(indices.length / 3);
  for (const [id, { part, ...range }] of ranges.entries()) {
    let material = places.get(part.material);
    if (material === undefined) {
      material = materials.push(await read(part, maps, reading)) - 1;
      places.set(part.material, material);
    }
    partOf.fill(id, range.firstTriangle, range.firstTriangle + range.triangles);
    parts.push({ name: part.name, role: part.role, material, ...range });
  }
  for (const [core, edge] of twoPasses(ranges.map(({ part }) => part))) {
    const [a, b] = [places.get(core.material) as number, places.get(edge.material) as number];
    materials[a] = { ...materials[a], core: true };
    // What shows of either is one material's.
    materials[b] = { ...materials[b], name: materials[a].name };
  }
  const scene: Scene = {
    vertices,
    position: new Float32Array(vertices * 3),
    normal: new Float32Array(vertices * 3),
    uv: uvSets(deformer, materials),
    color: vertexColors(deformer),
    index: indices,
    partOf,
    parts,
    materials,
  };
  poseScene(scene, deformer);
  return scene;
}

/** Parts that are drawn twice: cut out, and from the same vertices with the same map once more, blended. */
export function twoPasses(parts: readonly Part[]): [core: Part, edge: Part][] {
  const edges = new Map<unknown, Part>();
  for (const part of parts)
    if (part.material?.getAlphaMode() === 'BLEND') edges.set(part.prim.getAttribute('POSITION'), part);
  return parts.flatMap((part): [Part, Part][] => {
    const edge = edges.get(part.prim.getAttribute('POSITION')),
      { material } = part;
    return edge &&
      material?.getAlphaMode() === 'MASK' &&
      edge.node === part.node &&
      edge.material?.getBaseColorTexture() === material.getBaseColorTexture()
      ? [[part, edge]]
      : [];
  });
}

function read(part: Part, maps: Maps, reading: Reading): Promise<SceneMaterial> | SceneMaterial {
  const { material } = part;
  if (!material) return PLAIN;
  const through = throughOf(material);
  return sceneMaterial(
    reading.maps(material),
    maps,
    reading.solid(part) ? { ...through, mode: 'OPAQUE', opacity: 1 } : through,
  );
}

/** Sets of UVs up to the highest that a map lies by; zeros where a part has none. */
export function uvSets(
  { ranges, vertices }: Deformer,
  materials: readonly Pick<SceneMaterial, 'sets'>[],
): Float32Array[] {
  const used = materials.reduce((sets, material) => sets | material.sets, 0),
    out: Float32Array[] = [];
  for (let set = 0; used >> set; set++) {
    const all = new Float32Array(vertices * 2);
    for (const { part, firstVertex } of ranges) {
      const accessor = part.prim.getAttribute(`TEXCOORD_${set}`);
      if (accessor) all.set(floatsOf(accessor), firstVertex * 2);
    }
    out.push(all);
  }
  return out;
}

function vertexColors({ ranges, vertices }: Deformer): Float32Array | null {
  if (!ranges.some(({ part }) => part.prim.getAttribute('COLOR_0'))) return null;
  const out = new Float32Array(vertices * 4).fill(1);
  for (const { part, firstVertex } of ranges) {
    const accessor = part.prim.getAttribute('COLOR_0');
    if (!accessor) continue;
    const values = floatsOf(accessor),
      size = accessor.getElementSize();
    for (let v = 0; v < values.length / size; v++)
      for (let k = 0; k < size; k++) out[(firstVertex + v) * 4 + k] = values[v * size + k];
  }
  return out;
}

/** Puts a scene's figure into a pose. @param posed global joint matrices; at rest where left out */
export function poseScene(
  scene: Scene,
  deformer: Deformer,
  posed?: Float64Array,
  morphs: Readonly<Record<string, number>> = {},
): void {
  deformer.evaluate(scene.position, {}, posed);
  deformer.evaluateNormals(scene.normal, scene.position, posed);
  // Directions are those without morphs, of both figures alike: what is looked for is what shows.
  if (Object.keys(morphs).length) deformer.evaluate(scene.position, { ...morphs }, posed);
}
