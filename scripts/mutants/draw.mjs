// Faults of the common kinds, drawn by seed from all places where they could be made.
import { parseAst } from 'vite';

const SWAPS = new Map([
  ['+', '-'],
  ['-', '+'],
  ['*', '/'],
  ['/', '*'],
  ['<', '>='],
  ['>', '<='],
  ['<=', '>'],
  ['>=', '<'],
  ['===', '!=='],
  ['!==', '==='],
  ['&&', '||'],
  ['||', '&&'],
]);
/** Types and sentences are no behaviour that a number could show. */
const PASSED_OVER = /^(TS(?!AsExpression|NonNullExpression|SatisfiesExpression)|ImportDeclaration)/,
  SENTENCES = /^(message|code|title|unit|name|where|label|id)$/;

/**
 * @param files path and text of each
 * @returns `count` of all faults there could be, evenly over the files' places, each with the whole text it makes
 */
export function drawMutants(files, count, seed) {
  const all = files.flatMap(({ path, text }) => placesIn(text).map((place) => ({ path, text, ...place })));
  let state = seed >>> 0;
  const random = () => {
    // mulberry32
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
  };
  for (let i = all.length - 1; i > 0; i--) {
    const j = Math.floor(random() * (i + 1));
    [all[i], all[j]] = [all[j], all[i]];
  }
  return all.slice(0, count).map(({ path, text, start, end, put, what }) => ({
    path,
    what,
    line: text.slice(0, start).split('\n').length,
    text: text.slice(0, start) + put + text.slice(end),
  }));
}

/** Everything in a file that can be made wrong: operators, conditions, limits, statements left out. */
function placesIn(text) {
  const out = [];
  const said = ({ start, end }) => text.slice(start, end),
    brief = (node) => said(node).replace(/\s+/g, ' ').slice(0, 60),
    replace = ({ start, end }, put, what) => out.push({ start, end, put, what });
  const isText = (node) =>
    node.type === 'TemplateLiteral' || (node.type === 'Literal' && typeof node.value === 'string');
  const visit = (node, parent) => {
    if (PASSED_OVER.test(node.type)) return;
    // More room than is needed changes nothing.
    if (node.type === 'NewExpression' && /Array$/.test(said(node.callee))) return;
    if (node.type === 'Property' && SENTENCES.test(said(node.key))) return;
    if (node.type === 'BinaryExpression' || node.type === 'LogicalExpression') {
      const put = SWAPS.get(node.operator);
      if (put && !isText(node.left) && !isText(node.right)) {
        const start = node.left.end + text.slice(node.left.end, node.right.start).indexOf(node.operator);
        replace({ start, end: start + node.operator.length }, put, `${node.operator} → ${put} in ${brief(node)}`);
      }
    } else if (node.type === 'IfStatement' || node.type === 'ConditionalExpression')
      replace(node.test, `!(${said(node.test)})`, `turned over: ${brief(node.test)}`);
    else if (node.type === 'MemberExpression' && /^Math\.(min|max)$/.test(said(node)))
      replace(node.property, said(node.property) === 'min' ? 'max' : 'min', `turned over: ${brief(parent)}`);
    else if (
      node.type === 'Literal' &&
      typeof node.value === 'number' &&
      node.value > 2 &&
      parent.type !== 'MemberExpression'
    )
      replace(node, String(node.value * 3), `${node.value} → ${node.value * 3} in ${brief(parent)}`);
    else if (node.type === 'ExpressionStatement' && !/throwIfAborted|progress/.test(said(node)))
      replace(node, ';', `left out: ${brief(node)}`);
    for (const value of Object.values(node))
      for (const child of Array.isArray(value) ? value : [value])
        if (child && typeof child === 'object' && typeof child.type === 'string') visit(child, node);
  };
  visit(parseAst(text, { lang: 'ts' }), null);
  return out;
}
