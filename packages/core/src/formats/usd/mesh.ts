import type { Document, Material, Mesh } from '@gltf-transform/core';
import { type Influences, writeInfluences } from '../../character/index.ts';
import { type Finding, ProblemError } from '../../problem.ts';
import {
  type BuiltPrimitive,
  buildPrimitives,
  type CornerLayer,
  isSparse,
  type PolyMesh,
  spread,
} from '../mesh/poly-mesh.ts';
import { primOf } from './compose.ts';
import { titleOf, type UsdAttribute, type UsdNumbers, type UsdPrim, type UsdValue } from './layer.ts';
import type { UsdMaterials } from './materials.ts';

export const numbersOf = (attribute: UsdAttribute | undefined): UsdNumbers | null => {
  const value = attribute?.value ?? attribute?.samples?.values[0];
  return isNumbers(value) ? value : null;
};
export const isNumbers = (value: UsdValue | undefined): value is UsdNumbers =>
  value instanceof Float64Array || value instanceof Float32Array || value instanceof Int32Array;
export const wordsOf = (attribute: UsdAttribute | undefined): string[] => {
  const value = attribute?.value;
  return Array.isArray(value) ? value.filter((entry): entry is string => typeof entry === 'string') : [];
};
export const wordOf = (attribute: UsdAttribute | undefined): string =>
  typeof attribute?.value === 'string' ? attribute.value : '';

/** What a prim passes down to those below it. */
export interface Inherited {
  material: string;
  skeleton: string;
  animation: string;
  purpose: string;
  invisible: boolean;
}
/** A morph target's deltas over the mesh's points. */
interface Shape {
  name: string;
  offsets: Float32Array;
  normals: Float32Array | null;
}

/** Builds a mesh prim: faces by material, texture sets, colours, morphs and influences. */
export class UsdMeshes {
  constructor(
    private readonly root: UsdPrim,
    private readonly document: Document,
    private readonly materials: UsdMaterials,
    private readonly findings: Finding[],
    private readonly file: string,
  ) {}

  /** @returns null, with a finding, where it holds no faces */
  build(prim: UsdPrim, path: string, inherited: Inherited): Mesh | null {
    const points = numbersOf(prim.attributes.get('points')),
      counts = numbersOf(prim.attributes.get('faceVertexCounts')),
      corners = numbersOf(prim.attributes.get('faceVertexIndices'));
    if (!points?.length || !counts?.length || !corners?.length) {
      this.findings.push({
        code: 'usd.empty-mesh',
        severity: 'info',
        message: `“${prim.name}” holds no faces; it was left out.`,
        where: path,
      });
      return null;
    }
    const faceStart = new Uint32Array(counts.length + 1);
    for (let f = 0; f < counts.length; f++) faceStart[f + 1] = faceStart[f] + Math.max(0, counts[f]);
    const total = points.length / 3,
      broken = points.findIndex((value) => !Number.isFinite(value));
    if (broken >= 0) throw this.bad(prim, `point ${Math.floor(broken / 3)} has no finite place`);
    if (faceStart[counts.length] > corners.length)
      throw this.bad(prim, `its faces need ${faceStart[counts.length]} corners and ${corners.length} are there`);
    const index = Int32Array.from(corners.subarray(0, faceStart[counts.length]));
    for (const point of index)
      if (!(point >= 0 && point < total)) throw this.bad(prim, `a face names point ${point} of ${total}`);
    const flip = wordOf(prim.attributes.get('orientation')) === 'leftHanded';
    const layout: Layout = { points: total, faceStart, index };
    const { sets, uv } = this.textureSets(prim, layout, inherited);
    const bound = this.bindings(prim, path, counts.length, inherited);
    const mesh: PolyMesh = {
      name: prim.name,
      points: Float64Array.from(points),
      corners: index,
      faceStart,
      faceMaterial: bound.face,
      uv,
    };
    const hard = wordOf(prim.attributes.get('subdivisionScheme'));
    const normal = layerOf(prim, 'primvars:normals', 3, layout) ?? layerOf(prim, 'normals', 3, layout);
    if (normal) mesh.normal = normal;
    if (prim.attributes.has('subdivisionScheme') && hard !== 'none' && hard !== '')
      this.findings.push({
        code: 'usd.subdivision',
        severity: 'info',
        message: `“${prim.name}” is meant to be subdivided (${hard}); it came in as the cage that it is.`,
        where: path,
      });
    const holes = numbersOf(prim.attributes.get('holeIndices'));
    const color = layerOf(prim, 'primvars:displayColor', 3, layout);
    if (color && color.values.length > 3) mesh.color = color;
    if (flip) turn(mesh);
    if (holes?.length) dropFaces(mesh, new Set(holes));
    const doubleSided = prim.attributes.get('doubleSided')?.value === true;
    const plain =
      bound.materials.includes('') && color && color.values.length === 3
        ? this.document
            .createMaterial(`${prim.name} colour`)
            .setBaseColorFactor([color.values[0], color.values[1], color.values[2], 1])
            .setRoughnessFactor(0.6)
            .setMetallicFactor(0)
            .setDoubleSided(doubleSided)
        : null;
    const materials: (Material | null)[] = bound.materials.map((target) =>
      target ? this.materials.get(target, sets, doubleSided) : plain,
    );
    const out = this.document.createMesh(titleOf(prim));
    const shapes = this.shapes(prim, path, total);
    const influences = this.influences(prim, total);
    for (const built of buildPrimitives(this.document, mesh, materials)) {
      out.addPrimitive(built.prim);
      for (const shape of shapes) this.target(built, shape);
      if (influences) writeInfluences(this.document, built.prim, spreadInfluences(influences, built.origin));
    }
    if (shapes.length)
      out.setExtras({ targetNames: shapes.map((shape) => shape.name) }).setWeights(shapes.map(() => 0));
    return out;
  }

