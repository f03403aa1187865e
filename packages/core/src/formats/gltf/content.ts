import type { Document, GLTF } from '@gltf-transform/core';
import { floatsOf, listParts, type Part, skeletonOf } from '../../character/index.ts';
import { type Finding, ProblemError } from '../../problem.ts';

/**
 * Looks at the numbers themselves once a document is built.
 * @param sparseChecked whether sparse deltas were looked at as they are stored ({@link checkSparse})
 * @throws ProblemError where there is nothing to work on, or where positions are not numbers
 */
export function checkContent(document: Document, path: string, sparseChecked = false): Finding[] {
  const findings: Finding[] = [];
  const parts = listParts(document);
  const moves = document
    .getRoot()
    .listAnimations()
    .some((clip) => clip.listChannels().length > 0);
  // Motion alone is welcome where motion is wanted, and joints alone are a skeleton.
  const joints = skeletonOf(document).joints.length;
  if ((moves || joints) && !parts.length)
    return [
      {
        code: 'intake.no-mesh',
        severity: 'warning',
        message: `“${path}” holds ${moves ? 'motion' : `a skeleton of ${joints} joints`} and no mesh.`,
        where: path,
      },
    ];
  if (!parts.some((part) => part.triangles > 0))
    throw new ProblemError(
      'gltf.no-triangles',
      `“${path}” holds no triangles. Export the meshes together with the skeleton.`,
      path,
    );
  for (const part of parts) {
    const position = part.prim.getAttribute('POSITION');
    if (!position) {
      findings.push({
        code: 'intake.no-points',
        severity: 'warning',
        message: `Part “${part.name}” has no points${part.morphNames.length ? `, so its ${part.morphNames.length} morphs move nothing` : ''}: nothing of it is seen or delivered. Export it again if it was more.`,
        where: part.name,
      });
      continue;
    }
    const bad = firstNotFinite(floatsOf(position));
    if (bad >= 0)
      throw new ProblemError(
        'gltf.not-finite',
        `Vertex ${Math.floor(bad / 3)} of part “${part.name}” has no finite position. Repair or export the part again.`,
        part.name,
      );
    const count = position.getCount();
    const indices = part.prim.getIndices()?.getArray();
    if (indices) {
      const most = largest(indices);
      if (most >= count)
        throw new ProblemError(
          'gltf.index',
          `Part “${part.name}” names vertex ${most}, but has only ${count}. Export it again.`,
          part.name,
        );
    }
    for (const semantic of part.prim.listSemantics()) {
      const attribute = part.prim.getAttribute(semantic);
      if (attribute && attribute.getCount() !== count)
        throw new ProblemError(
          'gltf.counts',
          `In part “${part.name}”, ${semantic} has ${attribute.getCount()} entries for ${count} vertices. Export it again.`,
          part.name,
        );
    }
    checkMorphs(part, count, sparseChecked);
    checkInfluences(part, findings);
  }
  if (!skeletonOf(document).joints.length)
    findings.push({
      code: 'intake.no-skin',
      severity: 'warning',
      message: "No part is bound to a skeleton, so the figure can't bend.",
      where: path,
    });
  return findings;
}

function checkMorphs(part: Part, count: number, sparseChecked: boolean): void {
  part.prim.listTargets().forEach((target, i) => {
    const name = `Morph “${part.morphNames[i]}” of part “${part.name}”`;
    for (const semantic of target.listSemantics()) {
      const delta = target.getAttribute(semantic);
      if (delta && delta.getCount() !== count)
        throw new ProblemError(
          'gltf.counts',
          `${name} has ${delta.getCount()} entries of ${semantic} for ${count} vertices. Export it again.`,
          part.name,
        );
      // Spread out, sparse deltas are mostly zeros that were made here.
      if (delta && !(sparseChecked && delta.getSparse()) && firstNotFinite(floatsOf(delta)) >= 0)
        throw new ProblemError(
          'gltf.not-finite',
          `${name} holds values of ${semantic} that are not numbers. Export it again.`,
          part.name,
        );
    }
  });
}

/**
 * Looks at sparse numbers as they are stored, before they are spread out to many times their size.
 * @returns false where some rest on a base or aren't floats: then they have to be looked at spread out
 * @throws ProblemError gltf.not-finite
 */
