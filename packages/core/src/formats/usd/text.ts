import { ProblemError } from '../../problem.ts';
import { asUtf8, textOf } from '../text/decode.ts';
import { nextNumber, type NumberScan } from '../text/numbers.ts';
import {
  arcsOf,
  edited,
  isQuaternion,
  newAttribute,
  newPrim,
  pathsOf,
  primMeta,
  USD_LIMITS,
  type UsdArc,
  type UsdAttribute,
  type UsdLayer,
  type UsdPrim,
  type UsdValue,
} from './layer.ts';

const LIST_EDITS = new Set(['prepend', 'append', 'add', 'delete', 'reorder']);
const CODE = (text: string): number => text.charCodeAt(0);
const [OPEN, CLOSE, LIST, UNLIST, BLOCK, UNBLOCK, EQUALS, COMMA, LESS, AT, HASH, SEMICOLON, COLON] = [
  ...'()[]{}=,<@#;:',
].map(CODE);

/**
 * Reads the text form of USD (.usda): the grammar of the AOUSD core specification, layer to property metadata.
 * Arrays of numbers are read in place, without a word being made of each.
 * @throws ProblemError usd.syntax with the line
 */
export function readUsdText(bytes: Uint8Array, path: string): UsdLayer {
  return new UsdText(asUtf8(bytes), path).layer();
}

class UsdText {
  private at = 0;
  private prims = 0;
  private readonly scan: NumberScan = { at: 0, value: 0 };
  constructor(
    private readonly bytes: Uint8Array,
    private readonly path: string,
  ) {}

  layer(): UsdLayer {
    const root = newPrim('', 'def'),
      out: UsdLayer = { path: this.path, meta: new Map(), subLayers: [], root };
    this.blank();
    if (this.peek() === OPEN)
      this.metadata((key, value, edit) => {
        if (key === 'subLayers') out.subLayers = arcsOf(value).map((arc) => arc.asset);
        else if (edit !== 'delete') out.meta.set(key, value);
      });
    for (;;) {
      this.blank();
      if (this.at >= this.bytes.length) return out;
      const word = this.word();
      if (word === 'def' || word === 'over' || word === 'class') this.prim(root, word, 0);
      else if (word === 'reorder') {
        this.blank();
        this.word();
        this.expect(EQUALS, '=');
        this.value();
      } else throw this.bad(`“${word || String.fromCharCode(this.peek())}” stands where a prim should begin`);
    }
  }

  private prim(parent: UsdPrim, specifier: UsdPrim['specifier'], depth: number): void {
    if (depth > USD_LIMITS.depth) throw this.bad(`its prims are nested more than ${USD_LIMITS.depth} deep`);
    if (++this.prims > USD_LIMITS.prims) throw this.bad(`it holds more than ${USD_LIMITS.prims} prims`);
    this.blank();
    const type = this.isQuote() ? '' : this.word();
    this.blank();
    const name = this.quoted();
    // The same prim may be opened twice; its opinions add up.
    const prim = parent.children.get(name) ?? newPrim(name, specifier, type);
    parent.children.set(name, prim);
    if (prim.specifier === 'over') prim.specifier = specifier;
    prim.type ||= type;
    this.blank();
    if (this.peek() === OPEN) this.metadata((key, value, edit) => primMeta(prim, key, value, edit));
    this.blank();
    this.expect(BLOCK, '{');
    this.contents(prim, depth);
  }

  private contents(prim: UsdPrim, depth: number): void {
    for (;;) {
      this.blank();
      if (this.peek() === SEMICOLON) {
        this.at++;
        continue;
      }
      if (this.peek() === UNBLOCK) {
        this.at++;
        return;
      }
      const word = this.word();
      if (!word)
        throw this.bad(
          this.at >= this.bytes.length
            ? `the prim “${prim.name}” is not closed; the file stops too early`
            : `“${String.fromCharCode(this.peek())}” means nothing here`,
        );
      if (word === 'def' || word === 'over' || word === 'class') this.prim(prim, word, depth + 1);
      else if (word === 'variantSet') this.variantSet(prim, depth);
      else if (word === 'reorder' && this.nextWordIs('nameChildren', 'properties')) {
        this.blank();
        this.word();
        this.expect(EQUALS, '=');
        this.value();
      } else this.property(prim, word);
    }
  }

