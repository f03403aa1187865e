import type { GLTF } from '@gltf-transform/core';
import * as v from 'valibot';
import { ProblemError } from '../../problem.ts';

/** Numbers that stay numbers when they are stored in 32 bits. */
const MOST_FLOAT = 3.4028234e38;
const real = v.pipe(
  v.number(),
  v.check((x) => Math.abs(x) <= MOST_FLOAT, 'a finite number'),
);
const index = v.pipe(v.number(), v.integer('a whole number'), v.minValue(0, 'a whole number from 0 up'));
const size = index;
const optional = <T extends v.GenericSchema>(schema: T) => v.optional(schema);
const object = v.looseObject({});
const name = { name: optional(v.string()), extras: v.optional(v.unknown()), extensions: optional(object) };
const reals = (length: number) => v.pipe(v.array(real), v.length(length, `a list of ${length} numbers`));
const place = v.looseObject({
  index,
  texCoord: optional(index),
  scale: optional(real),
  strength: optional(real),
  extensions: optional(object),
});
const attributes = v.record(v.string(), index);

/** What of a glTF's JSON is read here or in the library below, by type (glTF 2.0, §5): everything else may be as it likes. */
const GltfSchema = v.looseObject({
  asset: v.looseObject({ version: v.string(), generator: optional(v.string()), copyright: optional(v.string()) }),
  scene: optional(index),
  scenes: optional(v.array(v.looseObject({ ...name, nodes: optional(v.array(index)) }))),
  nodes: optional(
    v.array(
      v.looseObject({
        ...name,
        children: optional(v.array(index)),
        mesh: optional(index),
        skin: optional(index),
        camera: optional(index),
        matrix: optional(reals(16)),
        translation: optional(reals(3)),
        rotation: optional(reals(4)),
        scale: optional(reals(3)),
        weights: optional(v.array(real)),
      }),
    ),
  ),
  meshes: optional(
    v.array(
      v.looseObject({
        ...name,
        primitives: v.array(
          v.looseObject({
            attributes,
            indices: optional(index),
            material: optional(index),
            mode: optional(index),
            targets: optional(v.array(attributes)),
            extensions: optional(object),
          }),
        ),
        weights: optional(v.array(real)),
      }),
    ),
  ),
  accessors: optional(
    v.array(
      v.looseObject({
        ...name,
        bufferView: optional(index),
        byteOffset: optional(size),
        componentType: index,
        count: size,
        type: v.string(),
        normalized: optional(v.boolean()),
        min: optional(v.array(v.number())),
        max: optional(v.array(v.number())),
        sparse: optional(
          v.looseObject({
            count: size,
            indices: v.looseObject({ bufferView: index, byteOffset: optional(size), componentType: index }),
            values: v.looseObject({ bufferView: index, byteOffset: optional(size) }),
          }),
        ),
      }),
    ),
  ),
  bufferViews: optional(
    v.array(
      v.looseObject({
        ...name,
        buffer: index,
        byteOffset: optional(size),
        byteLength: size,
        byteStride: optional(size),
        target: optional(index),
      }),
    ),
  ),
  buffers: optional(v.array(v.looseObject({ ...name, uri: optional(v.string()), byteLength: size }))),
  images: optional(
    v.array(
      v.looseObject({
        ...name,
        uri: optional(v.string()),
        mimeType: optional(v.string()),
        bufferView: optional(index),
      }),
    ),
  ),
  textures: optional(v.array(v.looseObject({ ...name, source: optional(index), sampler: optional(index) }))),
  samplers: optional(
    v.array(
      v.looseObject({
        ...name,
        magFilter: optional(index),
        minFilter: optional(index),
        wrapS: optional(index),
        wrapT: optional(index),
      }),
    ),
  ),
  materials: optional(
    v.array(
      v.looseObject({
        ...name,
        normalTexture: optional(place),
        occlusionTexture: optional(place),
        emissiveTexture: optional(place),
        emissiveFactor: optional(reals(3)),
        alphaMode: optional(v.string()),
        alphaCutoff: optional(real),
        doubleSided: optional(v.boolean()),
        pbrMetallicRoughness: optional(
          v.looseObject({
            baseColorFactor: optional(reals(4)),
            metallicFactor: optional(real),
            roughnessFactor: optional(real),
            baseColorTexture: optional(place),
            metallicRoughnessTexture: optional(place),
          }),
        ),
      }),
    ),
  ),
  skins: optional(
    v.array(
      v.looseObject({
        ...name,
        joints: v.array(index),
        inverseBindMatrices: optional(index),
        skeleton: optional(index),
      }),
    ),
  ),
  animations: optional(
    v.array(
      v.looseObject({
        ...name,
        samplers: v.array(v.looseObject({ input: index, output: index, interpolation: optional(v.string()) })),
        channels: v.array(
          v.looseObject({ sampler: index, target: v.looseObject({ node: optional(index), path: v.string() }) }),
        ),
      }),
    ),
  ),
  cameras: optional(v.array(object)),
  extensionsUsed: optional(v.array(v.string())),
  extensionsRequired: optional(v.array(v.string())),
  extensions: optional(object),
});

/** Checks the types of everything that is read of a glTF's JSON, before anything is asked of it. @throws ProblemError gltf.shape, naming the field */
export function checkShape(json: unknown, path: string): asserts json is GLTF.IGLTF {
  const parsed = v.safeParse(GltfSchema, json, { abortEarly: true });
  if (parsed.success) return;
  const [issue] = parsed.issues,
    where = issue.path?.map((item) => String(item.key)).join('.') || 'the whole';
  throw new ProblemError(
    'gltf.shape',
    `“${path}” is damaged: ${where} should be ${wanted(issue)}, and is ${issue.received}. Export it again.`,
    where,
  );
}

/** What was expected, in words. */
function wanted({ type, expected, message }: v.BaseIssue<unknown>): string {
  const words: Record<string, string> = {
    number: 'a number',
    string: 'text',
    array: 'a list',
    boolean: 'true or false',
    loose_object: 'an object',
    record: 'an object',
  };
  return words[type] ?? (/^(a|an) /.test(message) ? message : (expected ?? message));
}
