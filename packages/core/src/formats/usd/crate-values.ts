import { openLz4 } from './lz4.ts';
import type { UsdArc, UsdNumbers, UsdValue } from './layer.ts';

/** Value types by number (AOUSD core specification, crate data types). */
export const CRATE = {
  bool: 1,
  uchar: 2,
  int: 3,
  uint: 4,
  int64: 5,
  uint64: 6,
  half: 7,
  float: 8,
  double: 9,
  string: 10,
  token: 11,
  asset: 12,
  matrix2d: 13,
  matrix3d: 14,
  matrix4d: 15,
  quatd: 16,
  quatf: 17,
  quath: 18,
  vec2d: 19,
  vec2f: 20,
  vec2h: 21,
  vec2i: 22,
  vec3d: 23,
  vec3f: 24,
  vec3h: 25,
  vec3i: 26,
  vec4d: 27,
  vec4f: 28,
  vec4h: 29,
  vec4i: 30,
  dictionary: 31,
  tokenListOp: 32,
  stringListOp: 33,
  pathListOp: 34,
  referenceListOp: 35,
  intListOp: 36,
  int64ListOp: 37,
  uintListOp: 38,
  uint64ListOp: 39,
  pathVector: 40,
  tokenVector: 41,
  specifier: 42,
  permission: 43,
  variability: 44,
  variantSelection: 45,
  timeSamples: 46,
  payload: 47,
  doubleVector: 48,
  layerOffsets: 49,
  stringVector: 50,
  block: 51,
  value: 52,
  payloadListOp: 55,
  timeCode: 56,
} as const;
/** Numbers per element and how each is stored, for everything that is numbers. */
const SHAPE: Record<number, [count: number, kind: 'h' | 'f' | 'd' | 'i' | 'u' | 'b' | 'l' | 'L']> = {
  [CRATE.bool]: [1, 'b'],
  [CRATE.uchar]: [1, 'b'],
  [CRATE.int]: [1, 'i'],
  [CRATE.uint]: [1, 'u'],
  [CRATE.int64]: [1, 'l'],
  [CRATE.uint64]: [1, 'L'],
  [CRATE.half]: [1, 'h'],
  [CRATE.float]: [1, 'f'],
  [CRATE.double]: [1, 'd'],
  [CRATE.timeCode]: [1, 'd'],
  [CRATE.matrix2d]: [4, 'd'],
  [CRATE.matrix3d]: [9, 'd'],
  [CRATE.matrix4d]: [16, 'd'],
  [CRATE.quatd]: [4, 'd'],
  [CRATE.quatf]: [4, 'f'],
  [CRATE.quath]: [4, 'h'],
  [CRATE.vec2d]: [2, 'd'],
  [CRATE.vec2f]: [2, 'f'],
  [CRATE.vec2h]: [2, 'h'],
  [CRATE.vec2i]: [2, 'i'],
  [CRATE.vec3d]: [3, 'd'],
  [CRATE.vec3f]: [3, 'f'],
  [CRATE.vec3h]: [3, 'h'],
  [CRATE.vec3i]: [3, 'i'],
  [CRATE.vec4d]: [4, 'd'],
  [CRATE.vec4f]: [4, 'f'],
  [CRATE.vec4h]: [4, 'h'],
  [CRATE.vec4i]: [4, 'i'],
};
const BYTES = { h: 2, f: 4, d: 8, i: 4, u: 4, b: 1, l: 8, L: 8 } as const;

/** What a listed edit says, one list for each way of editing. */
export interface ListOp<T> {
  explicit: T[] | null;
  add: T[];
  prepend: T[];
  append: T[];
  remove: T[];
}

/** Reads values of a crate (.usdc) where their representation points. Every count is held against the bytes that are left. */
export class CrateValues {
  tokens: string[] = [];
  strings: number[] = [];
  /** Full path of each path index. */
  paths: string[] = [];
  private readonly view: DataView;
  private depth = 0;
  constructor(
    readonly bytes: Uint8Array,
    readonly version: number,
    readonly bad: (what: string) => Error,
  ) {
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  }

