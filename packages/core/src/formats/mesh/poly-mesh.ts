import type { Document, Material, Primitive } from '@gltf-transform/core';
import { clipEars } from './triangulate.ts';

/** One attribute of polygon corners, stored once and named by index. */
export interface CornerLayer {
  /** Numbers per element: 3 for normals, 2 for texture places, 3 or 4 for colours. */
  size: number;
  values: ArrayLike<number>;
  /** Index into `values` for each corner; −1 where a corner has none. */
  index: Int32Array;
}

/** A mesh as polygon formats hold it: shared points, polygons of any size, layers with indices of their own. */
export interface PolyMesh {
  name: string;
  /** Points, xyz each. */
  points: ArrayLike<number>;
  /** Point of each corner. */
  corners: Int32Array;
  /** First corner of each polygon, and one past the last. */
  faceStart: Uint32Array;
  /** Material of each polygon, an index into the caller's list; −1 for none. */
  faceMaterial: Int32Array;
  /** Smoothing group of each polygon, 0 for flat; without it everything is smooth. */
  faceGroup?: Int32Array;
  normal?: CornerLayer;
  uv: CornerLayer[];
  color?: CornerLayer;
}

export interface BuiltPrimitive {
  prim: Primitive;
  material: number;
  /** The point that each vertex was made of: weights and morphs are spread through it. */
  origin: Uint32Array;
}

/**
 * Triangle primitives of a polygon mesh, one per material, each vertex made once for the same point and layer
 * values. Missing normals are made, area-weighted within smoothing groups. v of texture places is turned over:
 * these formats count upwards, glTF downwards.
 */
export function buildPrimitives(
  document: Document,
  mesh: PolyMesh,
  materials: readonly (Material | null)[],
): BuiltPrimitive[] {
  const normal = mesh.normal ?? smoothNormals(mesh);
  const byMaterial = new Map<number, number[]>();
  for (let f = 0; f < mesh.faceMaterial.length; f++) {
    const list = byMaterial.get(mesh.faceMaterial[f]);
    if (list) list.push(f);
    else byMaterial.set(mesh.faceMaterial[f], [f]);
  }
  const layers: CornerLayer[] = [normal, ...mesh.uv, ...(mesh.color ? [mesh.color] : [])];
  return [...byMaterial].map(([material, faces]) => {
    const { corners, indices } = weldCorners(mesh, layers, faces);
    const prim = document.createPrimitive().setMaterial(materials[material] ?? null);
    const put = (semantic: string, type: 'VEC2' | 'VEC3' | 'VEC4', array: Float32Array<ArrayBuffer>) =>
      prim.setAttribute(semantic, document.createAccessor().setType(type).setArray(array));
    const origin = new Uint32Array(corners.length);
    for (let v = 0; v < origin.length; v++) origin[v] = mesh.corners[corners[v]];
    put('POSITION', 'VEC3', spread(mesh.points, 3, origin));
    const normals = pick(normal, corners, 3);
    unitRows(normals);
    put('NORMAL', 'VEC3', normals);
    mesh.uv.forEach((layer, i) => {
      const uv = pick(layer, corners, 2);
      for (let k = 1; k < uv.length; k += 2) uv[k] = 1 - uv[k];
      put(`TEXCOORD_${i}`, 'VEC2', uv);
    });
    if (mesh.color) put('COLOR_0', mesh.color.size === 4 ? 'VEC4' : 'VEC3', pick(mesh.color, corners, mesh.color.size));
    prim.setIndices(
      document
        .createAccessor()
        .setType('SCALAR')
        .setArray(corners.length < 65_536 ? Uint16Array.from(indices) : indices),
    );
    return { prim, material, origin };
  });
}

/** Values of `size` numbers spread from points to vertices. */
export function spread(values: ArrayLike<number>, size: number, origin: ArrayLike<number>): Float32Array<ArrayBuffer> {
  const out = new Float32Array(origin.length * size);
  if (size === 3)
    for (let v = 0, to = 0; v < origin.length; v++) {
      const from = origin[v] * 3;
      out[to++] = values[from];
      out[to++] = values[from + 1];
      out[to++] = values[from + 2];
    }
  else
    for (let v = 0; v < origin.length; v++)
      for (let k = 0; k < size; k++) out[v * size + k] = values[origin[v] * size + k];
  return out;
}

/** Whether storing just the numbers that aren't zero saves room. */
export function isSparse(values: Float32Array): boolean {
  const enough = values.length / 3;
  let used = 0;
  for (let i = 0; i < values.length; i++) if (values[i] !== 0 && ++used >= enough) return false;
  return used > 0;
}

function pick(layer: CornerLayer, corners: Uint32Array, size: number): Float32Array<ArrayBuffer> {
  const out = new Float32Array(corners.length * size);
  for (let v = 0; v < corners.length; v++) {
    const from = layer.index[corners[v]];
    if (from >= 0) for (let k = 0; k < size; k++) out[v * size + k] = layer.values[from * layer.size + k] ?? 0;
  }
  return out;
}

function unitRows(normals: Float32Array): void {
  for (let i = 0; i < normals.length; i += 3) {
    const l = Math.sqrt(normals[i] * normals[i] + normals[i + 1] * normals[i + 1] + normals[i + 2] * normals[i + 2]);
    if (l > 1e-12 && Number.isFinite(l)) {
      normals[i] /= l;
      normals[i + 1] /= l;
      normals[i + 2] /= l;
    } else {
      normals[i] = 0;
      normals[i + 1] = 1;
      normals[i + 2] = 0;
    }
  }
}

