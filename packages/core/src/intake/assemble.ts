import type { Document, Material, Primitive } from '@gltf-transform/core';
import { floatsOf, readDossier, trianglesOf, updateDossier, type Part } from '../character/index.ts';
import { invertAffine, multiply, transformed } from '../geometry/index.ts';
import { groupPieces, type Misplaced, type PieceGroup } from './groups.ts';

/** Two corners nearer than this that agree in everything else are one, metres. */
const SAME = 2e-5;

export interface Assembled {
  joined: { name: string; pieces: number }[];
  welded: number;
  replaced: number;
}

/** Gives misplaced faces the material of the surface they lie in. Changes `document`. */
export function repairSlots(document: Document, misplaced: readonly Misplaced[]): number {
  let count = 0;
  const names: Record<string, string> = { ...readDossier(document).joinedParts };
  for (const { group, from, to, faces } of misplaced) {
    const wanted = new Set(faces);
    let first = 0;
    for (const part of [...group.parts]) {
      const { triangles } = part;
      if (part.material === from) {
        const indices = trianglesOf(part.prim),
          moved: number[] = [],
          kept: number[] = [];
        for (let t = 0; t < triangles; t++)
          (wanted.has(first + t) ? moved : kept).push(indices[t * 3], indices[t * 3 + 1], indices[t * 3 + 2]);
        count += moved.length / 3;
        if (moved.length) {
          moveFaces(document, part, moved, kept, to);
          if (!kept.length) names[part.name] = group.name;
        }
      }
      first += triangles;
    }
  }
  if (count) updateDossier(document, { joinedParts: names });
  return count;
}

function moveFaces(document: Document, part: Part, moved: number[], kept: number[], to: Material | null): void {
  const put = (list: number[]) => document.createAccessor().setType('SCALAR').setArray(Uint32Array.from(list));
  if (!kept.length) {
    part.prim.setMaterial(to).setIndices(put(moved)).setMode(4);
    return;
  }
  // The same vertices, shared; what is not used falls away when pieces are joined or the reader prunes.
  const own = part.prim.clone();
  own.setMaterial(to).setIndices(put(moved)).setMode(4);
  part.prim.setIndices(put(kept)).setMode(4);
  part.mesh.addPrimitive(own);
}

/**
 * Joins pieces of one surface: per group one node and one mesh, per material one primitive; corners that agree in
 * place, normal, texture place, weights and morphs become one vertex, so that borders close and seams stay. Changes
 * `document`.
 */
export function joinPieces(document: Document, groups: readonly PieceGroup[]): Assembled {
  const out: Assembled = { joined: [], welded: 0, replaced: 0 },
    names: Record<string, string> = { ...readDossier(document).joinedParts };
  for (const group of groups) {
    const nodes = new Set(group.parts.map((part) => part.node));
    const sets = new Map<string, Part[]>();
    for (const part of group.parts) {
      const key = `${document
        .getRoot()
        .listMaterials()
        .indexOf(part.material as never)}/${layoutOf(part)}`;
      sets.set(key, [...(sets.get(key) ?? []), part]);
    }
    const [first] = group.parts;
    if (nodes.size < 2 && [...sets.values()].every((parts) => parts.length < 2)) {
      if (first.node.getName() !== group.name) {
        for (const part of group.parts) names[part.name] = group.name;
        first.node.setName(group.name);
      }
      continue;
    }
    const morphNames = [...new Set(group.parts.flatMap((part) => part.morphNames))];
    const mesh = document
      .createMesh(group.name)
      .setExtras({ ...first.mesh.getExtras(), ...(morphNames.length ? { targetNames: morphNames } : {}) });
    for (const parts of sets.values()) {
      const { prim, welded } = joinPrimitives(document, parts, morphNames);
      mesh.addPrimitive(prim);
      out.welded += welded;
    }
    const node = document.createNode(group.name).setMesh(mesh).setSkin(first.node.getSkin());
    (first.node.getParentNode() ?? document.getRoot().listScenes()[0] ?? document.createScene()).addChild(node);
    for (const part of group.parts) names[part.name] = group.name;
    for (const old of nodes) {
      const kept = old.listChildren();
      for (const child of kept) node.addChild(child);
      old.getMesh()?.dispose();
      old.dispose();
    }
    out.joined.push({ name: group.name, pieces: nodes.size });
  }
  updateDossier(document, { joinedParts: names });
  return out;
}

/** What attributes a part has: only like with like becomes one primitive. */
const layoutOf = (part: Part): string =>
  part.prim
    .listSemantics()
    .sort()
    .map((semantic) => `${semantic}${part.prim.getAttribute(semantic)?.getElementSize()}`)
    .join(' ');

