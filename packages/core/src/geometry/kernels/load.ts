/** A kernel compiled once a thread and started anew for every memory it works in. */
export function kernel<Exports>(base64: string): (memory: WebAssembly.Memory) => Exports {
  let module: WebAssembly.Module | null = null;
  return (memory) => {
    module ??= new WebAssembly.Module(Uint8Array.from(atob(base64), (c) => c.charCodeAt(0)));
    return new WebAssembly.Instance(module, { env: { memory } }).exports as Exports;
  };
}

const PAGE = 65536;

/** Memory of a kernel, handed out once and never given back: it goes with whoever holds it. */
export class KernelMemory {
  readonly memory: WebAssembly.Memory;
  private at = 64;

  /** @param bytes what will be taken, all together; rounding up is seen to */
  constructor(bytes: number) {
    this.memory = new WebAssembly.Memory({ initial: Math.ceil((bytes + PAGE) / PAGE) });
  }

  take(bytes: number): number {
    const at = this.at;
    this.at = (at + bytes + 63) & ~63;
    if (this.at > this.memory.buffer.byteLength)
      throw new RangeError('A kernel asked for more memory than it reserved.');
    return at;
  }

  floats(length: number): Float32Array<ArrayBuffer> {
    return new Float32Array(this.memory.buffer, this.take(length * 4), length);
  }

  doubles(length: number): Float64Array<ArrayBuffer> {
    return new Float64Array(this.memory.buffer, this.take(length * 8), length);
  }

  words(length: number): Uint32Array<ArrayBuffer> {
    return new Uint32Array(this.memory.buffer, this.take(length * 4), length);
  }

  ints(length: number): Int32Array<ArrayBuffer> {
    return new Int32Array(this.memory.buffer, this.take(length * 4), length);
  }

  bytes(length: number): Uint8Array<ArrayBuffer> {
    return new Uint8Array(this.memory.buffer, this.take(length), length);
  }
}
