import * as v from 'valibot';
import type { GLTF } from '@gltf-transform/core';
import { ProblemError } from '../../problem.ts';

const COMPONENT_BYTES: Record<number, number> = { 5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4 };
const COMPONENTS: Record<string, number> = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4, MAT2: 4, MAT3: 9, MAT4: 16 };
/** No single array of a character is sensibly larger; stops a tiny file from asking for terabytes. */
const MOST_ARRAY_BYTES = 1024 ** 3;
const MOST_JOINTS = 65_535;

/**
 * Checks that every index in the file points at something and every range lies inside its buffer, before
 * anything is built from it. @throws ProblemError gltf.reference, gltf.range, gltf.cycle
 */
export function checkReferences(json: GLTF.IGLTF, bufferLength: (index: number) => number, path: string): void {
  const list = (value: unknown): Record<string, unknown>[] => {
    if (value === undefined) return [];
    if (!Array.isArray(value) || value.some((entry) => typeof entry !== 'object' || entry === null))
      throw new ProblemError('gltf.shape', `“${path}” is damaged: a list in it is not a list. Export it again.`, path);
    return value as Record<string, unknown>[];
  };
  const counts: Record<string, number> = {};
  for (const key of [
    'accessors',
    'bufferViews',
    'buffers',
    'nodes',
    'meshes',
    'skins',
    'materials',
    'textures',
    'images',
    'samplers',
    'scenes',
    'cameras',
  ]) {
    counts[key] = list((json as unknown as Record<string, unknown>)[key]).length;
  }
  const point = (kind: string, index: unknown, from: string): void => {
    if (index === undefined) return;
    if (!Number.isInteger(index) || (index as number) < 0 || (index as number) >= counts[kind]) {
      throw new ProblemError(
        'gltf.reference',
        `In “${path}”, ${from} points at ${kind} ${String(index)}, but there ${counts[kind] === 1 ? 'is 1' : `are ${counts[kind]}`}. The file is damaged; export it again.`,
        from,
      );
    }
  };
  checkBuffers(json, point, bufferLength, path);
  list(json.meshes).forEach((mesh, m) => {
    for (const prim of list(mesh.primitives)) {
      const from = `mesh ${m}`;
      for (const accessor of Object.values((prim.attributes ?? {}) as object)) point('accessors', accessor, from);
      point('accessors', prim.indices, from);
      point('materials', prim.material, from);
      for (const target of list(prim.targets))
        for (const accessor of Object.values(target)) point('accessors', accessor, from);
    }
  });
  list(json.nodes).forEach((node, n) => {
    const from = `node ${n}`;
    for (const [kind, index] of [
      ['meshes', node.mesh],
      ['skins', node.skin],
      ['cameras', node.camera],
    ] as const)
      point(kind, index, from);
    for (const child of (node.children ?? []) as unknown[]) point('nodes', child, from);
  });
  list(json.skins).forEach((skin, s) => {
    const joints = (skin.joints ?? []) as unknown[];
    if (joints.length > MOST_JOINTS)
      throw new ProblemError(
        'gltf.too-many-joints',
        `Skin ${s} of “${path}” has ${joints.length} joints; a mesh can name at most ${MOST_JOINTS}. Remove helper joints before exporting.`,
        `skin ${s}`,
      );
    for (const joint of joints) point('nodes', joint, `skin ${s}`);
    point('accessors', skin.inverseBindMatrices, `skin ${s}`);
    point('nodes', skin.skeleton, `skin ${s}`);
  });
  list(json.textures).forEach((texture, t) => {
    point('images', texture.source, `texture ${t}`);
    point('samplers', texture.sampler, `texture ${t}`);
  });
  list(json.images).forEach((image, i) => point('bufferViews', image.bufferView, `image ${i}`));
  list(json.materials).forEach((material, m) =>
    checkTextureIndices(material, (index) => point('textures', index, `material ${m}`)),
  );
  list(json.animations).forEach((animation, a) => {
    for (const sampler of list(animation.samplers)) {
      point('accessors', sampler.input, `clip ${a}`);
      point('accessors', sampler.output, `clip ${a}`);
    }
    for (const channel of list(animation.channels)) {
      point('nodes', (channel.target as { node?: unknown } | undefined)?.node, `clip ${a}`);
      if (!Number.isInteger(channel.sampler) || (channel.sampler as number) >= list(animation.samplers).length)
        throw new ProblemError(
          'gltf.reference',
          `In “${path}”, clip ${a} names a sampler that isn't there. Export it again.`,
          `clip ${a}`,
        );
    }
  });
  list(json.scenes).forEach((scene, s) => {
    for (const node of (scene.nodes ?? []) as unknown[]) point('nodes', node, `scene ${s}`);
  });
  point('scenes', json.scene, 'the file');
  checkTree(json, path);
}

