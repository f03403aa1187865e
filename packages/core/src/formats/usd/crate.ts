import { ProblemError } from '../../problem.ts';
import { CrateValues } from './crate-values.ts';
import {
  newAttribute,
  newPrim,
  primMeta,
  USD_LIMITS,
  type UsdArc,
  type UsdLayer,
  type UsdPrim,
  type UsdValue,
} from './layer.ts';

export const isCrate = (bytes: Uint8Array): boolean => [...'PXR-USDC'].every((c, i) => bytes[i] === c.charCodeAt(0));
const SPEC = { attribute: 1, prim: 6, root: 7, relation: 8, variant: 10, variantSet: 11 };
interface CrateField {
  name: string;
  low: number;
  high: number;
}
interface PathEntry {
  parent: number;
  token: string;
  property: boolean;
}

/**
 * Reads the binary form of USD (.usdc), versions 0.4 to 0.12, as the AOUSD core specification lays it out: tokens, texts,
 * fields, field sets, paths and specs, then each value where its representation points.
 * @throws ProblemError usd.crate
 */
export function readUsdCrate(bytes: Uint8Array, path: string): UsdLayer {
  const bad = (what: string) =>
    new ProblemError('usd.crate', `“${path}” can't be read: ${what}. Export it again, or as .usda.`, path);
  if (bytes.length < 88) throw bad('the file stops within its head');
  const [major, minor] = [bytes[8], bytes[9]];
  if (major !== 0 || minor < 4) throw bad(`it is of version ${major}.${minor}; versions from 0.4 on are read`);
  return new Crate(bytes, path, minor, bad).layer();
}

class Crate {
  private readonly values: CrateValues;
  private readonly sections = new Map<string, { start: number; size: number }>();
  private readonly entries: PathEntry[] = [];
  constructor(
    private readonly bytes: Uint8Array,
    private readonly path: string,
    version: number,
    private readonly bad: (what: string) => ProblemError,
  ) {
    this.values = new CrateValues(bytes, version, bad);
  }

  layer(): UsdLayer {
    const { values, bad } = this;
    const toc = values.size(16),
      count = values.size(toc);
    if (count > 64) throw bad(`it lists ${count} sections`);
    values.need(toc + 8, count * 32);
    for (let i = 0; i < count; i++) {
      const at = toc + 8 + i * 32,
        name = String.fromCharCode(...this.bytes.subarray(at, at + 16)).replace(/\0.*$/s, '');
      this.sections.set(name, { start: values.size(at + 16), size: values.size(at + 24) });
    }
    this.tokens();
    this.strings();
    const fields = this.fields(),
      sets = this.list('FIELDSETS', 1)[0];
    this.paths();
    const [specPaths, specSets, specTypes] = this.list('SPECS', 3);
    return this.build(fields, sets, specPaths, specSets, specTypes);
  }

  private section(name: string): number {
    const found = this.sections.get(name);
    if (!found) throw this.bad(`its section ${name} is missing`);
    this.values.need(found.start, found.size);
    return found.start;
  }

  private tokens(): void {
    const at = this.section('TOKENS'),
      { values } = this;
    const count = values.size(at),
      opened = values.size(at + 8),
      packed = values.size(at + 16);
    if (count > opened + 1) throw this.bad(`its ${count} tokens can't stand in ${opened} bytes`);
    const text = values.open(at + 24, packed, opened),
      decoder = new TextDecoder();
    for (let from = 0; values.tokens.length < count && from <= text.length; ) {
      let end = text.indexOf(0, from);
      if (end < 0) end = text.length;
      values.tokens.push(decoder.decode(text.subarray(from, end)));
      from = end + 1;
    }
  }

  private strings(): void {
    if (!this.sections.has('STRINGS')) return;
    const at = this.section('STRINGS'),
      count = this.values.size(at);
    this.values.need(at + 8, count * 4);
    for (let i = 0; i < count; i++) this.values.strings.push(this.values.u32(at + 8 + i * 4));
  }

