import type { BufferAttribute, Object3D } from 'three';
import { meshesOf } from './body.ts';
import { type Json, listOf } from './raw.ts';
import type { Seen } from './seen.ts';

const DRACO = 'KHR_draco_mesh_compression';
const CODINGS: readonly string[] = [DRACO, 'EXT_meshopt_compression', 'KHR_meshopt_compression'];

const within = (thing: Json, extension: string): Json | undefined =>
  (thing.extensions as Json | undefined)?.[extension] as Json | undefined;

/** Buffer views that hold coded surfaces (KHR_draco_mesh_compression): the format's validator sees nobody ask for them. */
export function codedViews(json: Json): number {
  const views = new Set<unknown>();
  for (const mesh of listOf(json.meshes))
    for (const prim of listOf(mesh.primitives)) {
      const view = within(prim, DRACO)?.bufferView;
      if (typeof view === 'number') views.add(view);
    }
  return views.size;
}

/** Buffers that nothing but coded views lie in (EXT_meshopt_compression): the validator sees nobody ask for these either. */
export function codedBuffers(json: Json): number {
  const plain = new Set<unknown>(),
    coded = new Set<unknown>();
  for (const view of listOf(json.bufferViews)) {
    plain.add(view.buffer);
    for (const name of CODINGS) {
      const buffer = within(view, name)?.buffer;
      if (typeof buffer === 'number') coded.add(buffer);
    }
  }
  return [...coded].filter((buffer) => !plain.has(buffer)).length;
}

/** Numbers that aren't finite where arrays are coded: what the loader made of them is looked through, the bytes say nothing. */
export function notFiniteDecoded(json: Json, scene: Object3D): Seen['notFinite'] {
  if (!Array.isArray(json.extensionsUsed) || !json.extensionsUsed.some((name) => CODINGS.includes(name))) return [];
  const out: Seen['notFinite'] = [];
  for (const { name, geometry } of meshesOf(scene)) {
    const attributes: [string, BufferAttribute][] = [
      ...Object.entries(geometry.attributes as Record<string, BufferAttribute>),
      ...Object.entries(geometry.morphAttributes).flatMap(([kind, list]) =>
        (list ?? []).map((one, i): [string, BufferAttribute] => [`${kind} of morph ${i}`, one as BufferAttribute]),
      ),
    ];
    for (const [what, attribute] of attributes) {
      let count = 0;
      for (let i = 0; i < attribute.count; i++)
        for (let k = 0; k < attribute.itemSize; k++) if (!Number.isFinite(attribute.getComponent(i, k))) count++;
      if (count) out.push({ where: `${what} of “${name}”`, count });
    }
  }
  return out;
}
