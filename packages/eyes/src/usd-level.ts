/**
 * The text of a layer as one of its levels of detail, written out: what the variant brings stands in the prim itself, and
 * what it switches off is gone. The library we draw with knows no variants in text.
 * @param level 0 is the first
 * @throws Error where there is no such level
 */
export function layerAtLevel(text: string, level: number): string {
  const set = setOfLevels(text),
    choice = set?.choices[level];
  if (!set || !choice) throw new Error(`it holds no level ${level}`);
  let rest = text.slice(0, set.from);
  const brought: string[] = [];
  for (const block of blocksIn(choice.body)) {
    const off = /^over\s+"([^"]+)"/.exec(block);
    if (!off) brought.push(block);
    else if (/\(\s*active\s*=\s*false\s*\)/.test(block)) rest = without(rest, off[1]);
  }
  return rest + brought.join('\n') + text.slice(set.to);
}

/** The levels behind the first, and where each begins, metres, where that is said. */
export const levelsIn = (text: string): { n: number; fromM: number }[] =>
  (setOfLevels(text)?.choices ?? []).slice(1).map(({ says }, i) => ({
    n: i + 1,
    fromM: Number(/fromMetres"?\s*=\s*([\d.]+)/.exec(says)?.[1] ?? 4 * (i + 1)),
  }));

interface Choice {
  /** What stands in its round brackets, and in its braces. */
  says: string;
  body: string;
}
function setOfLevels(text: string): { from: number; to: number; choices: Choice[] } | null {
  const head = /variantSet\s+"lods?"\s*=\s*\{/i.exec(text);
  if (!head) return null;
  const open = head.index + head[0].length,
    close = closingOf(text, open - 1);
  return { from: head.index, to: close + 1, choices: choicesIn(text, open, close) };
}

/** Where the bracket that opens at `at` is closed; texts in quotes and paths of files are passed over. */
function closingOf(text: string, at: number): number {
  let depth = 0;
  for (let i = at; i < text.length; i++) {
    const c = text[i];
    if (c === '"' || c === '@') {
      do i++;
      while (i < text.length && (text[i] !== c || text[i - 1] === '\\'));
    } else if (c === '{' || c === '(' || c === '[') depth++;
    else if ((c === '}' || c === ')' || c === ']') && --depth === 0) return i;
  }
  throw new Error('a bracket is not closed');
}

function choicesIn(text: string, from: number, to: number): Choice[] {
  const out: Choice[] = [];
  for (let at = from; at < to; ) {
    const name = text.indexOf('"', at);
    if (name < 0 || name >= to) break;
    const start = text.indexOf('"', name + 1) + 1,
      next = bodyOf(text, start),
      end = closingOf(text, next);
    out.push({ says: text.slice(start, next), body: text.slice(next + 1, end) });
    at = end + 1;
  }
  return out;
}

/** Prims one after the other. */
function blocksIn(text: string): string[] {
  const out: string[] = [],
    start = /\b(def|over)\s+(\w+\s+)?"/g;
  for (let at = 0; ; ) {
    start.lastIndex = at;
    const found = start.exec(text);
    if (!found) return out;
    const end = endOfPrim(text, found.index);
    out.push(text.slice(found.index, end));
    at = end;
  }
}

function endOfPrim(text: string, at: number): number {
  return closingOf(text, bodyOf(text, text.indexOf('"', text.indexOf('"', at) + 1) + 1)) + 1;
}

/** Where the braces open behind a name, over the round brackets that may stand between. */
function bodyOf(text: string, at: number): number {
  let next = at;
  while (/\s/.test(text[next])) next++;
  return text[next] === '(' ? text.indexOf('{', closingOf(text, next)) : next;
}

function without(text: string, name: string): string {
  const found = new RegExp(`\\bdef\\s+Mesh\\s+"${name.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')}"`).exec(text);
  if (!found) throw new Error(`“${name}” is switched off and isn't there`);
  return text.slice(0, found.index) + text.slice(endOfPrim(text, found.index));
}