  private variantSet(prim: UsdPrim, depth: number): void {
    if (depth > USD_LIMITS.depth) throw this.bad(`its variants are nested more than ${USD_LIMITS.depth} deep`);
    this.blank();
    const set = prim.variants.get(this.quoted()) ?? new Map<string, UsdPrim>(),
      name = this.last;
    prim.variants.set(name, set);
    this.expect(EQUALS, '=');
    this.expect(BLOCK, '{');
    for (;;) {
      this.blank();
      if (this.peek() === UNBLOCK) {
        this.at++;
        return;
      }
      const variant = newPrim(this.quoted(), 'over');
      set.set(variant.name, variant);
      this.blank();
      if (this.peek() === OPEN) this.metadata((key, value, edit) => primMeta(variant, key, value, edit));
      this.expect(BLOCK, '{');
      this.contents(variant, depth + 1);
    }
  }

  private property(prim: UsdPrim, first: string): void {
    let word = first,
      edit = '';
    while (word === 'custom' || word === 'uniform' || word === 'varying' || word === 'config' || LIST_EDITS.has(word)) {
      if (LIST_EDITS.has(word)) edit = word;
      this.blank();
      word = this.word();
    }
    if (word === 'rel') {
      this.relation(prim, edit);
      return;
    }
    this.blank();
    let isArray = false;
    if (this.peek() === LIST) {
      this.at++;
      this.expect(UNLIST, ']');
      isArray = true;
      this.blank();
    }
    let name = this.word();
    if (!name) throw this.bad(`“${word}” is followed by no property name`);
    const [, base, suffix] = /^(.*?)(?:\.(connect|timeSamples|spline|default))?$/.exec(name) as RegExpExecArray;
    name = base;
    const attribute = prim.attributes.get(name) ?? newAttribute(word, isArray);
    prim.attributes.set(name, attribute);
    this.blank();
    if (this.peek() === EQUALS) {
      this.at++;
      this.blank();
      if (suffix === 'connect') attribute.connections = edited(attribute.connections, pathsOf(this.value()), edit);
      else if (suffix === 'timeSamples') attribute.samples = this.samples(word, isArray);
      else if (suffix === 'spline') this.skipBlock();
      else attribute.value = this.typed(word, isArray);
      this.blank();
    }
    if (this.peek() === OPEN) this.metadata((key, value) => attribute.meta.set(key, value));
  }

  private relation(prim: UsdPrim, edit: string): void {
    this.blank();
    const name = this.word().replace(/\.default$/, '');
    if (!name) throw this.bad('a relationship has no name');
    this.blank();
    let targets: string[] = [];
    if (this.peek() === EQUALS) {
      this.at++;
      this.blank();
      targets = pathsOf(this.value());
      this.blank();
    }
    prim.relations.set(name, edited(prim.relations.get(name) ?? [], targets, edit));
    if (this.peek() === OPEN) this.metadata(() => {});
  }

  private samples(type: string, isArray: boolean): UsdAttribute['samples'] {
    const times: number[] = [],
      values: UsdValue[] = [];
    this.expect(BLOCK, '{');
    for (;;) {
      this.blank();
      if (this.peek() === COMMA) {
        this.at++;
        continue;
      }
      if (this.peek() === UNBLOCK) {
        this.at++;
        return { times, values };
      }
      const time = this.number();
      this.blank();
      this.expect(COLON, ':');
      this.blank();
      const value = this.typed(type, isArray);
      if (value !== null && Number.isFinite(time)) {
        times.push(time);
        values.push(value);
      }
    }
  }

  /** A value whose type is known: quaternions are turned to x y z w, strings kept as lists where an array is declared. */
  private typed(type: string, isArray: boolean): UsdValue {
    this.widths = null;
    const value = this.value(),
      width = widthOf(type),
      found = this.widths as Widths | null;
    if (width && found && (found.least !== width || found.most !== width))
      throw this.bad(
        `${type} takes ${width} numbers in each bracket, and has ${found.least === found.most ? found.least : `${found.least} to ${found.most}`}`,
      );
    if (isQuaternion(type) && value instanceof Float64Array)
      for (let i = 0; i + 3 < value.length; i += 4) {
        const w = value[i];
        value[i] = value[i + 1];
        value[i + 1] = value[i + 2];
        value[i + 2] = value[i + 3];
        value[i + 3] = w;
      }
    if (isArray && Array.isArray(value) && !value.length && NUMERIC.test(type)) return new Float64Array(0);
    return value;
  }

