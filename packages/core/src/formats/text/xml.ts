import { SaxesParser } from 'saxes';
import { ProblemError } from '../../problem.ts';

/** An XML element as far as a reader of data needs it: names without prefixes, text joined. */
export interface XmlNode {
  name: string;
  attributes: Readonly<Record<string, string>>;
  children: XmlNode[];
  text: string;
  /** Where the numbers of a bulk element lie in the file; they were never made text. */
  bulk: { from: number; end: number } | null;
}

const DEEPEST = 1000;
const MOST_NODES = 4_000_000;
const COMMENT_END = [45, 45, 62],
  CDATA_END = [93, 93, 62];

/**
 * Parses XML with saxes, after taking out the contents of elements in `bulk` (long lists of numbers), which stay
 * bytes: a file of 60 MB is mostly those. Declared entities are not expanded.
 * @throws ProblemError xml.broken, with the line
 */
export function parseXml(bytes: Uint8Array, path: string, bulk: ReadonlySet<string>): XmlNode {
  const { text, blocks } = takeOut(bytes, bulk);
  const root: XmlNode = { name: '', attributes: {}, children: [], text: '', bulk: null };
  const stack = [root];
  let nodes = 0;
  const parser = new SaxesParser({ fragment: false });
  const broken = (why: string) =>
    new ProblemError(
      'xml.broken',
      `“${path}” is cut off or damaged: ${why.replace(/^\d+:\d+: /, '').replace(/\.$/, '')} (line ${parser.line}). Export it again.`,
      path,
    );
  parser.on('error', (error) => {
    throw broken(error.message);
  });
  parser.on('opentag', (tag) => {
    const name = tag.name.replace(/^.*:/, '');
    const attributes = tag.attributes as Record<string, string>;
    const node: XmlNode = { name, attributes, children: [], text: '', bulk: null };
    stack[stack.length - 1].children.push(node);
    if (stack.push(node) > DEEPEST) throw broken('its elements are nested too deeply');
    if (++nodes > MOST_NODES) throw broken('it holds too many elements');
  });
  parser.on('text', (value) => {
    const now = stack[stack.length - 1];
    if (bulk.has(now.name)) {
      const found = BLOCK.exec(value);
      if (found) now.bulk = blocks[Number(found[1])];
    } else if (value.trim()) now.text += value;
  });
  parser.on('cdata', (value) => {
    stack[stack.length - 1].text += value;
  });
  parser.on('closetag', () => {
    stack.pop();
  });
  try {
    parser.write(text).close();
  } catch (error) {
    throw error instanceof ProblemError ? error : broken((error as Error).message);
  }
  const [top] = root.children;
  if (!top) throw broken('it holds no element');
  return top;
}
/** Stands, with a number, where a block of numbers was taken out; of the private-use area, so no text holds it. */
const MARK = '\uE001';
const BLOCK = new RegExp(`${MARK}(\\d+)`);

function takeOut(
  bytes: Uint8Array,
  bulk: ReadonlySet<string>,
): { text: string; blocks: { from: number; end: number }[] } {
  const decoder = new TextDecoder('utf-8');
  const blocks: { from: number; end: number }[] = [];
  const parts: string[] = [];
  let kept = 0;
  for (let at = bytes.indexOf(60); at >= 0; at = bytes.indexOf(60, at + 1)) {
    const next = bytes[at + 1];
    if (next === 33) {
      if (bytes[at + 2] === 45 && bytes[at + 3] === 45) at = after(bytes, at + 4, COMMENT_END) - 1;
      else if (bytes[at + 2] === 91) at = after(bytes, at + 9, CDATA_END) - 1;
      continue;
    }
    if (next === 47 || next === 63) continue;
    let end = at + 1,
      local = at + 1;
    while (end < bytes.length && bytes[end] > 32 && bytes[end] !== 62 && bytes[end] !== 47) {
      if (bytes[end] === 58) local = end + 1;
      end++;
    }
    if (end - local > 12 || !bulk.has(String.fromCharCode(...bytes.subarray(local, end)))) continue;
    let quote = 0;
    while (end < bytes.length && (quote || bytes[end] !== 62)) {
      const c = bytes[end];
      if (quote) {
        if (c === quote) quote = 0;
      } else if (c === 34 || c === 39) quote = c;
      end++;
    }
    if (end >= bytes.length || bytes[end - 1] === 47) continue;
    const close = bytes.indexOf(60, end);
    if (close < 0) break;
    parts.push(decoder.decode(bytes.subarray(kept, end + 1)), `${MARK}${blocks.length}`);
    blocks.push({ from: end + 1, end: close });
    kept = close;
    at = close - 1;
  }
  parts.push(decoder.decode(bytes.subarray(kept)));
  return { text: parts.join(''), blocks };
}

function after(bytes: Uint8Array, from: number, pattern: readonly number[]): number {
  for (let at = bytes.indexOf(pattern[0], from); at >= 0; at = bytes.indexOf(pattern[0], at + 1))
    if (bytes[at + 1] === pattern[1] && bytes[at + 2] === pattern[2]) return at + 3;
  return bytes.length;
}

export const childOf = (node: XmlNode | null | undefined, name: string): XmlNode | null =>
  node?.children.find((child) => child.name === name) ?? null;
export const childrenOf = (node: XmlNode | null | undefined, name: string): XmlNode[] =>
  node?.children.filter((child) => child.name === name) ?? [];
/** Follows a path of first children. */
export const down = (node: XmlNode | null | undefined, ...names: string[]): XmlNode | null =>
  names.reduce<XmlNode | null>((at, name) => childOf(at, name), node ?? null);
/** All elements of a name below a node. */
export function within(node: XmlNode, name: string): XmlNode[] {
  const out: XmlNode[] = [],
    todo = [...node.children].reverse();
  for (let at = todo.pop(); at; at = todo.pop()) {
    if (at.name === name) out.push(at);
    for (let i = at.children.length - 1; i >= 0; i--) todo.push(at.children[i]);
  }
  return out;
}