  /** 64 bits that stay below 2^53. */
  size(at: number): number {
    this.need(at, 8);
    const value = this.view.getUint32(at, true) + this.view.getUint32(at + 4, true) * 2 ** 32;
    if (!Number.isSafeInteger(value)) throw this.bad(`a count of ${value} at byte ${at} is too large`);
    return value;
  }
  u32(at: number): number {
    this.need(at, 4);
    return this.view.getUint32(at, true);
  }
  need(at: number, bytes: number): void {
    if (!(at >= 0 && bytes >= 0 && at + bytes <= this.bytes.length))
      throw this.bad(`it names byte ${at + bytes}, past its end; the file is cut off or damaged`);
  }

  /** The chunked LZ4 that crates use: a count of chunks, 0 for one block that fills the rest. */
  open(at: number, packed: number, opened: number): Uint8Array {
    this.need(at, packed);
    // LZ4 can't grow its input more than 255 times.
    if (opened > packed * 256 + 64) throw this.bad(`${packed} bytes claim to open to ${opened}`);
    const out = new Uint8Array(opened),
      end = at + packed;
    if (packed < 1) return out;
    const chunks = this.bytes[at];
    let from = at + 1,
      to = 0;
    for (let c = 0; c < Math.max(1, chunks); c++) {
      let size = end - from;
      if (chunks) {
        size = this.u32(from);
        from += 4;
        this.need(from, size);
      }
      const wrote = openLz4(this.bytes, from, Math.min(end, from + size), out, to);
      if (wrote < 0) throw this.bad(`a packed block at byte ${from} is damaged`);
      from += size;
      to += wrote;
    }
    return out;
  }

  /** Delta-coded integers, packed: a commonest step, two bits a number, then steps of 1, 2 or 4 bytes (2, 4 or 8 for wide ones). @returns the numbers and the place after them */
  integers(at: number, count: number, wide = false): { values: Int32Array | Float64Array; next: number } {
    const packed = this.size(at);
    this.need(at + 8, packed);
    const unit = wide ? 8 : 4,
      codes = Math.ceil(count / 4),
      most = unit + codes + count * unit;
    if (count > packed * 1024 + 64) throw this.bad(`${packed} bytes claim to hold ${count} numbers`);
    const chunk = this.open(at + 8, packed, Math.min(most, packed * 256 + 64)),
      view = new DataView(chunk.buffer);
    const out = wide ? new Float64Array(count) : new Int32Array(count);
    const long = (place: number) => view.getInt32(place + 4, true) * 2 ** 32 + view.getUint32(place, true);
    if (unit + codes > chunk.length) throw this.bad(`packed numbers at byte ${at} are cut off`);
    const common = wide ? long(0) : view.getInt32(0, true);
    let place = unit + codes,
      value = 0;
    for (let i = 0; i < count; i++) {
      const code = (chunk[unit + (i >> 2)] >> ((i & 3) * 2)) & 3;
      const size = code === 0 ? 0 : (wide ? 1 : 0.5) * 2 ** code;
      if (place + size > chunk.length) throw this.bad(`packed numbers at byte ${at} are cut off`);
      if (code === 0) value += common;
      else if (size === 1) value += view.getInt8(place);
      else if (size === 2) value += view.getInt16(place, true);
      else if (size === 4) value += view.getInt32(place, true);
      else value += long(place);
      place += size;
      out[i] = value;
      if (!wide) value |= 0;
    }
    return { values: out, next: at + 8 + packed };
  }

  /** @param at where the eight bytes of the representation stand */
  read(at: number): UsdValue {
    this.need(at, 8);
    return this.valueOf(this.view.getUint32(at, true), this.view.getUint32(at + 4, true));
  }