export function checkSparse(
  json: GLTF.IGLTF,
  bufferOf: (buffer: number) => Uint8Array | undefined,
  path: string,
): boolean {
  let all = true;
  for (const [i, accessor] of (json.accessors ?? []).entries()) {
    const { sparse } = accessor;
    if (!sparse) continue;
    const view = json.bufferViews?.[sparse.values.bufferView],
      bytes = view && !view.extensions ? bufferOf(view.buffer) : undefined;
    if (accessor.bufferView !== undefined || accessor.componentType !== 5126 || !view || !bytes) {
      all = false;
      continue;
    }
    const from = (view.byteOffset ?? 0) + (sparse.values.byteOffset ?? 0),
      size = sparse.count * 4 * (COMPONENTS[accessor.type] ?? 1);
    // A copy, since views may begin anywhere; broken ranges were refused before.
    if (firstNotFinite(new Float32Array(bytes.slice(from, from + size - (size % 4)).buffer)) >= 0)
      throw new ProblemError(
        'gltf.not-finite',
        `Accessor ${i} of “${path}”, a sparse list of numbers, holds values that are not numbers. Export it again.`,
        `accessor ${i}`,
      );
  }
  return all;
}
const COMPONENTS: Record<string, number> = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4 };

function checkInfluences(part: ReturnType<typeof listParts>[number], findings: Finding[]): void {
  const skin = part.node.getSkin();
  if (!skin) return;
  const joints = skin.listJoints().length;
  const total = new Float32Array(part.vertices);
  for (let set = 0; ; set++) {
    const index = part.prim.getAttribute(`JOINTS_${set}`)?.getArray();
    const weight = part.prim.getAttribute(`WEIGHTS_${set}`);
    if (!index || !weight) break;
    const values = floatsOf(weight);
    if (firstNotFinite(values) >= 0)
      throw new ProblemError(
        'gltf.not-finite',
        `Part “${part.name}” has weights that are not numbers. Export it again.`,
        part.name,
      );
    // Most parts name no joint that is not there, and then nothing has to be looked at one by one.
    if (largest(index) >= joints)
      for (let i = 0; i < index.length; i++)
        if (values[i] !== 0 && index[i] >= joints)
          throw new ProblemError(
            'gltf.joint-index',
            `Part “${part.name}” names joint ${index[i]}, but its skin has ${joints}. Export it again.`,
            part.name,
          );
    addFours(total, values);
  }
  const unweighted = countNotPositive(total);
  if (unweighted)
    findings.push({
      code: 'weights.none',
      severity: 'warning',
      message: `${unweighted} vertices of “${part.name}” follow no joint and will stay behind when the figure moves.`,
      where: part.name,
      measured: unweighted,
      limit: 0,
    });
}

// Loops over whole arrays stand alone: the engine compiles them once, whatever becomes of the objects around them.
function addFours(total: Float32Array, values: Float32Array): void {
  for (let v = 0, k = 0; v < total.length; v++, k += 4)
    total[v] += values[k] + values[k + 1] + values[k + 2] + values[k + 3];
}
function countNotPositive(values: Float32Array): number {
  let count = 0;
  for (let v = 0; v < values.length; v++) if (!(values[v] > 0)) count++;
  return count;
}

function largest(values: ArrayLike<number>): number {
  // One loop for each width of number, so that each stays a plain machine loop.
  return values instanceof Uint32Array
    ? most32(values)
    : values instanceof Uint16Array
      ? most16(values)
      : values instanceof Uint8Array
        ? most8(values)
        : Array.from(values).reduce((most, value) => Math.max(most, value), 0);
}
function most32(values: Uint32Array): number {
  let most = 0;
  for (let i = 0; i < values.length; i++) if (values[i] > most) most = values[i];
  return most;
}
function most8(values: Uint8Array): number {
  let most = 0;
  for (let i = 0; i < values.length; i++) if (values[i] > most) most = values[i];
  return most;
}
function most16(values: Uint16Array): number {
  let most = 0;
  for (let i = 0; i < values.length; i++) if (values[i] > most) most = values[i];
  return most;
}

/** @returns index of the first value that is no finite number, −1 where all are */
function firstNotFinite(values: Float32Array): number {
  // x·0 is 0 for numbers and NaN for what is none; four sums at a time keep the processor busy.
  let a = 0,
    b = 0,
    c = 0,
    d = 0;
  const whole = values.length & ~3;
  for (let i = 0; i < whole; i += 4) {
    a += values[i] * 0;
    b += values[i + 1] * 0;
    c += values[i + 2] * 0;
    d += values[i + 3] * 0;
  }
  for (let i = whole; i < values.length; i++) a += values[i] * 0;
  return a + b + c + d === 0 ? -1 : values.findIndex((value) => !Number.isFinite(value));
}
