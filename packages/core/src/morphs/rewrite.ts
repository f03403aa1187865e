import type {
  AnimationChannel,
  AnimationSampler,
  Document,
  Mesh,
  Node,
  Primitive,
  PrimitiveTarget,
} from '@gltf-transform/core';
import { floatsOf, morphNamesOf, readDossier, updateDossier } from '../character/index.ts';
import { dropChannel, swapSampler } from '../character/index.ts';

/** One morph of a mesh as it shall be. */
export interface MorphEntry {
  name: string;
  /** Old morph whose default weight and clips it takes over, by its place in the list; −1 for none. */
  follows: number;
  /** Its target in one primitive of the mesh, given the primitive's old ones; null where it moves nothing there. */
  target(prim: Primitive, old: readonly PrimitiveTarget[]): PrimitiveTarget | null;
}

/** A morph that stays as it is, by its place in the list. */
export const kept = (name: string, at: number): MorphEntry => ({
  name,
  follows: at,
  target: (_, old) => old[at] ?? null,
});

/**
 * Gives a mesh another list of morphs: targets of every primitive, names, default weights, and the columns of clips that
 * play them (glTF 2.0 §3.7.2.2, §3.11: one weight a morph and key, three with CUBICSPLINE).
 */
export function rewriteMorphs(document: Document, mesh: Mesh, entries: readonly MorphEntry[]): void {
  const names = morphNamesOf(mesh),
    before = names.length,
    gone = names.filter((name) => !entries.some((entry) => entry.name === name)),
    { formerMorphs = [] } = readDossier(document);
  if (gone.length) updateDossier(document, { formerMorphs: [...new Set([...formerMorphs, ...gone])] });
  for (const prim of mesh.listPrimitives()) {
    const old = prim.listTargets(),
      fresh = entries.map((entry) => entry.target(prim, old) ?? still(document, prim));
    for (const target of old) prim.removeTarget(target);
    fresh.forEach((target, i) => prim.addTarget(target.setName(entries[i].name)));
  }
  const columns = entries.map((entry) => entry.follows),
    taken = (weights: readonly number[]) => (weights.length ? columns.map((from) => weights[from] ?? 0) : []);
  const { targetNames: _, ...extras } = mesh.getExtras();
  mesh
    .setExtras(entries.length ? { ...extras, targetNames: entries.map((entry) => entry.name) } : extras)
    .setWeights(taken(mesh.getWeights()));
  for (const node of nodesOf(mesh)) {
    node.setWeights(taken(node.getWeights()));
    for (const { channel, sampler } of weightChannels(document, node)) {
      if (columns.length) swapSampler(document, channel, 'SCALAR', withColumns(sampler, before, columns));
      else dropChannel(document, channel);
    }
  }
}

/**
 * Puts a morph into a mesh's list: in the place of one of that name, else behind the others.
 * @param target its target in a primitive; undefined where the primitive keeps the one it has
 */
export function putMorph(
  document: Document,
  mesh: Mesh,
  name: string,
  target: (prim: Primitive) => PrimitiveTarget | undefined,
): void {
  const names = morphNamesOf(mesh),
    at = names.indexOf(name),
    entry: MorphEntry = { name, follows: at, target: (prim, old) => target(prim) ?? old[at] ?? null };
  rewriteMorphs(
    document,
    mesh,
    at < 0 ? [...names.map(kept), entry] : names.map((each, i) => (i === at ? entry : kept(each, i))),
  );
}

/** Clips that play one of the morphs on a node of the mesh. */
export function clipsPlaying(document: Document, mesh: Mesh, morphs: { has(name: string): boolean }): string[] {
  const names = morphNamesOf(mesh);
  return nodesOf(mesh).flatMap((node) =>
    weightChannels(document, node).flatMap(({ sampler, clip }) => {
      const output = sampler.getOutput();
      return output && floatsOf(output).some((value, k) => value !== 0 && morphs.has(names[k % names.length]))
        ? [clip]
        : [];
    }),
  );
}

/** A target that moves nothing: all primitives of a mesh have the same number of targets. */
function still(document: Document, prim: Primitive): PrimitiveTarget {
  const count = prim.getAttribute('POSITION')?.getCount() ?? 0;
  return document.createPrimitiveTarget().setAttribute(
    'POSITION',
    document
      .createAccessor()
      .setType('VEC3')
      .setArray(new Float32Array(count * 3)),
  );
}

const nodesOf = (mesh: Mesh): Node[] =>
  mesh.listParents().filter((parent): parent is Node => parent.propertyType === 'Node');

/** Channels of clips that play a node's morphs. */
function weightChannels(
  document: Document,
  node: Node,
): { channel: AnimationChannel; sampler: AnimationSampler; clip: string }[] {
  return document
    .getRoot()
    .listAnimations()
    .flatMap((clip) =>
      clip.listChannels().flatMap((channel) => {
        const sampler = channel.getSampler();
        return sampler && channel.getTargetPath() === 'weights' && channel.getTargetNode() === node
          ? [{ channel, sampler, clip: clip.getName() }]
          : [];
      }),
    );
}

/** Values of a sampler with the old columns in another order; −1 stays at rest. */
function withColumns(sampler: AnimationSampler, before: number, columns: readonly number[]): Float32Array {
  const output = sampler.getOutput(),
    values = output && floatsOf(output),
    rows = values && before ? Math.floor(values.length / before) : 0,
    out = new Float32Array(rows * columns.length);
  if (values)
    for (let row = 0; row < rows; row++)
      columns.forEach((from, i) => {
        out[row * columns.length + i] = from < 0 ? 0 : values[row * before + from];
      });
  return out;
}
