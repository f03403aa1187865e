import { ProblemError } from '../../problem.ts';
import { Floats, Ints } from '../text/growing.ts';
import { isBlank, nextNumber, type NumberScan } from '../text/numbers.ts';

/** Faces of one piece, corner by corner; indices count from 0 over the whole file, −1 for none. */
export interface ObjPiece {
  object: string;
  group: string;
  point: Ints;
  uv: Ints;
  normal: Ints;
  faceStart: Ints;
  material: Ints;
  smoothing: Ints;
}
export interface ObjContent {
  points: Floats;
  colors: Floats | null;
  uvs: Floats;
  normals: Floats;
  pieces: ObjPiece[];
  /** Material names in the order of their numbers. */
  materials: string[];
  libraries: string[];
  /** What was met and is not kept, with counts. */
  left: Map<string, number>;
}

const CODE = { v: 118, t: 116, n: 110, f: 102, slash: 47, minus: 45, hash: 35 };

/**
 * Reads OBJ text byte by byte: points with or without colours, texture places, normals, polygons of any size with
 * positive or negative numbers, objects, groups, materials, smoothing groups, continued lines, any line ends.
 * @throws ProblemError obj.*, with the line
 */
export function parseObj(source: Uint8Array, path: string): ObjContent {
  const bytes = isPlain(source) ? source : joinContinued(oneLineEnd(source));
  const out: ObjContent = {
    points: new Floats(4096),
    colors: null,
    uvs: new Floats(4096),
    normals: new Floats(4096),
    pieces: [],
    materials: [],
    libraries: [],
    left: new Map(),
  };
  const state = { object: '', group: '', material: -1, smoothing: -1, piece: null as ObjPiece | null };
  const byKey = new Map<string, ObjPiece>(),
    materialOf = new Map<string, number>();
  const scan: NumberScan = { at: 0, value: 0 };
  const skip = (what: string) => out.left.set(what, (out.left.get(what) ?? 0) + 1);
  const text = (from: number, to: number) => decoder.decode(bytes.subarray(from, to)).trim();
  for (let at = 0, line = 1; at < bytes.length; line++) {
    // Lines are short: looking byte by byte beats a call to find their end.
    let end = at;
    while (end < bytes.length && bytes[end] !== 10) end++;
    let i = at;
    at = end + 1;
    while (i < end && isBlank(bytes[i])) i++;
    if (i >= end || bytes[i] === CODE.hash) continue;
    if (bytes[i] === CODE.v) {
      const second = bytes[i + 1];
      if (isBlank(second)) {
        scan.at = i + 1;
        readPoint(out, bytes, end, scan, path, line);
        continue;
      }
      if (second === CODE.t && isBlank(bytes[i + 2])) {
        scan.at = i + 2;
        readRow(out.uvs, 2, bytes, end, scan, path, line, 1);
        continue;
      }
      if (second === CODE.n && isBlank(bytes[i + 2])) {
        scan.at = i + 2;
        readRow(out.normals, 3, bytes, end, scan, path, line, 3);
        continue;
      }
      skip('curve points');
      continue;
    }
    if (bytes[i] === CODE.f && isBlank(bytes[i + 1])) {
      if (!state.piece || state.piece.object !== state.object || state.piece.group !== state.group) {
        const key = `${state.object}\n${state.group}`;
        state.piece = byKey.get(key) ?? {
          object: state.object,
          group: state.group,
          point: new Ints(),
          uv: new Ints(),
          normal: new Ints(),
          faceStart: new Ints(64),
          material: new Ints(64),
          smoothing: new Ints(64),
        };
        if (!byKey.has(key)) {
          byKey.set(key, state.piece);
          out.pieces.push(state.piece);
        }
      }
      readFace(out, state.piece, bytes, i + 1, end, scan, state.material, state.smoothing, path, line);
      continue;
    }
    let word = i;
    while (word < end && !isBlank(bytes[word])) word++;
    const keyword = String.fromCharCode(...bytes.subarray(i, Math.min(word, i + 16))).toLowerCase();
    if (keyword === 'o') state.object = text(word, end);
    else if (keyword === 'g') state.group = text(word, end);
    else if (keyword === 's') {
      const value = text(word, end);
      state.smoothing = value === 'off' ? 0 : Math.max(0, Math.min(1e6, Number.parseInt(value, 10) || 0));
    } else if (keyword === 'usemtl') {
      const name = text(word, end);
      let n = materialOf.get(name);
      if (n === undefined) {
        n = out.materials.push(name) - 1;
        materialOf.set(name, n);
      }
      state.material = n;
    } else if (keyword === 'mtllib') out.libraries.push(text(word, end));
    else if (keyword === 'l' || keyword === 'p') skip('lines and points');
    else if (/^(cstype|deg|curv|curv2|surf|parm|trim|hole|bzp|bsp|bmat|step|con)$/.test(keyword))
      skip('curved surfaces');
  }
  return out;
}
const decoder = new TextDecoder();

/** Lines that end with LF and go on nowhere: most files, and nothing to be done for them. */
function isPlain(bytes: Uint8Array): boolean {
  for (let i = 0; i < bytes.length; i++) {
    const c = bytes[i];
    if (c === 13 || c === 92) return false;
  }
  return true;
}

function joinContinued(bytes: Uint8Array): Uint8Array {
  let at = bytes.indexOf(92);
  if (at < 0) return bytes;
  const out = bytes.slice();
  for (; at >= 0; at = out.indexOf(92, at + 1))
    if (out[at + 1] === 10) {
      out[at] = 32;
      out[at + 1] = 32;
    }
  return out;
}

