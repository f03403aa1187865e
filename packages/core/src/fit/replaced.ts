import type { Document, Material, Mesh } from '@gltf-transform/core';
import { floatsOf, isWorn, mapsOf, morphNamesOf, ownOf, trianglesOf } from '../character/index.ts';
import type { Skin } from '../wrap/index.ts';

/** A stretch of what was replaced: one part with one material. */
export interface ReplacedPart {
  name: string;
  material: Material | null;
  mesh: Mesh;
  firstVertex: number;
  vertices: number;
  firstTriangle: number;
  triangles: number;
  /** By what a movement of a morph's name is found; xyz per vertex of the part. */
  morph(name: string): Float32Array | null;
  morphs: readonly string[];
}

/** Skin that another figure's took the place of, at rest in character space; kept until all is carried over. */
export interface Replaced {
  positions: Float32Array;
  normals: Float32Array;
  /** Three per triangle, over all vertices. */
  indices: Uint32Array;
  parts: readonly ReplacedPart[];
}

/** Keeps a figure's skin as it stands as meshes that no node draws, morphs with it. */
export function keepReplaced(document: Document, deformer: Skin['deformer'], rest: Float32Array): void {
  const posed = new Float32Array(rest.length),
    names = [...new Set(deformer.ranges.flatMap(({ part }) => part.morphNames))],
    normals = deformer.evaluateNormals(new Float32Array(rest.length), rest),
    meshes = deformer.ranges.map(({ part, firstVertex, vertices }) => {
      const prim = document.createPrimitive().setMaterial(part.material),
        own = (all: Float32Array) => all.slice(firstVertex * 3, (firstVertex + vertices) * 3),
        put = (semantic: string, values: Float32Array<ArrayBuffer>) =>
          prim.setAttribute(semantic, document.createAccessor().setType('VEC3').setArray(values));
      put('POSITION', own(rest));
      put('NORMAL', own(normals));
      for (const semantic of part.prim.listSemantics())
        if (/^(TEXCOORD|COLOR)_/.test(semantic)) prim.setAttribute(semantic, part.prim.getAttribute(semantic));
      prim.setIndices(
        document
          .createAccessor()
          .setType('SCALAR')
          .setArray(trianglesOf(part.prim) as Uint32Array<ArrayBuffer>),
      );
      return document
        .createMesh(part.id)
        .addPrimitive(prim)
        .setExtras({ [KEPT]: true, targetNames: [] });
    });
  const lists = meshes.map((): string[] => []);
  for (const name of names) {
    deformer.evaluate(posed, { [name]: 1 });
    for (let k = 0; k < posed.length; k++) posed[k] -= rest[k];
    deformer.ranges.forEach(({ part, firstVertex, vertices }, i) => {
      if (!part.morphNames.includes(name)) return;
      lists[i].push(name);
      meshes[i].listPrimitives()[0].addTarget(
        document.createPrimitiveTarget(name).setAttribute(
          'POSITION',
          document
            .createAccessor()
            .setType('VEC3')
            .setArray(posed.slice(firstVertex * 3, (firstVertex + vertices) * 3))
            .setSparse(true),
        ),
      );
    });
  }
  meshes.forEach((mesh, i) => mesh.setExtras({ [KEPT]: true, targetNames: lists[i] }));
}
const KEPT = 'dimetraReplaced';

const keptMeshes = (document: Document): Mesh[] =>
  document
    .getRoot()
    .listMeshes()
    .filter((mesh) => mesh.getExtras()[KEPT] === true);

/** What was kept; null where nothing is. */
export function replacedIn(document: Document): Replaced | null {
  const meshes = keptMeshes(document);
  if (!meshes.length) return null;
  const prims = meshes.map((mesh) => mesh.listPrimitives()[0]),
    floats = (semantic: string) =>
      prims.map((prim) => {
        const accessor = prim.getAttribute(semantic);
        return accessor ? floatsOf(accessor) : new Float32Array(0);
      }),
    positions = floats('POSITION'),
    triangles = prims.map(trianglesOf),
    parts: ReplacedPart[] = [];
  let firstVertex = 0,
    firstTriangle = 0;
  meshes.forEach((mesh, i) => {
    const morphs = morphNamesOf(mesh);
    parts.push({
      name: mesh.getName(),
      mesh,
      material: prims[i].getMaterial(),
      firstVertex,
      vertices: positions[i].length / 3,
      firstTriangle,
      triangles: triangles[i].length / 3,
      morphs,
      morph: (name) => {
        const delta = prims[i].listTargets()[morphs.indexOf(name)]?.getAttribute('POSITION');
        return delta ? floatsOf(delta) : null;
      },
    });
    firstVertex += positions[i].length / 3;
    firstTriangle += triangles[i].length / 3;
  });
  return {
    positions: joined(positions),
    normals: joined(floats('NORMAL')),
    indices: Uint32Array.from(triangles.flatMap((own, i) => Array.from(own, (v) => v + parts[i].firstVertex))),
    parts,
  };
}

/** Lets go of what was kept, of the places on it, and of materials and images that only it wore. */
export function dropReplaced(document: Document): void {
  const materials = new Set<Material>();
  for (const mesh of keptMeshes(document)) {
    for (const prim of mesh.listPrimitives()) {
      const material = prim.getMaterial();
      if (material) materials.add(material);
      for (const target of prim.listTargets()) target.dispose();
      prim.dispose();
    }
    mesh.dispose();
  }
  for (const material of materials)
    if (material.listParents().every((parent) => parent.propertyType === 'Root')) dropMaterial(document, material);
  for (const mesh of document.getRoot().listMeshes())
    for (const prim of mesh.listPrimitives()) {
      prim.setAttribute(FROM_TRIANGLE, null);
      prim.setAttribute(FROM_SHARES, null);
      prim.setAttribute(OWN_PLACE, null);
    }
}

/** Lets go of a material, and of images that only it wore. */
export function dropMaterial(document: Document, material: Material): void {
  const textures = mapsOf(material).map(({ texture }) => texture);
  material.dispose();
  const named = new Set(
    document
      .getRoot()
      .listMaterials()
      .flatMap((one) => Object.values(ownOf(one, 'maps') ?? {})),
  );
  for (const texture of textures)
    if (!texture.isDisposed() && !isWorn(texture) && !named.has(texture.getName())) texture.dispose();
}

/** Attributes by which a vertex knows its place on what was replaced: number of the triangle, −1 for none, and shares of corners 2 and 3. */
export const FROM_TRIANGLE = '_FROM_TRIANGLE';
export const FROM_SHARES = '_FROM_SHARES';
/** Attribute of where a vertex would lie by itself, the other figure's limbs alone laid on this one's. */
export const OWN_PLACE = '_OWN_PLACE';

function joined(lists: readonly Float32Array[]): Float32Array {
  const out = new Float32Array(lists.reduce((sum, list) => sum + list.length, 0));
  let at = 0;
  for (const list of lists) {
    out.set(list, at);
    at += list.length;
  }
  return out;
}