  /** How many numbers the innermost brackets of the last value held; null where it had none. */
  private widths: Widths | null = null;

  private metadata(take: (key: string, value: UsdValue, edit: string) => void): void {
    this.expect(OPEN, '(');
    for (;;) {
      this.blank();
      const c = this.peek();
      if (c === SEMICOLON || c === COMMA) {
        this.at++;
        continue;
      }
      if (c === CLOSE) {
        this.at++;
        return;
      }
      if (this.isQuote()) {
        take('comment', this.quoted(), '');
        continue;
      }
      let key = this.word(),
        edit = '';
      if (LIST_EDITS.has(key)) {
        edit = key;
        this.blank();
        key = this.word();
      }
      if (!key)
        throw this.bad(
          this.at >= this.bytes.length
            ? 'metadata in brackets is not closed; the file stops too early'
            : `“${String.fromCharCode(c)}” means nothing in metadata`,
        );
      this.expect(EQUALS, '=');
      this.blank();
      take(key, this.value(), edit);
    }
  }

  private value(depth = 0): UsdValue {
    if (depth > 64) throw this.bad('a value is nested too deeply');
    this.blank();
    const c = this.peek();
    if (c === AT) return [this.arc()];
    if (c === LESS) {
      const prim = this.target();
      this.offset();
      return [{ asset: '', prim }];
    }
    if (this.isQuote()) return this.quoted();
    if (c === OPEN) return this.tuple();
    if (c === LIST) return this.list(depth);
    if (c === BLOCK) return this.dictionary(depth);
    const from = this.at;
    const word = this.word();
    if (word === 'true' || word === 'True') return true;
    if (word === 'false' || word === 'False') return false;
    if (word === 'None' || word === 'AnimationBlock') return null;
    if (word && !/^[-+.\d]/.test(word) && !/^(nan|inf)$/i.test(word)) return word;
    this.at = from;
    return this.number();
  }

  /** Numbers in round brackets, however nested: a vector or a matrix. */
  private tuple(): UsdValue {
    return this.run(OPEN, CLOSE);
  }

  private list(depth: number): UsdValue {
    const from = this.at;
    this.at++;
    this.blank();
    const c = this.peek();
    if (c === UNLIST) {
      this.at++;
      return [];
    }
    if (c === OPEN || c === 45 || c === 43 || c === 46 || (c >= 48 && c <= 57) || this.nextWordIs('nan', 'inf')) {
      this.at = from;
      return this.run(LIST, UNLIST);
    }
    const words: string[] = [],
      arcs: UsdArc[] = [],
      numbers: number[] = [];
    for (;;) {
      this.blank();
      if (this.peek() === COMMA) {
        this.at++;
        continue;
      }
      if (this.peek() === UNLIST) {
        this.at++;
        break;
      }
      const value = this.value(depth + 1);
      if (typeof value === 'string') words.push(value);
      else if (typeof value === 'boolean' || typeof value === 'number') numbers.push(Number(value));
      else if (Array.isArray(value))
        for (const entry of value) {
          if (typeof entry === 'string') words.push(entry);
          else arcs.push(entry);
        }
    }
    return arcs.length ? arcs : numbers.length ? Float64Array.from(numbers) : words;
  }