function joinPrimitives(
  document: Document,
  parts: readonly Part[],
  morphNames: readonly string[],
): { prim: Primitive; welded: number } {
  const semantics = parts[0].prim.listSemantics().sort(),
    total = parts.reduce((sum, part) => sum + part.vertices, 0);
  const columns = new Map(
    semantics.map((semantic) => {
      const size = parts[0].prim.getAttribute(semantic)?.getElementSize() ?? 3;
      return [semantic, { size, values: new Float32Array(total * size) }];
    }),
  );
  const deltas = new Map(morphNames.map((name) => [name, new Float32Array(total * 3)]));
  const indices = new Uint32Array(parts.reduce((sum, part) => sum + part.triangles, 0) * 3);
  let vertex = 0,
    corner = 0;
  for (const part of parts) {
    const m = part.node.getSkin() ? null : relativeTo(parts[0], part);
    for (const [semantic, { size, values }] of columns) {
      const accessor = part.prim.getAttribute(semantic);
      if (accessor) {
        const own = floatsOf(accessor);
        values.set(
          m && (semantic === 'POSITION' || semantic === 'NORMAL')
            ? transformed(own, m, semantic === 'POSITION' ? 'places' : 'normals')
            : own,
          vertex * size,
        );
      }
    }
    part.prim.listTargets().forEach((target, i) => {
      const delta = target.getAttribute('POSITION');
      if (delta) deltas.get(part.morphNames[i])?.set(floatsOf(delta), vertex * 3);
    });
    for (const index of trianglesOf(part.prim)) indices[corner++] = index + vertex;
    vertex += part.vertices;
  }
  const { remap, kept } = weld(
    [...columns].map(([semantic, column]) => ({
      ...column,
      step: semantic === 'POSITION' ? SAME : semantic === 'NORMAL' ? 0.02 : 1e-5,
    })),
    [...deltas.values()],
    indices,
    total,
  );
  const prim = document
    .createPrimitive()
    .setMaterial(parts[0].material)
    .setIndices(
      document
        .createAccessor()
        .setType('SCALAR')
        .setArray(indices.map((index) => remap[index])),
    );
  const accessor = (type: 'VEC2' | 'VEC3' | 'VEC4' | 'SCALAR', array: Float32Array | Uint16Array) =>
    document
      .createAccessor()
      .setType(type)
      .setArray(array as Float32Array<ArrayBuffer>);
  const pick = (values: Float32Array, size: number) => {
    const out = new Float32Array(kept.length * size);
    kept.forEach((v, i) => {
      for (let k = 0; k < size; k++) out[i * size + k] = values[v * size + k];
    });
    return out;
  };
  for (const [semantic, { size, values }] of columns) {
    const own = pick(values, size),
      type = size === 1 ? 'SCALAR' : (`VEC${size}` as 'VEC2');
    prim.setAttribute(semantic, accessor(type, semantic.startsWith('JOINTS') ? Uint16Array.from(own) : own));
  }
  for (const [name, values] of deltas)
    prim.addTarget(
      document.createPrimitiveTarget(name).setAttribute('POSITION', accessor('VEC3', pick(values, 3)).setSparse(true)),
    );
  return { prim, welded: total - kept.length };
}

const EYE = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];
/** Matrix from a part's node to the parent of the first; null where it changes nothing. */
function relativeTo(first: Part, part: Part): number[] | null {
  // The joined node hangs where the first did with no place of its own, so every part brings the way from there.
  const inverse = new Float64Array(16),
    m = new Float64Array(16),
    above = first.node.getParentNode();
  invertAffine(inverse, 0, above ? above.getWorldMatrix() : EYE, 0);
  multiply(m, 0, inverse, 0, part.node.getWorldMatrix(), 0);
  return m.every((x, k) => x === (k % 5 === 0 ? 1 : 0)) ? null : [...m];
}

/** First vertex of every set that agrees in all columns, and which one each vertex became; only vertices that faces use are kept. */
function weld(
  columns: readonly { size: number; values: Float32Array; step: number }[],
  deltas: readonly Float32Array[],
  indices: Uint32Array,
  total: number,
): { remap: Uint32Array; kept: number[] } {
  const used = new Uint8Array(total),
    remap = new Uint32Array(total),
    kept: number[] = [],
    known = new Map<string, number>();
  for (const index of indices) used[index] = 1;
  for (let v = 0; v < total; v++) {
    if (!used[v]) continue;
    let key = '';
    for (const { size, values, step } of columns)
      for (let k = 0; k < size; k++) key += `${Math.round(values[v * size + k] / step)},`;
    for (const values of deltas)
      if (values[v * 3] || values[v * 3 + 1] || values[v * 3 + 2])
        key += `;${Math.round(values[v * 3] / SAME)},${Math.round(values[v * 3 + 1] / SAME)},${Math.round(values[v * 3 + 2] / SAME)}`;
      else key += ';';
    const found = known.get(key);
    if (found !== undefined) remap[v] = found;
    else {
      remap[v] = kept.length;
      known.set(key, kept.length);
      kept.push(v);
    }
  }
  return { remap, kept };
}

/** Both, as the step does it. */
export function assemble(document: Document, options: { join: boolean; misplaced: readonly Misplaced[] }): Assembled {
  const replaced = repairSlots(document, options.misplaced);
  const groups = groupPieces(document),
    done = options.join ? joinPieces(document, groups) : { joined: [], welded: 0, replaced: 0 };
  return { ...done, replaced };
}