  /** Name of each field and the two halves of its value's representation. */
  private fields(): CrateField[] {
    const at = this.section('FIELDS'),
      { values } = this,
      count = values.size(at);
    const { values: names, next } = values.integers(at + 8, count);
    const reps = new DataView(values.open(next + 8, values.size(next), count * 8).buffer);
    return Array.from({ length: count }, (_, i) => ({
      name: values.tokens[names[i]] ?? '',
      low: reps.getUint32(i * 8, true),
      high: reps.getUint32(i * 8 + 4, true),
    }));
  }

  /** A count and then that many of each of `columns` packed lists. */
  private list(section: string, columns: number): (Int32Array | Float64Array)[] {
    const at = this.section(section),
      count = this.values.size(at);
    let place = at + 8;
    return Array.from({ length: columns }, () => {
      const { values, next } = this.values.integers(place, count);
      place = next;
      return values;
    });
  }

  private paths(): void {
    const at = this.section('PATHS'),
      { values } = this,
      total = values.size(at),
      count = values.size(at + 8);
    if (total > USD_LIMITS.prims * 40) throw this.bad(`it holds ${total} paths`);
    let place = at + 16;
    const column = () => {
      const read = values.integers(place, count);
      place = read.next;
      return read.values;
    };
    const index = column(),
      element = column(),
      jump = column();
    const seen = new Uint8Array(count),
      waiting: [number, number][] = [[0, -1]];
    values.paths = new Array<string>(Math.min(total, count)).fill('');
    while (waiting.length) {
      let [i, parent] = waiting.pop() as [number, number];
      // Down first children, siblings kept for later; a damaged file may point back at what is done.
      while (i < count && !seen[i]) {
        seen[i] = 1;
        const own = index[i],
          property = element[i] < 0,
          token = values.tokens[Math.abs(element[i])] ?? '';
        if (own < 0 || own >= values.paths.length) throw this.bad(`path ${own} of ${total} is not there`);
        this.entries[own] = { parent, token: parent < 0 ? '' : token, property };
        values.paths[own] = parent < 0 ? '/' : join(values.paths[parent], token, property);
        if (values.paths[own].length > 20_000) throw this.bad('its paths are nested too deeply');
        const step = jump[i];
        if (step > 0) waiting.push([i + step, parent]);
        if (step > 0 || step === -1) parent = own;
        else if (step !== 0) break;
        i++;
      }
    }
  }

  private build(
    fields: readonly CrateField[],
    sets: ArrayLike<number>,
    specPaths: ArrayLike<number>,
    specSets: ArrayLike<number>,
    specTypes: ArrayLike<number>,
  ): UsdLayer {
    const root = newPrim('', 'def'),
      out: UsdLayer = { path: this.path, meta: new Map(), subLayers: [], root };
    let prims = 0;
    for (let s = 0; s < specPaths.length; s++) {
      const entry = this.entries[specPaths[s]],
        type = specTypes[s];
      if (!entry || ![SPEC.attribute, SPEC.prim, SPEC.root, SPEC.relation, SPEC.variant].includes(type)) continue;
      const owner = entry.property ? entry.parent : specPaths[s];
      if (!entry.property && ++prims > USD_LIMITS.prims) throw this.bad(`it holds more than ${USD_LIMITS.prims} prims`);
      const chain = this.chain(owner);
      if (!chain) continue;
      const prim = primAt(root, chain);
      const attribute = entry.property && type === SPEC.attribute ? newAttribute('') : null;
      if (attribute) prim.attributes.set(entry.token, attribute);
      for (let i = specSets[s]; i < sets.length && sets[i] >= 0; i++) {
        const field = fields[sets[i]];
        if (!field) continue;
        const { name, low, high } = field;
        if (attribute) {
          if (name === 'timeSamples') {
            const samples = this.values.samples(low, high);
            if (samples) attribute.samples = samples;
            continue;
          }
          const value = this.values.valueOf(low, high);
          if (name === 'typeName') {
            attribute.type = String(value).replace(/\[\]$/, '');
            attribute.array = String(value).endsWith('[]');
          } else if (name === 'default') attribute.value = value;
          else if (name === 'connectionPaths') attribute.connections = pathsIn(value);
          else attribute.meta.set(name, value);
        } else if (entry.property) {
          if (name === 'targetPaths') prim.relations.set(entry.token, pathsIn(this.values.valueOf(low, high)));
        } else this.primField(out, prim, type, name, this.values.valueOf(low, high));
      }
    }
    this.sortChildren(out);
    return out;
  }

