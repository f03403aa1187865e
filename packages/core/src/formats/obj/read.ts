import { Document, type Material } from '@gltf-transform/core';
import { type Finding, ProblemError } from '../../problem.ts';
import { baseName, extensionOf, findFile, folderOf, type InputFile } from '../files.ts';
import { ImageShelf } from '../images/shelf.ts';
import { buildPrimitives, type CornerLayer, type PolyMesh } from '../mesh/poly-mesh.ts';
import type { Reader, ReaderOutput } from '../reader.ts';
import { asUtf8, textOf } from '../text/decode.ts';
import type { Ints } from '../text/growing.ts';
import { readMtl } from './mtl.ts';
import { type ObjContent, type ObjPiece, parseObj } from './parse.ts';

export const objReader: Reader = {
  id: 'obj',
  title: 'OBJ',
  extensions: ['obj'],
  accepts: (file) => extensionOf(file.path) === 'obj',
  read: readObj,
};

/**
 * Reads OBJ with its MTL libraries. Units and axes are not part of the format: they are found from the body.
 * @throws ProblemError obj.*
 */
export async function readObj(main: InputFile, files: readonly InputFile[]): Promise<ReaderOutput> {
  const findings: Finding[] = [],
    used = [main.path];
  const content = parseObj(withPoints(asUtf8(main.bytes), main.path, findings), main.path);
  const pieces = joinPieces(content);
  if (!pieces.length)
    throw new ProblemError('obj.no-faces', `“${main.path}” holds no faces. Export the meshes as polygons.`, main.path);
  const document = new Document();
  document.createBuffer();
  const scene = document.createScene();
  const materials = readMaterials(document, content, main, files, used, findings);
  for (const { name, parts } of pieces) {
    const mesh = document.createMesh(name);
    for (const { prim } of buildPrimitives(document, polyMesh(name, content, parts), materials))
      mesh.addPrimitive(prim);
    scene.addChild(document.createNode(name).setMesh(mesh));
  }
  for (const [what, count] of content.left)
    findings.push({
      code: 'obj.left-out',
      severity: what === 'curved surfaces' ? 'warning' : 'info',
      message: `${count} ${what} of “${main.path}” have no place in a triangle mesh and were left out.`,
      where: main.path,
      measured: count,
    });
  findings.push({
    code: 'intake.no-skin',
    severity: 'warning',
    message: "OBJ holds no skeleton and no morphs: the figure can't bend until it is bound.",
    where: main.path,
  });
  return { document, findings, used };
}

/** Points of the first lines written with decimal commas: the whole file is read so, and it is said. */
function withPoints(bytes: Uint8Array, path: string, findings: Finding[]): Uint8Array {
  const head = textOf(bytes.subarray(0, 65_536));
  if (!/^v\s+-?\d+,\d/m.test(head) || /^v\s[^\n]*\d\.\d/m.test(head)) return bytes;
  findings.push({
    code: 'intake.decimal-comma',
    severity: 'info',
    message: `“${path}” writes numbers with decimal commas; they were read as points.`,
    where: path,
  });
  return bytes.map((byte) => (byte === 44 ? 46 : byte));
}

/** Pieces by object where the file names several, else by group. */
function joinPieces(content: ObjContent): { name: string; parts: ObjPiece[] }[] {
  const objects = new Set(content.pieces.map((piece) => piece.object)),
    groups = new Set(content.pieces.map((piece) => piece.group));
  const byObject = objects.size > 1 || groups.size === 1;
  const out = new Map<string, ObjPiece[]>();
  for (const piece of content.pieces) {
    if (!piece.faceStart.length) continue;
    const name = (byObject ? piece.object || piece.group : piece.group || piece.object) || 'mesh';
    const list = out.get(name);
    if (list) list.push(piece);
    else out.set(name, [piece]);
  }
  return [...out].map(([name, parts]) => ({ name, parts }));
}

function polyMesh(name: string, content: ObjContent, parts: readonly ObjPiece[]): PolyMesh {
  const corners = joined(parts, (piece) => piece.point);
  const faceStart = new Uint32Array(parts.reduce((sum, piece) => sum + piece.faceStart.length, 0) + 1);
  let face = 0,
    before = 0;
  for (const piece of parts) {
    for (const start of piece.faceStart.done()) faceStart[face++] = start + before;
    before += piece.point.length;
  }
  faceStart[face] = before;
  const smoothing = joined(parts, (piece) => piece.smoothing);
  const layer = (index: Int32Array, size: number, values: ArrayLike<number>): CornerLayer => ({ size, values, index });
  const uv = joined(parts, (piece) => piece.uv),
    normal = joined(parts, (piece) => piece.normal);
  const some = (index: Int32Array) => index.some((i) => i >= 0),
    all = (index: Int32Array) => !index.includes(-1);
  return {
    name,
    points: content.points.array,
    corners,
    faceStart,
    faceMaterial: joined(parts, (piece) => piece.material),
    // Where no smoothing group was ever named, everything is smooth.
    faceGroup: smoothing.some((group) => group >= 0) ? smoothing.map((group) => (group < 0 ? 0 : group)) : undefined,
    normal: all(normal) ? layer(normal, 3, content.normals.array) : undefined,
    uv: some(uv) ? [layer(uv, 2, content.uvs.array)] : [],
    color: content.colors ? layer(corners, 3, content.colors.array) : undefined,
  };
}

function joined(parts: readonly ObjPiece[], of: (piece: ObjPiece) => Ints): Int32Array {
  if (parts.length === 1) return of(parts[0]).done();
  const out = new Int32Array(parts.reduce((sum, piece) => sum + of(piece).length, 0));
  let at = 0;
  for (const piece of parts) {
    out.set(of(piece).done(), at);
    at += of(piece).length;
  }
  return out;
}

function readMaterials(
  document: Document,
  content: ObjContent,
  main: InputFile,
  files: readonly InputFile[],
  used: string[],
  findings: Finding[],
): (Material | null)[] {
  const known = new Map<string, Material>();
  const own = baseName(main.path).replace(/\.[^.]+$/, '.mtl');
  // One line may name several libraries, and names may hold blanks: the whole line first, then its words.
  const named = content.libraries.flatMap((line) =>
    findFile(files, folderOf(main.path), line) ? [line] : line.split(/\s+(?=\S+\.mtl\b)/i),
  );
  const wanted = named.length ? named : [own];
  for (const reference of wanted) {
    const found = findFile(files, folderOf(main.path), reference) ?? findFile(files, folderOf(main.path), own);
    if (!found) {
      if (content.materials.length)
        findings.push({
          code: 'intake.missing-file',
          severity: 'warning',
          message: `The material library “${reference}” did not arrive: materials keep their names and nothing else.`,
          where: reference,
        });
      continue;
    }
    if (!used.includes(found.file.path)) used.push(found.file.path);
    const shelf = new ImageShelf(document, files, folderOf(found.file.path), used, findings);
    for (const [name, material] of readMtl(textOf(asUtf8(found.file.bytes)), document, shelf))
      if (!known.has(name)) known.set(name, material);
      else material.dispose();
  }
  const out = content.materials.map(
    (name) => known.get(name) ?? document.createMaterial(name).setMetallicFactor(0).setRoughnessFactor(0.8),
  );
  const wantedNames = new Set(content.materials);
  for (const [name, material] of known) if (!wantedNames.has(name)) material.dispose();
  return out;
}