  /** Numbers between two brackets, commas and inner brackets skipped. */
  private run(open: number, close: number): Float64Array {
    const { bytes, scan } = this,
      from = this.at;
    let out = new Float64Array(16),
      n = 0,
      depth = 0,
      i = this.at,
      innermost = -1,
      least = Infinity,
      most = 0;
    for (; i < bytes.length; ) {
      const c = bytes[i];
      if (c === open || c === OPEN) {
        depth++;
        i++;
        if (c === OPEN) innermost = n;
      } else if (c === close || c === CLOSE) {
        i++;
        if (c === CLOSE && innermost >= 0) {
          least = Math.min(least, n - innermost);
          most = Math.max(most, n - innermost);
          innermost = -1;
          this.widths = { least, most };
        }
        if (--depth === 0) {
          this.at = i;
          return out.slice(0, n);
        }
      } else if (c === COMMA || c <= 32) i++;
      else if (c === HASH) while (i < bytes.length && bytes[i] !== 10) i++;
      else {
        scan.at = i;
        if (!nextNumber(bytes, bytes.length, scan) || scan.at === i) {
          this.at = i;
          throw this.bad(`“${textOf(bytes.subarray(i, i + 12)).split(/\s/)[0]}” stands among numbers`);
        }
        i = scan.at;
        if (n === out.length) {
          const wider = new Float64Array(n * 2);
          wider.set(out);
          out = wider;
        }
        out[n++] = scan.value;
      }
    }
    this.at = from;
    throw this.bad('numbers in brackets are not closed; the file stops too early');
  }

  private dictionary(depth: number): UsdValue {
    this.expect(BLOCK, '{');
    const out = new Map<string, UsdValue>();
    for (;;) {
      this.blank();
      const c = this.peek();
      if (c === UNBLOCK) {
        this.at++;
        return out;
      }
      if (c === COMMA || c === SEMICOLON) {
        this.at++;
        continue;
      }
      let key = this.isQuote() ? this.quoted() : this.word();
      if (!key && !this.isQuote())
        throw this.bad(
          this.at >= this.bytes.length
            ? 'a dictionary is not closed; the file stops too early'
            : `“${String.fromCharCode(c)}” means nothing in a dictionary`,
        );
      this.blank();
      if (this.peek() === LIST) {
        this.at++;
        this.expect(UNLIST, ']');
        this.blank();
      }
      if (this.peek() !== EQUALS && this.peek() !== COLON) {
        key = this.isQuote() ? this.quoted() : this.word();
        this.blank();
      }
      if (this.peek() === COLON) this.at++;
      else this.expect(EQUALS, '=');
      out.set(key, this.value(depth + 1));
    }
  }

  /** `@file@`, `@@@file@@@`, each with `<prim>` and layer offset if they follow. */
  private arc(): UsdArc {
    const { bytes } = this;
    const three = bytes[this.at + 1] === AT && bytes[this.at + 2] === AT && !(bytes[this.at + 3] === undefined);
    const fence = three ? 3 : 1,
      from = this.at + fence;
    for (let i = from; i < bytes.length; i++) {
      if (bytes[i] === 10 && !three) break;
      if (bytes[i] !== AT || (three && (bytes[i + 1] !== AT || bytes[i + 2] !== AT))) continue;
      this.at = i + fence;
      const asset = textOf(bytes.subarray(from, i));
      const save = this.at;
      this.blank();
      const prim = this.peek() === LESS ? this.target() : '';
      if (!prim) this.at = save;
      this.offset();
      return { asset, prim };
    }
    throw this.bad('a file name between @ signs is not closed');
  }

  /** `(offset = 10; scale = 2)` after a reference: time is not shifted here. */
  private offset(): void {
    const save = this.at;
    this.blank();
    if (this.peek() === OPEN) {
      const inner = this.at;
      this.at++;
      this.blank();
      if (this.nextWordIs('offset', 'scale', 'customData') || this.peek() === CLOSE) {
        this.at = inner;
        this.metadata(() => {});
        return;
      }
    }
    this.at = save;
  }

  private target(): string {
    const end = this.bytes.indexOf(62, this.at);
    if (end < 0) throw this.bad('a path between < and > is not closed');
    const text = textOf(this.bytes.subarray(this.at + 1, end));
    this.at = end + 1;
    return text;
  }

