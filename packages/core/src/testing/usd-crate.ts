import { CRATE, type UsdArc, type UsdAttribute, type UsdLayer, type UsdPrim, type UsdValue } from '../formats/index.ts';

/** LZ4 of literals and runs of one byte, so that matches are read too. */
export function packLz4(bytes: Uint8Array): Uint8Array {
  const out: number[] = [0];
  const lengths = (n: number) => {
    for (let rest = n - 15; rest >= 0; rest -= 255) out.push(Math.min(255, rest));
  };
  let from = 0;
  for (let i = 0; i < bytes.length; i++) {
    let run = 0;
    while (i + 1 + run < bytes.length - 12 && bytes[i + 1 + run] === bytes[i]) run++;
    if (run < 8) continue;
    const literals = i + 1 - from;
    out.push((Math.min(15, literals) << 4) | Math.min(15, run - 4));
    if (literals >= 15) lengths(literals);
    for (let k = from; k <= i; k++) out.push(bytes[k]);
    out.push(1, 0);
    if (run - 4 >= 15) lengths(run - 4);
    i += run;
    from = i + 1;
  }
  const literals = bytes.length - from;
  out.push(Math.min(15, literals) << 4);
  if (literals >= 15) lengths(literals);
  for (let k = from; k < bytes.length; k++) out.push(bytes[k]);
  return Uint8Array.from(out);
}

/** Grows; every write is little endian. */
class Bytes {
  array = new Uint8Array(1 << 16);
  length = 0;
  view = new DataView(this.array.buffer);
  room(n: number): number {
    if (this.length + n > this.array.length) {
      const wider = new Uint8Array((this.length + n) * 2);
      wider.set(this.array);
      this.array = wider;
      this.view = new DataView(wider.buffer);
    }
    const at = this.length;
    this.length += n;
    return at;
  }
  u8(x: number): void {
    const at = this.room(1);
    this.array[at] = x;
  }
  u32(x: number): void {
    const at = this.room(4);
    this.view.setUint32(at, x, true);
  }
  i32(x: number): void {
    const at = this.room(4);
    this.view.setInt32(at, x, true);
  }
  u64(x: number): void {
    this.u32(x % 2 ** 32);
    this.u32(Math.floor(x / 2 ** 32));
  }
  i64(x: number): void {
    this.u32(x >>> 0);
    this.i32(Math.floor(x / 2 ** 32));
  }
  f32(x: number): void {
    const at = this.room(4);
    this.view.setFloat32(at, x, true);
  }
  f64(x: number): void {
    const at = this.room(8);
    this.view.setFloat64(at, x, true);
  }
  all(bytes: Uint8Array): void {
    const at = this.room(bytes.length);
    this.array.set(bytes, at);
  }
  done(): Uint8Array {
    return this.array.slice(0, this.length);
  }
}

/** Steps between numbers, two bits a number and the commonest step once. */
export function packIntegers(values: ArrayLike<number>): Uint8Array {
  const steps = Array.from(values, (x, i) => (x - (i ? values[i - 1] : 0)) | 0),
    seen = new Map<number, number>();
  for (const step of steps) seen.set(step, (seen.get(step) ?? 0) + 1);
  let common = 0;
  for (const [step, count] of seen) if (count > (seen.get(common) ?? 0)) common = step;
  const out = new Bytes(),
    codes = new Uint8Array(Math.ceil(steps.length / 4)),
    rest = new Bytes();
  steps.forEach((step, i) => {
    const code = step === common ? 0 : step >= -128 && step < 128 ? 1 : step >= -32768 && step < 32768 ? 2 : 3;
    codes[i >> 2] |= code << ((i & 3) * 2);
    if (code === 1) rest.u8(step & 255);
    else if (code === 2) {
      rest.u8(step & 255);
      rest.u8((step >> 8) & 255);
    } else if (code === 3) rest.i32(step);
  });
  out.i32(common);
  out.all(codes);
  out.all(rest.done());
  return packLz4(out.done());
}

const TYPE: Record<string, number> = {
  bool: CRATE.bool,
  int: CRATE.int,
  half: CRATE.half,
  float: CRATE.float,
  double: CRATE.double,
  string: CRATE.string,
  token: CRATE.token,
  asset: CRATE.asset,
  matrix4d: CRATE.matrix4d,
  quatf: CRATE.quatf,
  float2: CRATE.vec2f,
  float3: CRATE.vec3f,
  half3: CRATE.vec3h,
  float4: CRATE.vec4f,
  texCoord2f: CRATE.vec2f,
  point3f: CRATE.vec3f,
  normal3f: CRATE.vec3f,
  vector3f: CRATE.vec3f,
  color3f: CRATE.vec3f,
  double3: CRATE.vec3d,
};
const WIDTH = (type: number): number =>
  ({
    [CRATE.matrix4d]: 16,
    [CRATE.quatf]: 4,
    [CRATE.vec2f]: 2,
    [CRATE.vec3f]: 3,
    [CRATE.vec3h]: 3,
    [CRATE.vec3d]: 3,
    [CRATE.vec4f]: 4,
  })[type] ?? 1;