/** Lines end with LF here; files with CR alone, as old machines wrote them, are turned. */
function oneLineEnd(bytes: Uint8Array): Uint8Array {
  if (bytes.indexOf(13) < 0) return bytes;
  const out = bytes.slice();
  for (let at = out.indexOf(13); at >= 0; at = out.indexOf(13, at + 1)) out[at] = out[at + 1] === 10 ? 32 : 10;
  // "\ CR LF" became "\ blank LF": bring the backslash next to the line end.
  for (let at = out.indexOf(92); at >= 0; at = out.indexOf(92, at + 1))
    if (out[at + 1] === 32 && out[at + 2] === 10) {
      out[at] = 32;
      out[at + 1] = 92;
      at++;
    }
  return out;
}

function readPoint(
  out: ObjContent,
  bytes: Uint8Array,
  end: number,
  scan: NumberScan,
  path: string,
  line: number,
): void {
  const from = out.points.length;
  for (let k = 0; k < 3; k++) {
    if (!nextNumber(bytes, end, scan)) throw bad('obj.point', path, line, 'a point has fewer than three numbers');
    out.points.push(scan.value);
  }
  if (!Number.isFinite(out.points.array[from] + out.points.array[from + 1] + out.points.array[from + 2]))
    throw bad('obj.not-finite', path, line, 'a point has no finite place');
  let rest = scan.at;
  while (rest < end && isBlank(bytes[rest])) rest++;
  if (rest >= end) {
    if (out.colors) for (let k = 0; k < 3; k++) out.colors.push(1);
    return;
  }
  let extra = 0;
  const more = [0, 0, 0, 0];
  while (extra < 4 && nextNumber(bytes, end, scan)) more[extra++] = scan.value;
  // One number more is a weight, three or four are a colour.
  if (extra >= 3) {
    if (!out.colors) {
      out.colors = new Floats(4096);
      for (let i = 0; i < from; i++) out.colors.push(1);
    }
    for (let k = 0; k < 3; k++) out.colors.push(more[k]);
  } else if (out.colors) for (let k = 0; k < 3; k++) out.colors.push(1);
}

function readRow(
  to: Floats,
  size: number,
  bytes: Uint8Array,
  end: number,
  scan: NumberScan,
  path: string,
  line: number,
  least: number,
): void {
  for (let k = 0; k < size; k++) {
    if (nextNumber(bytes, end, scan)) to.push(Number.isFinite(scan.value) ? scan.value : 0);
    else if (k >= least) to.push(0);
    else throw bad('obj.row', path, line, 'a texture place or normal has too few numbers');
  }
}

function readFace(
  out: ObjContent,
  piece: ObjPiece,
  bytes: Uint8Array,
  from: number,
  end: number,
  scan: NumberScan,
  material: number,
  smoothing: number,
  path: string,
  line: number,
): void {
  const start = piece.point.length;
  const points = out.points.length / 3,
    uvs = out.uvs.length / 2,
    normals = out.normals.length / 3;
  scan.at = from;
  for (;;) {
    while (scan.at < end && isBlank(bytes[scan.at])) scan.at++;
    if (scan.at >= end || bytes[scan.at] === CODE.hash) break;
    piece.point.push(indexAt(bytes, end, scan, points, 'point', path, line, true));
    const slash = bytes[scan.at] === CODE.slash && scan.at < end;
    if (slash) scan.at++;
    piece.uv.push(
      slash && bytes[scan.at] !== CODE.slash ? indexAt(bytes, end, scan, uvs, 'texture place', path, line, false) : -1,
    );
    const second = bytes[scan.at] === CODE.slash && scan.at < end;
    if (second) scan.at++;
    piece.normal.push(second ? indexAt(bytes, end, scan, normals, 'normal', path, line, false) : -1);
  }
  if (piece.point.length - start < 3) {
    // A face of two corners is a line and has no surface.
    piece.point.length = piece.uv.length = piece.normal.length = start;
    out.left.set('lines and points', (out.left.get('lines and points') ?? 0) + 1);
    return;
  }
  piece.faceStart.push(start);
  piece.material.push(material);
  piece.smoothing.push(smoothing);
}

/** A one-based number, or a negative one that counts back from the last; 0-based out. */
function indexAt(
  bytes: Uint8Array,
  end: number,
  scan: NumberScan,
  count: number,
  what: string,
  path: string,
  line: number,
  needed: boolean,
): number {
  let i = scan.at,
    value = 0,
    any = false;
  const negative = bytes[i] === CODE.minus;
  if (negative || bytes[i] === 43) i++;
  while (i < end && bytes[i] >= 48 && bytes[i] <= 57) {
    value = Math.min(4e9, value * 10 + bytes[i] - 48);
    any = true;
    i++;
  }
  if (!any) {
    if (!needed && (i >= end || isBlank(bytes[i]))) {
      scan.at = i;
      return -1;
    }
    throw bad('obj.face', path, line, `a face names a ${what} that is no number`);
  }
  // Some writers put a fraction behind: it means nothing.
  if (bytes[i] === 46) {
    i++;
    while (i < end && bytes[i] >= 48 && bytes[i] <= 57) i++;
  }
  scan.at = i;
  const index = negative ? count - value : value - 1;
  if (index < 0 || index >= count)
    throw bad(
      'obj.index',
      path,
      line,
      `a face names ${what} ${negative ? -value : value}, but there are only ${count} so far`,
    );
  return index;
}

const bad = (code: string, path: string, line: number, what: string): ProblemError =>
  new ProblemError(
    code,
    `“${path}” can't be read: in line ${line}, ${what}. The file is damaged or cut off; export it again.`,
    `line ${line}`,
  );