/** Corners of which vertices are made (the first of each distinct kind), and triangles over them. */
function weldCorners(
  mesh: PolyMesh,
  layers: readonly CornerLayer[],
  faces: readonly number[],
): { corners: Uint32Array; indices: Uint32Array<ArrayBuffer> } {
  let most = 0,
    triangles = 0;
  for (const f of faces) {
    const n = mesh.faceStart[f + 1] - mesh.faceStart[f];
    most += n;
    triangles += Math.max(0, n - 2);
  }
  const size = 2 ** Math.ceil(Math.log2(Math.max(4, most * 1.6)));
  const slots = new Int32Array(size).fill(-1);
  const corners = new Uint32Array(most),
    indices = new Uint32Array(triangles * 3);
  let vertices = 0,
    at = 0;
  const same = (a: number, b: number): boolean => {
    if (mesh.corners[a] !== mesh.corners[b]) return false;
    for (const layer of layers) if (layer.index[a] !== layer.index[b]) return false;
    return true;
  };
  const vertexOf = (corner: number): number => {
    let h = Math.imul(mesh.corners[corner], 73_856_093);
    for (const layer of layers) h = Math.imul(h ^ layer.index[corner], 0x45d9f3b) ^ (h >>> 15);
    let slot = ((h ^ (h >>> 16)) >>> 0) & (size - 1);
    for (; ; slot = (slot + 1) & (size - 1)) {
      const v = slots[slot];
      if (v < 0) {
        slots[slot] = vertices;
        corners[vertices] = corner;
        return vertices++;
      }
      if (same(corners[v], corner)) return v;
    }
  };
  const ears: number[] = [];
  const place: number[] = [];
  for (const f of faces) {
    const from = mesh.faceStart[f],
      n = mesh.faceStart[f + 1] - from;
    ears.length = 0;
    if (n > 3) {
      place.length = 0;
      for (let c = from; c < from + n; c++)
        for (let k = 0; k < 3; k++) place.push(mesh.points[mesh.corners[c] * 3 + k]);
    }
    clipEars(place, n, ears);
    for (const ear of ears) indices[at++] = vertexOf(from + ear);
  }
  return { corners: corners.slice(0, vertices), indices: at === indices.length ? indices : indices.slice(0, at) };
}

/** Twice a polygon's area along its normal (Newell's sum over its corners), into `out`. */
function areaOf({ points, corners }: PolyMesh, from: number, end: number, out: Float64Array): void {
  out.fill(0);
  for (let c = from; c < end; c++) {
    const a = corners[c] * 3,
      b = corners[c + 1 < end ? c + 1 : from] * 3;
    out[0] += (points[a + 1] - points[b + 1]) * (points[a + 2] + points[b + 2]);
    out[1] += (points[a + 2] - points[b + 2]) * (points[a] + points[b]);
    out[2] += (points[a] - points[b]) * (points[a + 1] + points[b + 1]);
  }
}

/** Area-weighted normals, shared by polygons of one smoothing group at one point; group 0 is flat. */
function smoothNormals(mesh: PolyMesh): CornerLayer {
  const { corners, faceStart, faceGroup } = mesh,
    area = new Float64Array(3);
  if (!faceGroup) return sharedNormals(mesh);
  const index = new Int32Array(corners.length);
  const values: number[] = [];
  const known = new Map<number, number>();
  let highest = 1;
  for (const group of faceGroup) if (group > highest) highest = group;
  for (let f = 0; f + 1 < faceStart.length; f++) {
    const from = faceStart[f],
      end = faceStart[f + 1],
      group = faceGroup[f];
    areaOf(mesh, from, end, area);
    const [nx, ny, nz] = area;
    let flat = -1;
    for (let c = from; c < end; c++) {
      let row: number;
      if (group === 0) {
        if (flat < 0) {
          flat = values.length / 3;
          values.push(0, 0, 0);
        }
        row = flat;
        if (c > from) {
          index[c] = row;
          continue;
        }
      } else {
        const key = corners[c] * (highest + 1) + group;
        const found = known.get(key);
        if (found === undefined) {
          row = values.length / 3;
          known.set(key, row);
          values.push(0, 0, 0);
        } else row = found;
      }
      index[c] = row;
      values[row * 3] += nx;
      values[row * 3 + 1] += ny;
      values[row * 3 + 2] += nz;
    }
  }
  return { size: 3, values, index };
}

/** The same where everything is smooth: one normal a point, added up in place. */
function sharedNormals(mesh: PolyMesh): CornerLayer {
  const { points, corners, faceStart } = mesh,
    values = new Float64Array(points.length),
    area = new Float64Array(3);
  for (let f = 0; f + 1 < faceStart.length; f++) {
    const from = faceStart[f],
      end = faceStart[f + 1];
    areaOf(mesh, from, end, area);
    const [nx, ny, nz] = area;
    for (let c = from; c < end; c++) {
      const at = corners[c] * 3;
      values[at] += nx;
      values[at + 1] += ny;
      values[at + 2] += nz;
    }
  }
  return { size: 3, values, index: corners };
}