  private last = '';
  private quoted(): string {
    const { bytes } = this,
      quote = this.peek();
    if (quote !== 34 && quote !== 39)
      throw this.bad(
        `a name in quotes is missing before “${textOf(bytes.subarray(this.at, this.at + 12)).split(/\s/)[0]}”`,
      );
    const three = bytes[this.at + 1] === quote && bytes[this.at + 2] === quote,
      fence = three ? 3 : 1;
    const from = this.at + fence;
    for (let i = from; i < bytes.length; i++) {
      if (bytes[i] === 92) {
        i++;
        continue;
      }
      if (bytes[i] === 10 && !three) break;
      if (bytes[i] !== quote || (three && (bytes[i + 1] !== quote || bytes[i + 2] !== quote))) continue;
      this.at = i + fence;
      this.last = textOf(bytes.subarray(from, i)).replace(/\\(n|t|.)/gs, (_, c: string) =>
        c === 'n' ? '\n' : c === 't' ? '\t' : c,
      );
      return this.last;
    }
    throw this.bad('a text in quotes is not closed');
  }

  private skipBlock(): void {
    let depth = 0;
    do {
      this.blank();
      if (this.at >= this.bytes.length) throw this.bad('a block is not closed; the file stops too early');
      if (this.isQuote()) {
        this.quoted();
        continue;
      }
      const c = this.bytes[this.at++];
      if (c === BLOCK) depth++;
      else if (c === UNBLOCK) depth--;
    } while (depth > 0);
  }

  private number(): number {
    this.scan.at = this.at;
    if (!nextNumber(this.bytes, this.bytes.length, this.scan) || this.scan.at === this.at)
      throw this.bad(
        this.at >= this.bytes.length
          ? 'a value is missing; the file stops too early'
          : `“${textOf(this.bytes.subarray(this.at, this.at + 12)).split(/\s/)[0]}” is no value`,
      );
    this.at = this.scan.at;
    return this.scan.value;
  }

  private word(): string {
    const { bytes } = this,
      from = this.at;
    let i = from;
    for (; i < bytes.length; i++) {
      const c = bytes[i];
      if (
        !(
          (c >= 97 && c <= 122) ||
          (c >= 65 && c <= 90) ||
          (c >= 48 && c <= 57) ||
          c === 95 ||
          c === 58 ||
          c === 46 ||
          c === 45 ||
          c === 43 ||
          c >= 128
        )
      )
        break;
    }
    // A colon at the very end belongs to what follows (dictionary keys of time samples).
    while (i > from && bytes[i - 1] === COLON) i--;
    this.at = i;
    return textOf(bytes.subarray(from, i));
  }

  private nextWordIs(...words: string[]): boolean {
    const save = this.at;
    this.blank();
    const word = this.word();
    this.at = save;
    return words.includes(word);
  }

  private isQuote(): boolean {
    const c = this.peek();
    return c === 34 || c === 39;
  }
  private peek(): number {
    return this.at < this.bytes.length ? this.bytes[this.at] : -1;
  }
  private blank(): void {
    const { bytes } = this;
    for (; this.at < bytes.length; this.at++) {
      const c = bytes[this.at];
      if (c === HASH) {
        while (this.at < bytes.length && bytes[this.at] !== 10) this.at++;
      } else if (c > 32) return;
    }
  }
  private expect(code: number, sign: string): void {
    this.blank();
    if (this.peek() !== code)
      throw this.bad(
        this.at >= this.bytes.length
          ? `“${sign}” is missing; the file stops too early`
          : `“${sign}” is missing before “${textOf(this.bytes.subarray(this.at, this.at + 12)).split(/\s/)[0]}”`,
      );
    this.at++;
  }
  private bad(what: string): ProblemError {
    let line = 1;
    for (let i = 0; i < Math.min(this.at, this.bytes.length); i++) if (this.bytes[i] === 10) line++;
    return new ProblemError(
      'usd.syntax',
      `“${this.path}” can't be read: in line ${line}, ${what}.`,
      `${this.path}, line ${line}`,
    );
  }
}

const NUMERIC = /^(?!token|string|asset|bool)/;

/** Numbers that one element of a type holds in its innermost brackets: `point3f` 3, `matrix4d` 4, scalars none. */
const widthOf = (type: string): number =>
  isQuaternion(type)
    ? 4
    : Number(/^(?:point|normal|vector|color|float|double|half|int|texCoord|matrix)([234])[a-z]?$/.exec(type)?.[1] ?? 0);

interface Widths {
  least: number;
  most: number;
}