/** A layer in the binary form of USD, version 0.8, for tests of its reader: packed integers, tokens, paths, list edits, samples. */
export function writeCrate(layer: UsdLayer): Uint8Array {
  const out = new Bytes(),
    tokens: string[] = [''],
    strings: number[] = [],
    known = new Map([['', 0]]);
  const token = (text: string): number => {
    let at = known.get(text);
    if (at === undefined) {
      at = tokens.push(text) - 1;
      known.set(text, at);
    }
    return at;
  };
  const string = (text: string): number => strings.push(token(text)) - 1;
  out.all(Uint8Array.from([...'PXR-USDC'].map((c) => c.charCodeAt(0)).concat([0, 8, 0, 0, 0, 0, 0, 0])));
  out.room(72);
  interface Path {
    full: string;
    token: string;
    property: boolean;
    children: Path[];
  }
  const top: Path = { full: '/', token: '', property: false, children: [] },
    all: Path[] = [],
    index = new Map<string, number>();
  const specs: { path: Path; type: number; fields: [string, [number, number]][] }[] = [];
  const rep = (type: number, payload: number, flags = 0): [number, number] => [
    payload >>> 0,
    ((flags << 29) | (type << 16) | Math.floor(payload / 2 ** 32)) >>> 0,
  ];
  const INLINE = 2,
    ARRAY = 4,
    PACKED = 1;
  const inlineFloat = new DataView(new ArrayBuffer(4));
  const pathIndex = (path: string): number => index.get(path) ?? 0;

  const value = (kind: string, content: UsdValue, isArray = false): [number, number] => {
    const type = TYPE[kind] ?? CRATE.token;
    if (content === null) return rep(CRATE.block, 0, INLINE);
    if (typeof content === 'boolean') return rep(CRATE.bool, Number(content), INLINE);
    if (typeof content === 'string')
      return type === CRATE.string
        ? rep(CRATE.string, string(content), INLINE)
        : rep(CRATE.token, token(content), INLINE);
    if (typeof content === 'number') {
      if (type === CRATE.int) return rep(type, content >>> 0, INLINE);
      if (type === CRATE.double && Math.fround(content) !== content) {
        const at = out.length;
        out.f64(content);
        return rep(type, at);
      }
      inlineFloat.setFloat32(0, content, true);
      return rep(type === CRATE.double ? CRATE.double : CRATE.float, inlineFloat.getUint32(0, true), INLINE);
    }
    if (content instanceof Map) {
      const at = dictionary(content);
      return rep(CRATE.dictionary, at);
    }
    if (Array.isArray(content)) {
      if (kind === 'asset') return rep(CRATE.asset, token((content[0] as UsdArc).asset), INLINE);
      const at = out.length;
      out.u64(content.length);
      for (const entry of content) out.u32(token(entry as string));
      return rep(CRATE.token, content.length ? at : 0, ARRAY);
    }
    const width = WIDTH(type),
      single = !isArray;
    const put = (x: number) =>
      type === CRATE.int
        ? out.i32(x)
        : type === CRATE.double || type === CRATE.vec3d || type === CRATE.matrix4d
          ? out.f64(x)
          : type === CRATE.vec3h
            ? (out.u8(halfOf(x) & 255), out.u8(halfOf(x) >> 8))
            : out.f32(x);
    const at = out.length;
    if (single) {
      for (const x of content) put(x);
      return rep(type, at);
    }
    if (!content.length) return rep(type, 0, ARRAY);
    out.u64(content.length / width);
    if (type === CRATE.int && content.length >= 16) {
      const packed = packIntegers(content);
      out.u64(packed.length);
      out.all(packed);
      return rep(type, at, ARRAY | PACKED);
    }
    if (type === CRATE.float && content.length >= 16 && [...content].every(Number.isInteger)) {
      const packed = packIntegers(content);
      out.u8(105);
      out.u64(packed.length);
      out.all(packed);
      return rep(type, at, ARRAY | PACKED);
    }
    if (type === CRATE.float && content.length >= 16) {
      const table = [...new Set(content)],
        packed = packIntegers(Array.from(content, (x) => table.indexOf(x)));
      if (table.length < 500) {
        out.u8(116);
        out.u32(table.length);
        for (const x of table) out.f32(x);
        out.u64(packed.length);
        out.all(packed);
        return rep(type, at, ARRAY | PACKED);
      }
    }
    for (const x of content) put(x);
    return rep(type, at, ARRAY);
  };
  const dictionary = (map: ReadonlyMap<string, UsdValue>): number => {
    const reps = [...map].map(
        ([key, entry]) => [string(key), value(typeof entry === 'number' ? 'double' : 'string', entry)] as const,
      ),
      at = out.length;
    out.u64(reps.length);
    for (const [key, [low, high]] of reps) {
      out.u32(key);
      out.i64(8);
      out.u32(low);
      out.u32(high);
    }
    return at;
  };
  const listOp = (type: number, bits: number, write: () => void): [number, number] => {
    const at = out.length;
    out.u8(bits);
    write();
    return rep(type, at);
  };
  const pathList = (paths: readonly string[]): [number, number] =>
    listOp(CRATE.pathListOp, 1 | 2, () => {
      out.u64(paths.length);
      for (const path of paths) out.u32(pathIndex(path));
    });
  const arcs = (type: number, list: readonly UsdArc[]): [number, number] =>
    listOp(type, 32, () => {
      out.u64(list.length);
      for (const arc of list) {
        out.u32(string(arc.asset));
        out.u32(arc.prim ? pathIndex(arc.prim) : 0xffffffff);
        out.f64(0);
        out.f64(1);
        if (type === CRATE.referenceListOp) out.u64(0);
      }
    });
  const samples = (
    { times, values }: { times: number[]; values: UsdValue[] },
    type: string,
    isArray: boolean,
  ): [number, number] => {
    const reps = values.map((entry) => value(type, entry, isArray)),
      list = out.length;
    out.u64(times.length);
    for (const time of times) out.f64(time);
    const at = out.length;
    out.i64(8);
    for (const x of rep(CRATE.doubleVector, list)) out.u32(x);
    out.i64(8);
    out.u64(reps.length);
    for (const [low, high] of reps) {
      out.u32(low);
      out.u32(high);
    }
    return rep(CRATE.timeSamples, at);
  };

  // Paths first: list edits name them by number.
  const register = (parent: Path, prim: UsdPrim) => {
    const own: Path = {
      full: `${parent.full === '/' ? '' : parent.full}/${prim.name}`,
      token: prim.name,
      property: false,
      children: [],
    };
    parent.children.push(own);
    for (const name of [...prim.attributes.keys(), ...prim.relations.keys()])
      own.children.push({ full: `${own.full}.${name}`, token: name, property: true, children: [] });
    for (const child of prim.children.values()) register(own, child);
    for (const [set, choices] of prim.variants)
      for (const [name, choice] of choices) {
        const variant: Path = {
          full: `${own.full}{${set}=${name}}`,
          token: `{${set}=${name}}`,
          property: false,
          children: [],
        };
        own.children.push(variant);
        for (const key of [...choice.attributes.keys(), ...choice.relations.keys()])
          variant.children.push({ full: `${variant.full}.${key}`, token: key, property: true, children: [] });
        for (const child of choice.children.values()) register(variant, child);
      }
  };
  for (const prim of layer.root.children.values()) register(top, prim);
  const number = (path: Path) => {
    index.set(path.full, all.push(path) - 1);
    path.children.forEach(number);
  };
  number(top);
  const pathOf = (full: string) => all[index.get(full) as number];
  const attribute = (full: string, entry: UsdAttribute) => {
    const fields: [string, [number, number]][] = [
      ['typeName', rep(CRATE.token, token(`${entry.type}${entry.array ? '[]' : ''}`), INLINE)],
    ];
    if (entry.value !== undefined) fields.push(['default', value(entry.type, entry.value, entry.array)]);
    if (entry.samples) fields.push(['timeSamples', samples(entry.samples, entry.type, entry.array)]);
    if (entry.connections.length) fields.push(['connectionPaths', pathList(entry.connections)]);
    for (const [key, content] of entry.meta)
      fields.push([
        key,
        key === 'variability'
          ? rep(CRATE.variability, 1, INLINE)
          : typeof content === 'number'
            ? rep(CRATE.int, content, INLINE)
            : value('token', content),
      ]);
    specs.push({ path: pathOf(full), type: 1, fields });
  };
  const prims = (full: string, prim: UsdPrim, type: number) => {
    const fields: [string, [number, number]][] =
      type === 6 ? [['specifier', rep(CRATE.specifier, ['def', 'over', 'class'].indexOf(prim.specifier), INLINE)]] : [];
    if (prim.type) fields.push(['typeName', rep(CRATE.token, token(prim.type), INLINE)]);
    for (const [key, content] of prim.meta)
      if (key !== 'apiSchemas') fields.push([key, value('token', content)]);
      else
        fields.push([
          key,
          listOp(CRATE.tokenListOp, 32, () => {
            out.u64((content as string[]).length);
            for (const entry of content as string[]) out.u32(token(entry));
          }),
        ]);
    if (prim.arcs.references.length) fields.push(['references', arcs(CRATE.referenceListOp, prim.arcs.references)]);
    if (prim.arcs.payloads.length) fields.push(['payload', arcs(CRATE.payloadListOp, prim.arcs.payloads)]);
    if (prim.arcs.inherits.length) fields.push(['inheritPaths', pathList(prim.arcs.inherits)]);
    if (prim.selection.size) {
      const at = out.length;
      out.u64(prim.selection.size);
      for (const [set, name] of prim.selection) {
        out.u32(string(set));
        out.u32(string(name));
      }
      fields.push(['variantSelection', rep(CRATE.variantSelection, at)]);
    }
    if (prim.children.size) {
      const names = [...prim.children.keys()].map(token),
        at = out.length;
      out.u64(names.length);
      for (const name of names) out.u32(name);
      fields.push(['primChildren', rep(CRATE.tokenVector, at)]);
    }
    specs.push({ path: pathOf(full), type, fields });
    for (const [name, entry] of prim.attributes) attribute(`${full}.${name}`, entry);
    for (const [name, targets] of prim.relations)
      specs.push({ path: pathOf(`${full}.${name}`), type: 8, fields: [['targetPaths', pathList(targets)]] });
    for (const child of prim.children.values()) prims(`${full}/${child.name}`, child, 6);
    for (const [set, choices] of prim.variants)
      for (const [name, choice] of choices) prims(`${full}{${set}=${name}}`, choice, 10);
  };
  specs.push({
    path: top,
    type: 7,
    fields: [...layer.meta].map(
      ([key, content]) =>
        [key, value(typeof content === 'number' ? 'double' : 'token', content)] as [string, [number, number]],
    ),
  });
  for (const prim of layer.root.children.values()) prims(`/${prim.name}`, prim, 6);

  const sections: [string, number, number][] = [];
  const section = (name: string, write: () => void) => {
    const start = out.length;
    write();
    sections.push([name, start, out.length - start]);
  };
  const integers = (values: ArrayLike<number>) => {
    const packed = packIntegers(values);
    out.u64(packed.length);
    out.all(packed);
  };
  const fields = specs.flatMap((spec) => spec.fields),
    sets: number[] = [],
    starts: number[] = [];
  let next = 0;
  for (const spec of specs) {
    starts.push(sets.length);
    for (const _ of spec.fields) sets.push(next++);
    sets.push(-1);
  }
  const names = fields.map(([name]) => token(name)),
    order: Path[] = [],
    jumps: number[] = [];
  const walk = (path: Path, last: boolean): void => {
    const at = order.push(path) - 1;
    jumps.push(0);
    path.children.forEach((child, i) => walk(child, i === path.children.length - 1));
    jumps[at] = path.children.length ? (last ? -1 : order.length - at) : last ? -2 : 0;
  };
  walk(top, true);
  const elements = order.map((path) => (path.property ? -1 : 1) * token(path.token));
  section('TOKENS', () => {
    const text = new TextEncoder().encode(tokens.map((entry) => `${entry}\0`).join('')),
      packed = packLz4(text);
    out.u64(tokens.length);
    out.u64(text.length);
    out.u64(packed.length);
    out.all(packed);
  });
  section('STRINGS', () => {
    out.u64(strings.length);
    for (const entry of strings) out.u32(entry);
  });
  section('FIELDS', () => {
    const reps = new Bytes();
    for (const [, [low, high]] of fields) {
      reps.u32(low);
      reps.u32(high);
    }
    const packed = packLz4(reps.done());
    out.u64(fields.length);
    integers(names);
    out.u64(packed.length);
    out.all(packed);
  });
  section('FIELDSETS', () => {
    out.u64(sets.length);
    integers(sets);
  });
  section('PATHS', () => {
    out.u64(all.length);
    out.u64(all.length);
    integers(order.map((path) => index.get(path.full) as number));
    integers(elements);
    integers(jumps);
  });
  section('SPECS', () => {
    out.u64(specs.length);
    integers(specs.map((spec) => index.get(spec.path.full) as number));
    integers(starts);
    integers(specs.map((spec) => spec.type));
  });
  const toc = out.length;
  out.u64(sections.length);
  for (const [name, start, size] of sections) {
    const at = out.room(16);
    for (let i = 0; i < name.length; i++) out.array[at + i] = name.charCodeAt(i);
    out.u64(start);
    out.u64(size);
  }
  out.view.setUint32(16, toc, true);
  return out.done();
}

function halfOf(x: number): number {
  if (x === 0) return 0;
  const exponent = Math.floor(Math.log2(Math.abs(x))),
    fraction = Math.round((Math.abs(x) / 2 ** exponent - 1) * 1024);
  return (x < 0 ? 0x8000 : 0) | ((exponent + 15) << 10) | fraction;
}