  /** The value of a representation: flags, type and either the value itself or its place. */
  valueOf(low: number, high: number): UsdValue {
    const type = (high >>> 16) & 0xff,
      payload = low + (high & 0xffff) * 2 ** 32;
    const isArray = (high & 0x8000_0000) !== 0,
      inlined = (high & 0x4000_0000) !== 0,
      packed = (high & 0x2000_0000) !== 0;
    if (++this.depth > 64) throw this.bad('its values are nested too deeply');
    try {
      if (isArray) return payload === 0 ? this.emptyArray(type) : this.array(type, payload, packed);
      return inlined ? this.inline(type, low) : this.scalar(type, payload);
    } finally {
      this.depth--;
    }
  }

  private token(index: number): string {
    const token = this.tokens[index];
    if (token === undefined) throw this.bad(`it names token ${index} of ${this.tokens.length}`);
    return token;
  }
  string(index: number): string {
    const token = this.strings[index];
    if (token === undefined) throw this.bad(`it names text ${index} of ${this.strings.length}`);
    return this.token(token);
  }
  private pathOf(index: number): string {
    return this.paths[index] ?? '';
  }

  private emptyArray(type: number): UsdValue {
    return SHAPE[type] ? new Float64Array(0) : [];
  }

  private inline(type: number, payload: number): UsdValue {
    SCRATCH.setUint32(0, payload, true);
    switch (type) {
      case CRATE.bool:
        return payload !== 0;
      case CRATE.uchar:
        return payload & 255;
      case CRATE.int:
      case CRATE.int64:
        return payload | 0;
      case CRATE.uint:
      case CRATE.uint64:
      case CRATE.specifier:
      case CRATE.permission:
      case CRATE.variability:
        return payload;
      case CRATE.half:
        return half(payload & 0xffff);
      case CRATE.float:
      case CRATE.double:
      case CRATE.timeCode:
        return SCRATCH.getFloat32(0, true);
      case CRATE.string:
        return this.string(payload);
      case CRATE.token:
        return this.token(payload);
      case CRATE.asset:
        return [{ asset: this.token(payload), prim: '' }];
      case CRATE.vec2h:
        return Float64Array.of(half(payload & 0xffff), half(payload >>> 16));
      case CRATE.block:
        return null;
      case CRATE.dictionary:
        return new Map();
    }
    const shape = SHAPE[type];
    if (!shape) return null;
    // Vectors whose numbers all fit a signed byte; matrices by their diagonal.
    const [count] = shape;
    const side = type === CRATE.matrix2d ? 2 : type === CRATE.matrix3d ? 3 : type === CRATE.matrix4d ? 4 : 0;
    const out = new Float64Array(count);
    for (let i = 0; i < (side || Math.min(4, count)); i++) out[side ? i * (side + 1) : i] = SCRATCH.getInt8(i);
    return out;
  }

  private scalar(type: number, at: number): UsdValue {
    const shape = SHAPE[type];
    if (shape) {
      const values = this.numbers(at, 1, shape);
      return shape[0] === 1 ? (type === CRATE.bool ? values[0] !== 0 : values[0]) : values;
    }
    switch (type) {
      case CRATE.string:
        return this.string(this.u32(at));
      case CRATE.token:
        return this.token(this.u32(at));
      case CRATE.asset:
        return [{ asset: this.token(this.u32(at)), prim: '' }];
      case CRATE.tokenVector:
        return this.vector(at, 4, (p) => this.token(this.u32(p))).items;
      case CRATE.stringVector:
        return this.vector(at, 4, (p) => this.string(this.u32(p))).items;
      case CRATE.pathVector:
        return this.vector(at, 4, (p) => ({ asset: '', prim: this.pathOf(this.u32(p)) })).items;
      case CRATE.doubleVector:
        return this.numbers(at + 8, this.size(at), [1, 'd']);
      case CRATE.tokenListOp:
        return flatten(this.listOp(at, 4, (p) => this.token(this.u32(p))));
      case CRATE.stringListOp:
        return flatten(this.listOp(at, 4, (p) => this.string(this.u32(p))));
      case CRATE.pathListOp:
        return flatten(this.listOp(at, 4, (p) => ({ asset: '', prim: this.pathOf(this.u32(p)) })));
      case CRATE.referenceListOp:
        return flatten(this.arcList(at, true));
      case CRATE.payloadListOp:
        return flatten(this.arcList(at, false));
      case CRATE.payload:
        return [this.arcAt(at, false).arc].filter((arc) => arc.asset || arc.prim);
      case CRATE.dictionary:
        return this.dictionary(at).map;
      case CRATE.variantSelection:
        return new Map(
          this.vector(at, 8, (p) => [this.string(this.u32(p)), this.string(this.u32(p + 4))] as [string, UsdValue])
            .items,
        );
      case CRATE.value:
        return this.read(at);
    }
    return null;
  }

