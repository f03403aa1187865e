import draco, { type Decoder, type DecoderModule, type Mesh } from 'draco3dgltf';
import { BufferAttribute, BufferGeometry } from 'three';

let ready: Promise<DecoderModule> | null = null;
const ARRAYS = { Float32Array, Int8Array, Uint8Array, Int16Array, Uint16Array, Int32Array, Uint32Array } as const;
type ArrayName = keyof typeof ARRAYS;

/** What the loader asks of a Draco decoder, without the workers that its own needs a browser for (KHR_draco_mesh_compression). */
export const dracoDecoder = {
  preload() {
    return this;
  },
  decodeDracoFile(
    buffer: ArrayBuffer,
    done: (geometry: BufferGeometry) => void,
    ids: Record<string, number>,
    types: Record<string, ArrayName>,
    _space: unknown,
    failed: (error: unknown) => void,
  ): void {
    ready ??= draco.createDecoderModule();
    ready.then((module) => done(decode(module, buffer, ids, types))).catch(failed);
  },
};

function decode(
  module: DecoderModule,
  buffer: ArrayBuffer,
  ids: Record<string, number>,
  types: Record<string, ArrayName>,
): BufferGeometry {
  const decoder = new module.Decoder(),
    bytes = new module.DecoderBuffer(),
    mesh = new module.Mesh();
  try {
    bytes.Init(new Int8Array(buffer), buffer.byteLength);
    if (!decoder.DecodeBufferToMesh(bytes, mesh).ok()) throw new Error("the Draco data can't be decoded");
    const geometry = new BufferGeometry();
    for (const [name, id] of Object.entries(ids))
      geometry.setAttribute(name, attributeOf(module, decoder, mesh, id, types[name] ?? 'Float32Array'));
    const bytesOfIndex = mesh.num_faces() * 12,
      at = module._malloc(bytesOfIndex);
    decoder.GetTrianglesUInt32Array(mesh, bytesOfIndex, at);
    geometry.setIndex(new BufferAttribute(new Uint32Array(module.HEAPU32.buffer, at, mesh.num_faces() * 3).slice(), 1));
    module._free(at);
    return geometry;
  } finally {
    for (const object of [bytes, mesh, decoder]) module.destroy(object);
  }
}

function attributeOf(
  module: DecoderModule,
  decoder: Decoder,
  mesh: Mesh,
  id: number,
  type: ArrayName,
): BufferAttribute {
  const attribute = decoder.GetAttributeByUniqueId(mesh, id),
    width = attribute.num_components(),
    count = mesh.num_points() * width;
  const kinds = {
    Float32Array: module.DT_FLOAT32,
    Int8Array: module.DT_INT8,
    Uint8Array: module.DT_UINT8,
    Int16Array: module.DT_INT16,
    Uint16Array: module.DT_UINT16,
    Int32Array: module.DT_INT32,
    Uint32Array: module.DT_UINT32,
  };
  const Kind = ARRAYS[type],
    size = count * Kind.BYTES_PER_ELEMENT,
    at = module._malloc(size);
  decoder.GetAttributeDataArrayForAllPoints(mesh, attribute, kinds[type], size, at);
  const array = new Kind(module.HEAPU32.buffer as ArrayBuffer, at, count).slice();
  module._free(at);
  return new BufferAttribute(array as InstanceType<typeof Kind>, width);
}
