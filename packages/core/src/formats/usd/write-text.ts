import { isQuaternion, type UsdArc, type UsdAttribute, type UsdLayer, type UsdPrim, type UsdValue } from './layer.ts';

const quote = (text: string): string => `"${text.replace(/[\\"]/g, '\\$&').replace(/\n/g, '\\n')}"`;
const WIDTH: Record<string, number> = { matrix2d: 2, matrix3d: 3, matrix4d: 4 };
const width = (type: string): number => {
  const matrix = WIDTH[type];
  if (matrix) return matrix * matrix;
  if (isQuaternion(type)) return 4;
  const n = /([234])[fdhi]?$/.exec(type)?.[1];
  return n && !/^(float|double|half|int)$/.test(type) ? Number(n) : 1;
};
/** Shortest digits that give the same single-precision number back. */
export const digits = (x: number): string => {
  if (!Number.isFinite(x)) return Number.isNaN(x) ? 'nan' : x > 0 ? 'inf' : '-inf';
  if (Number.isInteger(x)) return String(x);
  const single = Math.fround(x);
  for (let p = 6; p < 9; p++) {
    const text = x.toPrecision(p);
    if (Math.fround(Number(text)) === single) return String(Number(text));
  }
  return String(Number(x.toPrecision(9)));
};

/** Writes a layer in the text form of USD; the same layer gives the same text. */
export function writeUsdText(layer: UsdLayer): Uint8Array {
  const lines: string[] = ['#usda 1.0', '('];
  for (const [key, value] of layer.meta) lines.push(`    ${key} = ${loose(value)}`);
  if (layer.subLayers.length)
    lines.push(`    subLayers = [${layer.subLayers.map((asset) => `@${asset}@`).join(', ')}]`);
  lines.push(')', '');
  for (const prim of layer.root.children.values()) writePrim(lines, prim, '');
  return new TextEncoder().encode(`${lines.join('\n')}\n`);
}

function writePrim(lines: string[], prim: UsdPrim, indent: string): void {
  const inner = `${indent}    `;
  lines.push(
    `${indent}${prim.specifier} ${prim.type ? `${prim.type} ` : ''}${quote(prim.name)}${writeMeta(prim, inner, indent)}`,
    `${indent}{`,
  );
  contents(lines, prim, inner);
  lines.push(`${indent}}`, '');
}

function contents(lines: string[], prim: UsdPrim, indent: string): void {
  for (const [name, attribute] of prim.attributes) writeAttribute(lines, name, attribute, indent);
  for (const [name, targets] of prim.relations)
    lines.push(
      `${indent}rel ${name} = ${targets.length === 1 ? `<${targets[0]}>` : `[${targets.map((target) => `<${target}>`).join(', ')}]`}`,
    );
  for (const child of prim.children.values()) writePrim(lines, child, indent);
  for (const [set, choices] of prim.variants) {
    lines.push(`${indent}variantSet ${quote(set)} = {`);
    for (const [name, choice] of choices) {
      lines.push(`${indent}    ${quote(name)}${writeMeta(choice, `${indent}        `, `${indent}    `)} {`);
      contents(lines, choice, `${indent}        `);
      lines.push(`${indent}    }`);
    }
    lines.push(`${indent}}`);
  }
}

function writeMeta(prim: UsdPrim, inner: string, indent: string): string {
  const arcs = (list: readonly UsdArc[]) =>
    `[${list.map((arc) => `${arc.asset ? `@${arc.asset}@` : ''}${arc.prim ? `<${arc.prim}>` : ''}`).join(', ')}]`;
  const lines = [...prim.meta].map(
    ([key, value]) => `${inner}${key === 'apiSchemas' ? 'prepend ' : ''}${key} = ${loose(value)}`,
  );
  if (prim.arcs.references.length) lines.push(`${inner}prepend references = ${arcs(prim.arcs.references)}`);
  if (prim.arcs.payloads.length) lines.push(`${inner}prepend payload = ${arcs(prim.arcs.payloads)}`);
  for (const key of ['inherits', 'specializes'] as const)
    if (prim.arcs[key].length)
      lines.push(`${inner}prepend ${key} = [${prim.arcs[key].map((path) => `<${path}>`).join(', ')}]`);
  if (prim.variants.size)
    lines.push(`${inner}prepend variantSets = [${[...prim.variants.keys()].map(quote).join(', ')}]`);
  if (prim.selection.size)
    lines.push(
      `${inner}variants = {`,
      ...[...prim.selection].map(([set, name]) => `${inner}    string ${set} = ${quote(name)}`),
      `${inner}}`,
    );
  return lines.length ? ` (\n${lines.join('\n')}\n${indent})` : '';
}