  private target({ prim, origin }: BuiltPrimitive, shape: Shape): void {
    const { document } = this,
      target = document.createPrimitiveTarget(shape.name),
      put = (semantic: string, values: Float32Array<ArrayBuffer>) =>
        target.setAttribute(
          semantic,
          document.createAccessor().setType('VEC3').setArray(values).setSparse(isSparse(values)),
        );
    put('POSITION', spread(shape.offsets, 3, origin));
    if (shape.normals) put('NORMAL', spread(shape.normals, 3, origin));
    prim.addTarget(target);
  }

  private textureSets(prim: UsdPrim, layout: Layout, inherited: Inherited): { sets: string[]; uv: CornerLayer[] } {
    const named = [...prim.attributes]
      .filter(
        ([name, attribute]) =>
          /^primvars:[^:]+$/.test(name) &&
          /^(texCoord2[fdh]|float2|double2|half2)$/.test(attribute.type) &&
          name !== 'primvars:displayOpacity',
      )
      .map(([name]) => name.slice(9));
    const bound = prim.relations.get('material:binding')?.[0] ?? inherited.material;
    const first = bound ? this.materials.setsOf(bound) : [];
    const rank = (name: string) => {
      const at = first.indexOf(name);
      return at >= 0 ? at : name === 'st' ? 50 : /^(uv|map|st)/i.test(name) ? 60 : 70;
    };
    const sets: string[] = [],
      uv: CornerLayer[] = [];
    for (const name of named.sort((a, b) => rank(a) - rank(b) || (a < b ? -1 : 1))) {
      const layer = layerOf(prim, `primvars:${name}`, 2, layout);
      if (layer && sets.length < 8) {
        sets.push(name);
        uv.push(layer);
      }
    }
    return { sets, uv };
  }

  /** Material of each face: its subset's, or the mesh's own, or what it inherits. */
  private bindings(
    prim: UsdPrim,
    path: string,
    faces: number,
    inherited: Inherited,
  ): { face: Int32Array; materials: string[] } {
    const own = boundMaterial(prim) || inherited.material;
    const materials = [own],
      face = new Int32Array(faces);
    for (const child of prim.children.values()) {
      if (child.type !== 'GeomSubset') continue;
      const family = wordOf(child.attributes.get('familyName')),
        target = boundMaterial(child),
        list = numbersOf(child.attributes.get('indices'));
      if (
        !target ||
        !list ||
        (family && family !== 'materialBind') ||
        !['', 'face'].includes(wordOf(child.attributes.get('elementType')))
      )
        continue;
      let at = materials.indexOf(target);
      if (at < 0) at = materials.push(target) - 1;
      for (const f of list) {
        if (!(f >= 0 && f < faces)) throw this.bad(prim, `its subset “${child.name}” names face ${f} of ${faces}`);
        face[f] = at;
      }
    }
    if (!own && materials.length === 1) this.unbound.push(path);
    return { face, materials };
  }
  readonly unbound: string[] = [];