  private array(type: number, at: number, packed: boolean): UsdValue {
    let place = at;
    if (this.version < 5) place += 4;
    const count = this.version < 7 ? this.u32(place) : this.size(place);
    place += this.version < 7 ? 4 : 8;
    if (count > 2 ** 31) throw this.bad(`an array of ${count} elements is too large`);
    const shape = SHAPE[type];
    if (shape)
      return packed && count >= 16 ? this.packedNumbers(type, place, count) : this.numbers(place, count, shape);
    this.need(place, count * 4);
    if (type === CRATE.token) return Array.from({ length: count }, (_, i) => this.token(this.u32(place + i * 4)));
    if (type === CRATE.string) return Array.from({ length: count }, (_, i) => this.string(this.u32(place + i * 4)));
    if (type === CRATE.asset)
      return Array.from({ length: count }, (_, i) => ({ asset: this.string(this.u32(place + i * 4)), prim: '' }));
    return null;
  }

  private numbers(at: number, count: number, [width, kind]: readonly [number, keyof typeof BYTES]): UsdNumbers {
    const n = count * width,
      { view } = this;
    this.need(at, n * BYTES[kind]);
    if (kind === 'f') {
      const out = new Float32Array(n);
      for (let i = 0; i < n; i++) out[i] = view.getFloat32(at + i * 4, true);
      return out;
    }
    if (kind === 'i') {
      const out = new Int32Array(n);
      for (let i = 0; i < n; i++) out[i] = view.getInt32(at + i * 4, true);
      return out;
    }
    const out = new Float64Array(n);
    for (let i = 0; i < n; i++)
      out[i] =
        kind === 'd'
          ? view.getFloat64(at + i * 8, true)
          : kind === 'h'
            ? half(view.getUint16(at + i * 2, true))
            : kind === 'u'
              ? view.getUint32(at + i * 4, true)
              : kind === 'b'
                ? view.getUint8(at + i)
                : (kind === 'l' ? view.getInt32(at + i * 8 + 4, true) : view.getUint32(at + i * 8 + 4, true)) *
                    2 ** 32 +
                  view.getUint32(at + i * 8, true);
    return out;
  }

  private packedNumbers(type: number, at: number, count: number): UsdNumbers {
    if (type === CRATE.int || type === CRATE.uint) {
      const { values } = this.integers(at, count);
      return type === CRATE.uint ? Float64Array.from(values, (x) => x >>> 0) : values;
    }
    if (type === CRATE.int64 || type === CRATE.uint64) return this.integers(at, count, true).values;
    this.need(at, 1);
    const code = String.fromCharCode(this.bytes[at]);
    if (code === 'i') return Float64Array.from(this.integers(at + 1, count).values);
    if (code !== 't') throw this.bad(`packed numbers at byte ${at} are of an unknown kind`);
    const size = this.u32(at + 1),
      table = this.numbers(at + 5, size, SHAPE[type]),
      width = BYTES[SHAPE[type][1]];
    return Float64Array.from(this.integers(at + 5 + size * width, count).values, (index) => table[index] ?? 0);
  }

  /** A count and that many items of a fixed size. */
  private vector<T>(at: number, width: number, item: (at: number) => T): { items: T[]; next: number } {
    const count = this.size(at);
    this.need(at + 8, count * width);
    return { items: Array.from({ length: count }, (_, i) => item(at + 8 + i * width)), next: at + 8 + count * width };
  }

