import type { Material } from '@gltf-transform/core';
import { floatsOf, globalMatrix, influencesOf, type Part, type Skeleton, trianglesOf } from '../../character/index.ts';
import { emptyBounds, growBounds } from '../../geometry/index.ts';
import { newPrim, type UsdPrim, type UsdValue } from './layer.ts';
import { add, called, set, word } from './write-prims.ts';

/** A part as a mesh with its weights and shapes. @param paths of the skeleton's joints */
export function meshOf(
  part: Part,
  name: string,
  top: string,
  materials: ReadonlyMap<Material, string>,
  skeleton: Skeleton,
  paths: readonly string[],
): UsdPrim {
  const prim = called(newPrim(name, 'def', 'Mesh'), part.name),
    triangles = trianglesOf(part.prim),
    varying: [string, UsdValue][] = [['interpolation', 'vertex']];
  prim.meta.set('apiSchemas', ['MaterialBindingAPI', 'SkelBindingAPI']);
  const floats = (semantic: string) => {
    const accessor = part.prim.getAttribute(semantic);
    return accessor ? Float32Array.from(floatsOf(accessor)) : null;
  };
  const points = floats('POSITION') ?? new Float32Array(0),
    { min, max } = growBounds(emptyBounds(), points);
  set(prim, 'points', 'point3f[]', points);
  if (points.length) set(prim, 'extent', 'float3[]', Float32Array.of(...min, ...max));
  set(prim, 'faceVertexCounts', 'int[]', new Int32Array(triangles.length / 3).fill(3));
  set(prim, 'faceVertexIndices', 'int[]', Int32Array.from(triangles));
  set(prim, 'subdivisionScheme', 'token', 'none', true);
  if (part.material?.getDoubleSided()) set(prim, 'doubleSided', 'bool', true, true);
  const normal = floats('NORMAL');
  if (normal) set(prim, 'normals', 'normal3f[]', normal, false, varying);
  for (let i = 0; ; i++) {
    const uv = floats(`TEXCOORD_${i}`);
    if (!uv) break;
    for (let k = 1; k < uv.length; k += 2) uv[k] = 1 - uv[k];
    set(prim, i ? `primvars:st${i}` : 'primvars:st', 'texCoord2f[]', uv, false, varying);
  }
  const wears = part.material && materials.get(part.material);
  if (wears) prim.relations.set('material:binding', [wears]);
  const skin = part.node.getSkin(),
    influences = skin ? influencesOf(part.prim) : null;
  if (skin && influences) {
    const joints = skin.listJoints().map((joint) => skeleton.joints.indexOf(joint));
    const width: [string, UsdValue][] = [
      ['elementSize', influences.perVertex],
      ['interpolation', 'vertex'],
    ];
    set(
      prim,
      'primvars:skel:jointIndices',
      'int[]',
      Int32Array.from(influences.joints, (j) => Math.max(0, joints[j])),
      false,
      width,
    );
    set(prim, 'primvars:skel:jointWeights', 'float[]', Float32Array.from(influences.weights), false, width);
    set(prim, 'skel:joints', 'token[]', [...paths], true);
    prim.relations.set('skel:skeleton', [`${top}/Skeleton`]);
  } else {
    const matrix = globalMatrix(part.node);
    set(prim, 'xformOp:transform', 'matrix4d', Float64Array.from(matrix));
    set(prim, 'xformOpOrder', 'token[]', ['xformOp:transform'], true);
  }
  shapes(prim, part, `${top}/${name}`);
  return prim;
}

function shapes(prim: UsdPrim, part: Part, path: string): void {
  const names: string[] = [],
    targets: string[] = [];
  part.prim.listTargets().forEach((target, i) => {
    const delta = target.getAttribute('POSITION');
    if (!delta) return;
    const values = floatsOf(delta),
      normals = target.getAttribute('NORMAL'),
      turned = normals ? floatsOf(normals) : null,
      moved: number[] = [];
    for (let v = 0; v < values.length / 3; v++)
      if ([0, 1, 2].some((c) => values[v * 3 + c] !== 0 || (turned && turned[v * 3 + c] !== 0))) moved.push(v);
    let own = word(part.morphNames[i]);
    for (let n = 2; prim.children.has(own); n++) own = `${word(part.morphNames[i])}_${n}`;
    const shape = add(prim, newPrim(own, 'def', 'BlendShape'));
    const pick = (from: ArrayLike<number>) =>
      Float32Array.from(moved.flatMap((v) => [from[v * 3], from[v * 3 + 1], from[v * 3 + 2]]));
    set(shape, 'offsets', 'vector3f[]', pick(values), true);
    if (turned) set(shape, 'normalOffsets', 'vector3f[]', pick(turned), true);
    set(shape, 'pointIndices', 'int[]', Int32Array.from(moved), true);
    names.push(part.morphNames[i]);
    targets.push(`${path}/${own}`);
  });
  if (!names.length) return;
  set(prim, 'skel:blendShapes', 'token[]', names, true);
  prim.relations.set('skel:blendShapeTargets', targets);
}