  private shapes(prim: UsdPrim, path: string, points: number): Shape[] {
    const names = wordsOf(prim.attributes.get('skel:blendShapes')),
      targets = prim.relations.get('skel:blendShapeTargets') ?? [];
    const out: Shape[] = [];
    names.forEach((name, i) => {
      const shape = targets[i] ? primOf(this.root, targets[i]) : null,
        offsets = numbersOf(shape?.attributes.get('offsets'));
      if (!shape || !offsets) {
        this.findings.push({
          code: 'usd.morph',
          severity: 'warning',
          message: `The morph “${name}” of “${prim.name}” is named but not in the file; it was left out.`,
          where: path,
        });
        return;
      }
      const at = numbersOf(shape.attributes.get('pointIndices'));
      const full = (values: UsdNumbers | null): Float32Array | null => {
        if (!values) return null;
        if (at ? values.length !== at.length * 3 : values.length > points * 3) {
          this.findings.push({
            code: 'usd.morph',
            severity: 'warning',
            message: `The morph “${name}” of “${prim.name}” has ${values.length / 3} offsets for ${at ? at.length : points} points; it was left out.`,
            where: path,
          });
          return null;
        }
        const dense = new Float32Array(points * 3);
        for (let k = 0; k < values.length / 3; k++) {
          const p = at ? at[k] : k;
          if (!(p >= 0 && p < points)) throw this.bad(prim, `its morph “${name}” moves point ${p} of ${points}`);
          for (let c = 0; c < 3; c++) dense[p * 3 + c] = Number.isFinite(values[k * 3 + c]) ? values[k * 3 + c] : 0;
        }
        return dense;
      };
      const dense = full(offsets);
      if (!dense) return;
      out.push({ name, offsets: dense, normals: full(numbersOf(shape.attributes.get('normalOffsets'))) });
      // glTF knows no shapes on the way: each becomes a morph of its own, so that nothing is lost.
      for (const [key, attribute] of shape.attributes) {
        const between = /^inbetweens:([^:]+)$/.exec(key);
        const half = between && full(numbersOf(attribute));
        if (!between || !half) continue;
        out.push({ name: `${name} ${between[1]}`, offsets: half, normals: null });
        this.findings.push({
          code: 'usd.in-between',
          severity: 'info',
          message: `“${name}” of “${prim.name}” has a shape on the way, “${between[1]}” at ${attribute.meta.get('weight') ?? 0.5}; it came in as a morph of its own.`,
          where: path,
        });
      }
    });
    return out;
  }

  private influences(prim: UsdPrim, points: number): PointInfluences | null {
    const joints = prim.attributes.get('primvars:skel:jointIndices'),
      weights = prim.attributes.get('primvars:skel:jointWeights');
    const index = numbersOf(joints),
      values = numbersOf(weights);
    if (!joints || !index?.length || !values?.length) return null;
    const constant = joints.meta.get('interpolation') === 'constant';
    const stated = Number(joints.meta.get('elementSize') ?? weights?.meta.get('elementSize') ?? 0);
    const width = constant ? index.length : stated > 0 ? stated : Math.max(1, Math.round(index.length / points));
    if (width > 256 || values.length !== index.length || (!constant && index.length !== width * points)) {
      this.findings.push({
        code: 'usd.weights',
        severity: 'error',
        message: `“${prim.name}” has ${index.length} joint indices and ${values.length} weights for ${points} points of ${width} each; it came in unbound.`,
        where: prim.name,
      });
      return null;
    }
    return { width, constant, index, values };
  }

  private bad(prim: UsdPrim, what: string): ProblemError {
    return new ProblemError('usd.mesh', `“${this.file}” can't be read: “${prim.name}” is broken, ${what}.`, this.file);
  }
}

interface PointInfluences {
  width: number;
  constant: boolean;
  index: UsdNumbers;
  values: UsdNumbers;
}
interface Layout {
  points: number;
  faceStart: Uint32Array;
  index: Int32Array;
}