  private listOp<T>(at: number, width: number, item: (at: number) => T): ListOp<T> {
    return this.lists(at, (p) => this.vector(p, width, item));
  }

  /** The lists that a header's bits announce, in their order. */
  private lists<T>(at: number, read: (at: number) => { items: T[]; next: number }): ListOp<T> {
    this.need(at, 1);
    const bits = this.bytes[at],
      out: ListOp<T> = { explicit: bits & 1 ? [] : null, add: [], prepend: [], append: [], remove: [] };
    let place = at + 1;
    const take = (bit: number): T[] => {
      if (!(bits & bit)) return [];
      const { items, next } = read(place);
      place = next;
      return items;
    };
    const explicit = take(2);
    if (out.explicit) out.explicit = explicit;
    out.add = take(4);
    out.prepend = take(32);
    out.append = take(64);
    out.remove = take(8);
    take(16);
    return out;
  }

  private arcList(at: number, reference: boolean): ListOp<UsdArc> {
    return this.lists(at, (p) => {
      const count = this.size(p),
        items: UsdArc[] = [];
      this.need(p + 8, count * 8);
      let place = p + 8;
      for (let i = 0; i < count; i++) {
        const { arc, next } = this.arcAt(place, reference);
        items.push(arc);
        place = next;
      }
      return { items, next: place };
    });
  }

  private arcAt(at: number, reference: boolean): { arc: UsdArc; next: number } {
    const arc = { asset: this.string(this.u32(at)), prim: this.pathOf(this.u32(at + 4)) };
    let next = at + 8;
    if (reference || this.version >= 8) next += 16;
    if (reference) next = this.dictionary(next).next;
    return { arc, next };
  }

  private dictionary(at: number): { map: Map<string, UsdValue>; next: number } {
    const count = this.size(at),
      map = new Map<string, UsdValue>();
    this.need(at + 8, count * 20);
    let place = at + 8;
    for (let i = 0; i < count; i++) {
      const key = this.string(this.u32(place)),
        rep = this.jump(place + 4);
      map.set(key, this.read(rep));
      place = rep + 8;
    }
    return { map, next: place };
  }

  /** Where a relative offset leads. */
  private jump(at: number): number {
    this.need(at, 8);
    const target = at + this.view.getInt32(at + 4, true) * 2 ** 32 + this.view.getUint32(at, true);
    this.need(target, 8);
    return target;
  }

  /** Times and values of an attribute that moves. */
  samples(low: number, high: number): { times: number[]; values: UsdValue[] } | null {
    if (((high >>> 16) & 0xff) !== CRATE.timeSamples) return null;
    const at = low + (high & 0xffff) * 2 ** 32;
    const timesRep = this.jump(at),
      times = this.read(timesRep);
    const list = this.jump(timesRep + 8),
      count = this.size(list);
    this.need(list + 8, count * 8);
    const out = { times: [] as number[], values: [] as UsdValue[] };
    if (!(times instanceof Float64Array)) return out;
    for (let i = 0; i < Math.min(count, times.length); i++) {
      const value = this.read(list + 8 + i * 8);
      if (value !== null && Number.isFinite(times[i])) {
        out.times.push(times[i]);
        out.values.push(value);
      }
    }
    return out;
  }
}

/** Opinions of one list edit as a plain list: within a file nothing weaker stands below it. */
function flatten<T extends string | UsdArc>(op: ListOp<T>): UsdValue {
  const all = op.explicit ?? [...op.prepend, ...op.add, ...op.append];
  return all as string[] | UsdArc[];
}

const SCRATCH = new DataView(new ArrayBuffer(4));

export function half(bits: number): number {
  const sign = bits & 0x8000 ? -1 : 1,
    exponent = (bits >> 10) & 31,
    fraction = bits & 1023;
  if (exponent === 0) return sign * fraction * 2 ** -24;
  return exponent === 31
    ? fraction
      ? Number.NaN
      : sign * Infinity
    : sign * (1 + fraction / 1024) * 2 ** (exponent - 15);
}
