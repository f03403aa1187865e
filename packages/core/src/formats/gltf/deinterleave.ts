import type { GLTF } from '@gltf-transform/core';

/** Components of the types whose elements lie without padding inside. */
const COMPONENTS: Readonly<Record<string, number>> = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4, MAT4: 16 };
const BYTES: Readonly<Record<number, 1 | 2 | 4>> = { 5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4 };
const VIEWS = { 1: Uint8Array, 2: Uint16Array, 4: Uint32Array };

interface Job {
  accessor: GLTF.IAccessor;
  source: Uint8Array<ArrayBuffer>;
  start: number;
  stride: number;
  components: number;
  size: 1 | 2 | 4;
  at: number;
}

/**
 * Lays interleaved accessors out one behind the other, in a buffer of their own, by whole components: the library
 * reads interleaved data byte by byte, which is more than half the time of reading a large character. Call after
 * the references were checked. Accessors that don't lie on their component's boundary are left to the library.
 * @param json changed in place
 * @param bytesOf bytes of a buffer that is at hand, by its index
 */
export function deinterleave(
  json: GLTF.IGLTF,
  resources: Record<string, Uint8Array<ArrayBuffer>>,
  bytesOf: (buffer: number) => Uint8Array<ArrayBuffer> | undefined,
): void {
  const views = json.bufferViews ?? [],
    jobs: Job[] = [];
  let total = 0;
  for (const accessor of json.accessors ?? []) {
    const view = accessor.bufferView === undefined ? undefined : views[accessor.bufferView];
    const components = COMPONENTS[accessor.type],
      size = BYTES[accessor.componentType];
    if (
      !view?.byteStride ||
      view.extensions ||
      !components ||
      !size ||
      view.byteStride === components * size ||
      view.byteStride % size
    )
      continue;
    const source = bytesOf(view.buffer);
    if (!source) continue;
    const start = source.byteOffset + (view.byteOffset ?? 0) + (accessor.byteOffset ?? 0);
    if (start % size) continue;
    jobs.push({ accessor, source, start, stride: view.byteStride / size, components, size, at: total });
    total += (accessor.count * components * size + 3) & ~3;
  }
  if (!jobs.length) return;
  const dense = new ArrayBuffer(total),
    buffer = json.buffers?.length ?? 0,
    uri = '@dense.bin';
  json.buffers = [...(json.buffers ?? []), { uri, byteLength: total }];
  json.bufferViews = views;
  resources[uri] = new Uint8Array(dense);
  for (const { accessor, source, start, stride, components, size, at } of jobs) {
    const View = VIEWS[size],
      count = accessor.count;
    const from = new View(source.buffer, start, count ? (count - 1) * stride + components : 0),
      to = new View(dense, at, count * components);
    for (let i = 0, a = 0, b = 0; i < count; i++, a += stride)
      for (let c = 0; c < components; c++) to[b++] = from[a + c];
    accessor.bufferView = views.push({ buffer, byteOffset: at, byteLength: count * components * size }) - 1;
    accessor.byteOffset = 0;
  }
}
