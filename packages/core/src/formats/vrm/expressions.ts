import type { Document, Node } from '@gltf-transform/core';
import type * as v from 'valibot';
import { type FaceSchema, morphNamesOf } from '../../character/index.ts';

/** An expression by the morphs it plays. */
export type Face = v.InferOutput<typeof FaceSchema>;

/** Presets of VRM 1.0 (VRMC_vrm, expressions). */
export const PRESETS: readonly string[] = [
  'happy',
  'angry',
  'sad',
  'relaxed',
  'surprised',
  'aa',
  'ih',
  'ou',
  'ee',
  'oh',
  'blink',
  'blinkLeft',
  'blinkRight',
  'lookUp',
  'lookDown',
  'lookLeft',
  'lookRight',
  'neutral',
];
/** What VRM 0.x called them. */
const OLD_PRESETS: Readonly<Record<string, string>> = {
  joy: 'happy',
  sorrow: 'sad',
  fun: 'relaxed',
  a: 'aa',
  i: 'ih',
  u: 'ou',
  e: 'ee',
  o: 'oh',
  blink_l: 'blinkLeft',
  blink_r: 'blinkRight',
  lookup: 'lookUp',
  lookdown: 'lookDown',
  lookleft: 'lookLeft',
  lookright: 'lookRight',
};
const OVERRIDES = ['overrideBlink', 'overrideLookAt', 'overrideMouth'] as const;
const WAYS: readonly unknown[] = ['none', 'block', 'blend'];

type Json = Record<string, unknown>;
const object = (value: unknown): Json => (typeof value === 'object' && value !== null ? (value as Json) : {});
const listOf = (value: unknown): unknown[] => (Array.isArray(value) ? value : []);
const share = (value: unknown): number => (typeof value === 'number' && value > 0 ? Math.min(1, value) : 0);

/** Expressions of a VRM 1.0 file, by the names of the morphs that its numbers stand for. */
export function facesOf(document: Document, expressions: unknown): Face[] {
  const nodes = document.getRoot().listNodes(),
    group = (of: unknown, preset: boolean) =>
      Object.entries(object(of)).map(([name, entry]) => {
        const said = object(entry);
        return {
          name,
          preset: preset && PRESETS.includes(name),
          morphs: morphsOf(
            listOf(said.morphTargetBinds).map((bind) => {
              const { node, index, weight } = object(bind),
                mesh = typeof node === 'number' ? nodes[node]?.getMesh() : null;
              return [mesh && typeof index === 'number' ? morphNamesOf(mesh)[index] : undefined, share(weight)];
            }),
          ),
          ...(said.isBinary === true && { isBinary: true }),
          ...Object.fromEntries(OVERRIDES.flatMap((key) => (WAYS.includes(said[key]) ? [[key, said[key]]] : []))),
        } as Face;
      });
  const { preset, custom } = object(expressions);
  return [...group(preset, true), ...group(custom, false)].filter(({ morphs }) => morphs.length);
}

/** Expressions of a VRM 0.x file; its weights are percent. */
export function oldFacesOf(document: Document, master: unknown): Face[] {
  const meshes = document.getRoot().listMeshes();
  return listOf(object(master).blendShapeGroups).flatMap((entry): Face[] => {
    const said = object(entry),
      old = String(said.presetName ?? 'unknown').toLowerCase(),
      known = OLD_PRESETS[old] ?? (PRESETS.includes(old) ? old : null),
      name = known ?? String(said.name ?? ''),
      morphs = morphsOf(
        listOf(said.binds).map((bind) => {
          const { mesh, index, weight } = object(bind),
            found = typeof mesh === 'number' ? meshes[mesh] : undefined;
          return [
            found && typeof index === 'number' ? morphNamesOf(found)[index] : undefined,
            typeof weight === 'number' ? share(weight / 100) : 0,
          ];
        }),
      );
    return name && morphs.length
      ? [{ name, preset: known !== null, morphs, ...(said.isBinary === true && { isBinary: true }) }]
      : [];
  });
}

/** Each morph once, however many meshes it is bound on. */
function morphsOf(binds: readonly (readonly [string | undefined, number])[]): Face['morphs'] {
  const out = new Map<string, number>();
  for (const [name, weight] of binds) if (name && weight) out.set(name, Math.max(weight, out.get(name) ?? 0));
  return [...out].map(([name, weight]) => ({ name, weight }));
}

/**
 * Expressions of a figure: presets and those of the target's own set by the morph of that name, else as a file of VRM had them,
 * as far as their morphs are there.
 * @param asked names of the target's set
 */
export function facesFor(morphs: readonly string[], asked: readonly string[], kept: readonly Face[]): Face[] {
  const have = new Set(morphs),
    own = [...PRESETS, ...asked.filter((name) => !PRESETS.includes(name))]
      .filter((name) => have.has(name))
      .map((name): Face => {
        const same = kept.find((face) => face.name === name);
        return { ...same, name, preset: PRESETS.includes(name), morphs: [{ name, weight: 1 }] };
      }),
    named = new Set(own.map(({ name }) => name));
  return [
    ...own,
    ...kept
      .filter(({ name }) => !named.has(name))
      .map((face) => ({ ...face, morphs: face.morphs.filter(({ name }) => have.has(name)) }))
      .filter(({ morphs: left }) => left.length),
  ];
}

/** As the format writes an expression: every mesh that has one of its morphs. */
export function faceJson(face: Face, nodes: readonly Node[], numberOf: (node: Node) => number): object {
  const { name: _, preset: __, morphs, ...rest } = face;
  return {
    morphTargetBinds: morphs.flatMap(({ name, weight }) =>
      nodes.flatMap((node) => {
        const mesh = node.getMesh(),
          index = mesh ? morphNamesOf(mesh).indexOf(name) : -1;
        return index < 0 ? [] : [{ node: numberOf(node), index, weight }];
      }),
    ),
    ...rest,
  };
}