function checkTextureIndices(value: unknown, point: (index: unknown) => void): void {
  if (typeof value !== 'object' || value === null) return;
  for (const [key, inner] of Object.entries(value)) {
    if (/texture$/i.test(key) && typeof inner === 'object' && inner !== null && 'index' in inner)
      point((inner as { index: unknown }).index);
    if (key !== 'extras') checkTextureIndices(inner, point);
  }
}

function checkBuffers(
  json: GLTF.IGLTF,
  point: (kind: string, index: unknown, from: string) => void,
  bufferLength: (index: number) => number,
  path: string,
): void {
  const outside = (what: string) =>
    new ProblemError(
      'gltf.range',
      `In “${path}”, ${what} reaches past the end of its data. The file is cut off or damaged; export it again.`,
      what,
    );
  json.bufferViews?.forEach((written, i) => {
    // A compressed view lies where its extension says; the view itself describes what comes out of it.
    const view = compressedView(written.extensions) ?? written;
    point('buffers', view.buffer, `buffer view ${i}`);
    const length = bufferLength(view.buffer);
    if (
      !(view.byteLength >= 0) ||
      !((view.byteOffset ?? 0) >= 0) ||
      (length >= 0 && (view.byteOffset ?? 0) + view.byteLength > length)
    )
      throw outside(`buffer view ${i}`);
  });
  json.accessors?.forEach((accessor, i) => {
    const width = COMPONENT_BYTES[accessor.componentType] * COMPONENTS[accessor.type];
    if (!Number.isInteger(accessor.count) || accessor.count < 0 || !(width > 0))
      throw new ProblemError(
        'gltf.shape',
        `In “${path}”, accessor ${i} has no sensible type or count. Export it again.`,
        `accessor ${i}`,
      );
    if (accessor.count * width > MOST_ARRAY_BYTES)
      throw new ProblemError(
        'gltf.too-large',
        `In “${path}”, accessor ${i} asks for ${accessor.count} elements, more than ${MOST_ARRAY_BYTES / 1048576} MB. The file is damaged.`,
        `accessor ${i}`,
      );
    point('bufferViews', accessor.bufferView, `accessor ${i}`);
    const view = accessor.bufferView === undefined ? undefined : json.bufferViews?.[accessor.bufferView];
    if (view && accessor.count && !view.extensions) {
      const stride = view.byteStride ?? width;
      if ((accessor.byteOffset ?? 0) + stride * (accessor.count - 1) + width > view.byteLength)
        throw outside(`accessor ${i}`);
    }
    if (accessor.sparse) {
      point('bufferViews', accessor.sparse.indices?.bufferView, `accessor ${i}`);
      point('bufferViews', accessor.sparse.values?.bufferView, `accessor ${i}`);
      if (accessor.sparse.count > accessor.count) throw outside(`the sparse part of accessor ${i}`);
    }
  });
}

const CompressedView = v.object({ buffer: v.number(), byteOffset: v.optional(v.number()), byteLength: v.number() });

function compressedView(extensions: object | undefined): v.InferOutput<typeof CompressedView> | null {
  const said = (extensions as Record<string, unknown> | undefined)?.EXT_meshopt_compression;
  const parsed = said === undefined ? null : v.safeParse(CompressedView, said);
  return parsed?.success ? parsed.output : null;
}

/** Every node has one parent at most and no node is its own ancestor. */
function checkTree(json: GLTF.IGLTF, path: string): void {
  const nodes = json.nodes ?? [];
  const parent = new Int32Array(nodes.length).fill(-1);
  nodes.forEach((node, n) => {
    for (const child of node.children ?? []) {
      if (parent[child] >= 0 && parent[child] !== n)
        throw new ProblemError(
          'gltf.two-parents',
          `In “${path}”, node ${child} hangs under two others (${parent[child]} and ${n}). Export it again.`,
          `node ${child}`,
        );
      parent[child] = n;
    }
  });
  const state = new Uint8Array(nodes.length);
  for (let start = 0; start < nodes.length; start++) {
    const trail: number[] = [];
    let at = start;
    while (at >= 0 && state[at] === 0) {
      state[at] = 1;
      trail.push(at);
      at = parent[at];
    }
    if (at >= 0 && state[at] === 1)
      throw new ProblemError(
        'gltf.cycle',
        `In “${path}”, node ${at} is its own ancestor, so the figure has no root. The file is damaged; export it again.`,
        `node ${at}`,
      );
    for (const node of trail) state[node] = 2;
  }
}