  private primField(out: UsdLayer, prim: UsdLayer['root'], type: number, name: string, value: UsdValue): void {
    if (type === SPEC.root) {
      if (name === 'subLayers' && Array.isArray(value))
        out.subLayers = value.filter((entry): entry is string => typeof entry === 'string');
      else out.meta.set(name, value);
      return;
    }
    if (name === 'specifier') prim.specifier = value === 0 ? 'def' : value === 2 ? 'class' : 'over';
    else if (name === 'typeName') prim.type = String(value ?? '');
    else if (name === 'inheritPaths') primMeta(prim, 'inherits', value, '');
    else if (name === 'variantSelection') primMeta(prim, 'variants', value, '');
    else if (name !== 'properties' && name !== 'variantSetNames' && name !== 'variantChildren')
      primMeta(prim, name, value, '');
  }

  /** Prims in the order their file states, not the order of its specs. */
  private sortChildren(out: UsdLayer): void {
    const orders: [UsdLayer['root'], UsdValue | undefined][] = [[out.root, out.meta.get('primChildren')]];
    for (let at = 0; at < orders.length; at++) {
      const [prim, order] = orders[at];
      if (Array.isArray(order) && prim.children.size > 1) {
        const sorted = [...(order as string[]).filter((name) => prim.children.has(name)), ...prim.children.keys()];
        prim.children = new Map(sorted.map((name) => [name, prim.children.get(name) as UsdLayer['root']]));
      }
      for (const set of prim.variants.values())
        for (const variant of set.values()) orders.push([variant, variant.meta.get('primChildren')]);
      for (const child of prim.children.values()) orders.push([child, child.meta.get('primChildren')]);
      prim.meta.delete('primChildren');
    }
  }

  private chain(index: number): string[] | null {
    const out: string[] = [];
    for (let i = index; i >= 0; i = this.entries[i].parent) {
      const entry = this.entries[i];
      if (!entry || entry.property || out.length > USD_LIMITS.depth) return null;
      if (entry.token) out.push(entry.token);
    }
    return out.reverse();
  }
}

const pathsIn = (value: UsdValue): string[] =>
  Array.isArray(value)
    ? (value as (string | UsdArc)[]).map((entry) => (typeof entry === 'string' ? entry : entry.prim)).filter(Boolean)
    : [];

function join(parent: string, token: string, property: boolean): string {
  if (property) return `${parent}.${token}`;
  if (token.startsWith('{') || token.startsWith('[')) return parent + token;
  return parent === '/' || parent.endsWith('}') ? parent + token : `${parent}/${token}`;
}

/** A prim by its path, made with everything above it. */
function primAt(root: UsdPrim, path: readonly string[]): UsdPrim {
  let prim = root;
  for (const name of path) {
    const variant = /^\{(.*?)=(.*)\}$/.exec(name);
    if (variant) {
      const set = prim.variants.get(variant[1]) ?? new Map<string, UsdPrim>();
      prim.variants.set(variant[1], set);
      let next = set.get(variant[2]);
      if (!next) {
        next = newPrim(variant[2]);
        if (variant[2]) set.set(variant[2], next);
      }
      prim = next;
    } else {
      let next = prim.children.get(name);
      if (!next) {
        next = newPrim(name);
        prim.children.set(name, next);
      }
      prim = next;
    }
  }
  return prim;
}
