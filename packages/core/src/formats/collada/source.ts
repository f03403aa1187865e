import { ProblemError, type Finding } from '../../problem.ts';
import { numbersIn } from '../text/numbers.ts';
import { childOf, childrenOf, down, type XmlNode } from '../text/xml.ts';

/** Elements whose contents are long lists of numbers: they stay bytes until asked for. */
export const BULK: ReadonlySet<string> = new Set(['float_array', 'int_array', 'p', 'v', 'vcount', 'h']);

const COMMA = 44,
  POINT = 46;

/** Numbers or names of a `<source>`, as its accessor lays them out. */
export interface Source {
  values: Float64Array;
  names: string[] | null;
  stride: number;
  offset: number;
  count: number;
}

/** The parsed file: elements by id, sources read once. */
export class Collada {
  private readonly ids = new Map<string, XmlNode>();
  private readonly sources = new Map<XmlNode, Source>();

  constructor(
    readonly root: XmlNode,
    private readonly bytes: Uint8Array,
    readonly path: string,
    readonly findings: Finding[],
  ) {
    const todo = [root];
    for (let at = todo.pop(); at; at = todo.pop()) {
      const { id } = at.attributes;
      if (id && !this.ids.has(id)) this.ids.set(id, at);
      for (const child of at.children) todo.push(child);
    }
  }

  /** Element by `#id`, or null. References into other files are not followed. */
  find(reference: string | undefined): XmlNode | null {
    if (!reference) return null;
    const at = reference.indexOf('#');
    const key = at < 0 ? reference : reference.slice(at + 1);
    let name = key;
    try {
      name = decodeURIComponent(key);
    } catch {
      /* a stray % is part of the id */
    }
    return this.ids.get(key) ?? this.ids.get(name) ?? null;
  }

  numbers(node: XmlNode | null, expected = 0): Float64Array {
    if (!node) return new Float64Array(0);
    if (node.bulk) {
      const { bytes, from, end } = this.withPoints(node.bulk.from, node.bulk.end);
      return numbersIn(bytes, from, end, expected);
    }
    const text = new TextEncoder().encode(node.text);
    return numbersIn(text, 0, text.length);
  }

  /** A list in which commas stand for decimal points, as some systems write them, with points instead; said once. */
  private withPoints(from: number, end: number): { bytes: Uint8Array; from: number; end: number } {
    const list = this.bytes.subarray(from, end);
    if (!list.includes(COMMA) || list.includes(POINT)) return { bytes: this.bytes, from, end };
    this.say({
      code: 'intake.decimal-comma',
      severity: 'info',
      message: `“${this.path}” writes numbers with decimal commas; they were read as points.`,
      where: this.path,
    });
    return { bytes: list.map((byte) => (byte === COMMA ? POINT : byte)), from: 0, end: list.length };
  }

  source(reference: string | undefined, forWhat: string): Source {
    const node = this.find(reference);
    if (!node || node.name !== 'source')
      throw this.bad(`${forWhat} names the data “${reference ?? ''}”, which the file lacks`);
    const known = this.sources.get(node);
    if (known) return known;
    const accessor = down(node, 'technique_common', 'accessor');
    const named = node.children.find(
      (child) => child.name === 'Name_array' || child.name === 'IDREF_array' || child.name === 'SIDREF_array',
    );
    const names = named ? named.text.trim().split(/\s+/).filter(Boolean) : null;
    const array = childOf(node, 'float_array') ?? childOf(node, 'int_array');
    const values = names ? new Float64Array(0) : this.numbers(array, whole(array?.attributes.count, 0));
    const stride = Math.max(1, whole(accessor?.attributes.stride, 1)),
      offset = Math.max(0, whole(accessor?.attributes.offset, 0));
    const held = names ? names.length : Math.floor((values.length - offset) / stride);
    const declared = whole(accessor?.attributes.count, held);
    if (!names && declared > held)
      throw this.bad(`the data “${node.attributes.id}” says ${declared} entries and holds ${held}`);
    const made: Source = { values, names, stride, offset, count: Math.max(0, Math.min(declared, held)) };
    this.sources.set(node, made);
    return made;
  }

  bad(what: string): ProblemError {
    return new ProblemError(
      'collada.broken',
      `“${this.path}” can't be read: ${what}. The file is damaged; export it again.`,
      this.path,
    );
  }
  say(finding: Finding): void {
    if (!this.findings.some((entry) => entry.code === finding.code && entry.where === finding.where))
      this.findings.push(finding);
  }
}

export const whole = (text: string | undefined, otherwise: number): number => {
  const value = Number.parseInt(text ?? '', 10);
  return Number.isFinite(value) ? value : otherwise;
};

export interface Input {
  semantic: string;
  source: string;
  offset: number;
  set: number;
}
export const inputsOf = (node: XmlNode): Input[] =>
  childrenOf(node, 'input').map(({ attributes }) => ({
    semantic: attributes.semantic ?? '',
    source: attributes.source ?? '',
    offset: whole(attributes.offset, 0),
    set: whole(attributes.set, 0),
  }));
/** The name a person gave, or what the file calls it. */
export const nameOf = (node: XmlNode, otherwise = ''): string =>
  node.attributes.name || node.attributes.id || node.attributes.sid || otherwise;