function writeAttribute(lines: string[], name: string, attribute: UsdAttribute, indent: string): void {
  const { type, value, samples, connections, meta } = attribute;
  const isArray = attribute.array,
    declared = `${type}${isArray ? '[]' : ''} ${name}`;
  const notes = [...meta].filter(([key]) => key !== 'variability' && key !== 'custom');
  const uniform = meta.get('variability') === 1 ? 'uniform ' : '';
  const tail = notes.length
    ? ` (\n${notes.map(([key, entry]) => `${indent}    ${key} = ${loose(entry)}`).join('\n')}\n${indent})`
    : '';
  if (value !== undefined || (!samples && !connections.length))
    lines.push(
      `${indent}${uniform}${declared}${value === undefined ? '' : ` = ${written(type, value, isArray)}`}${tail}`,
    );
  if (samples)
    lines.push(
      `${indent}${declared}.timeSamples = {`,
      ...samples.times.map((time, i) => `${indent}    ${time}: ${written(type, samples.values[i], isArray)},`),
      `${indent}}`,
    );
  if (connections.length)
    lines.push(
      `${indent}${declared}.connect = ${connections.length === 1 ? `<${connections[0]}>` : `[${connections.map((path) => `<${path}>`).join(', ')}]`}`,
    );
}

function written(type: string, value: UsdValue, isArray: boolean): string {
  if (value === null) return 'None';
  if (typeof value === 'string') return quote(value);
  if (typeof value === 'number') return type === 'double' || type === 'timecode' ? String(value) : digits(value);
  if (typeof value === 'boolean') return String(value);
  if (value instanceof Map) return loose(value);
  if (Array.isArray(value)) {
    if (type === 'asset' && !isArray) return `@${(value[0] as UsdArc).asset}@`;
    return `[${(value as (string | UsdArc)[]).map((entry) => (typeof entry === 'string' ? quote(entry) : `@${entry.asset}@`)).join(', ')}]`;
  }
  const n = width(type),
    rows: string[] = [],
    matrix = WIDTH[type],
    exact = type.endsWith('d');
  const number = (x: number) => (exact ? String(x) : digits(x));
  if (n === 1) {
    const all = Array.from(value, number);
    return isArray ? `[${all.join(', ')}]` : (all[0] ?? '0');
  }
  for (let i = 0; i + n <= value.length; i += n) {
    const row = Array.from({ length: n }, (_, c) => number(value[i + (isQuaternion(type) ? (c + 3) % 4 : c)]));
    rows.push(
      matrix
        ? `( ${Array.from({ length: matrix }, (_, r) => `(${row.slice(r * matrix, (r + 1) * matrix).join(', ')})`).join(', ')} )`
        : `(${row.join(', ')})`,
    );
  }
  return isArray ? `[${rows.join(', ')}]` : (rows[0] ?? 'None');
}

/** A value without a declared type: metadata. */
function loose(value: UsdValue): string {
  if (value === null) return 'None';
  if (typeof value === 'string') return quote(value);
  if (typeof value === 'number' || typeof value === 'boolean') return String(value);
  if (value instanceof Map)
    return `{\n${[...value].map(([key, entry]) => `        ${typeof entry === 'number' ? 'double' : typeof entry === 'boolean' ? 'bool' : entry instanceof Map ? 'dictionary' : 'string'} ${quote(key)} = ${loose(entry)}`).join('\n')}\n    }`;
  return `[${Array.from(value as ArrayLike<string | number | UsdArc>, (entry) => (typeof entry === 'string' ? quote(entry) : typeof entry === 'number' ? String(entry) : `${entry.asset ? `@${entry.asset}@` : ''}${entry.prim ? `<${entry.prim}>` : ''}`)).join(', ')}]`;
}