export const boundMaterial = (prim: UsdPrim): string =>
  prim.relations.get('material:binding:preview')?.[0] ??
  prim.relations.get('material:binding')?.[0] ??
  prim.relations.get('material:binding:full')?.[0] ??
  '';

function spreadInfluences({ width, constant, index, values }: PointInfluences, origin: Uint32Array): Influences {
  const perVertex = Math.ceil(width / 4) * 4;
  const out: Influences = {
    perVertex,
    joints: new Uint16Array(origin.length * perVertex),
    weights: new Float32Array(origin.length * perVertex),
  };
  origin.forEach((point, v) => {
    const from = constant ? 0 : point * width;
    let total = 0,
      k = v * perVertex;
    for (let i = from; i < from + width; i++)
      if (values[i] > 0 && Number.isFinite(values[i]) && index[i] >= 0 && index[i] < 65_535) {
        out.joints[k] = index[i];
        out.weights[k++] = values[i];
        total += values[i];
      }
    if (total > 0) for (let i = v * perVertex; i < k; i++) out.weights[i] /= total;
  });
  return out;
}

/** A primvar over corners, by its interpolation and its own indices. */
function layerOf(prim: UsdPrim, name: string, size: number, { points, faceStart, index }: Layout): CornerLayer | null {
  const attribute = prim.attributes.get(name),
    values = numbersOf(attribute);
  if (!attribute || !values?.length) return null;
  const indirect = numbersOf(prim.attributes.get(`${name}:indices`));
  const count = indirect?.length ?? values.length / size,
    corners = index.length,
    faces = faceStart.length - 1;
  const stated = String(attribute.meta.get('interpolation') ?? '');
  // Where the stated kind doesn't fit the count, the count is believed.
  const fits: Record<string, number> = {
    faceVarying: corners,
    vertex: points,
    varying: points,
    uniform: faces,
    constant: 1,
  };
  const kind =
    stated && fits[stated] <= count
      ? stated
      : count === corners
        ? 'faceVarying'
        : count === points
          ? 'vertex'
          : count === faces
            ? 'uniform'
            : count === 1
              ? 'constant'
              : '';
  if (!kind) return null;
  const out = new Int32Array(corners),
    rows = values.length / size;
  let face = 0;
  for (let c = 0; c < corners; c++) {
    while (c >= faceStart[face + 1]) face++;
    const at = kind === 'faceVarying' ? c : kind === 'uniform' ? face : kind === 'constant' ? 0 : index[c];
    const row = indirect ? indirect[at] : at;
    out[c] = row >= 0 && row < rows ? row : -1;
  }
  return {
    size,
    values: values.every((value) => Number.isFinite(value))
      ? values
      : Float64Array.from(values, (value) => (Number.isFinite(value) ? value : 0)),
    index: out,
  };
}

/** Corners of every polygon the other way round, for meshes of the other hand. */
function turn(mesh: PolyMesh): void {
  const layers = [
    ...(mesh.normal ? [mesh.normal.index] : []),
    ...mesh.uv.map((layer) => layer.index),
    ...(mesh.color ? [mesh.color.index] : []),
    mesh.corners,
  ];
  for (let f = 0; f + 1 < mesh.faceStart.length; f++)
    for (const layer of layers) layer.subarray(mesh.faceStart[f], mesh.faceStart[f + 1]).reverse();
}

function dropFaces(mesh: PolyMesh, holes: ReadonlySet<number>): void {
  const keep: number[] = [];
  for (let f = 0; f < mesh.faceMaterial.length; f++) if (!holes.has(f)) keep.push(f);
  const corners = keep.flatMap((f) =>
    Array.from({ length: mesh.faceStart[f + 1] - mesh.faceStart[f] }, (_, k) => mesh.faceStart[f] + k),
  );
  const pick = (from: Int32Array) => Int32Array.from(corners, (c) => from[c]);
  const start = new Uint32Array(keep.length + 1);
  keep.forEach((f, i) => {
    start[i + 1] = start[i] + mesh.faceStart[f + 1] - mesh.faceStart[f];
  });
  for (const layer of [mesh.normal, mesh.color, ...mesh.uv]) if (layer) layer.index = pick(layer.index);
  mesh.corners = pick(mesh.corners);
  mesh.faceMaterial = Int32Array.from(keep, (f) => mesh.faceMaterial[f]);
  mesh.faceStart = start;
}
