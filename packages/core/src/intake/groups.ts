import type { Document, Material } from '@gltf-transform/core';
import { floatsOf, listParts, trianglesOf, type Part } from '../character/index.ts';
import { createUnions } from '../geometry/index.ts';
import { namePattern } from './pieces.ts';

/** Parts that are one surface cut in pieces, or all materials of one node. */
export interface PieceGroup {
  name: string;
  parts: Part[];
}

/** Pieces by the name that is left without what all names share and without their number; nodes with nothing to join are groups of their own. */
export function groupPieces(document: Document): PieceGroup[] {
  const parts = listParts(document),
    pattern = namePattern([...new Set(parts.map((part) => part.node.getName()))]);
  const groups = new Map<string, PieceGroup>();
  for (const part of parts) {
    const name = pattern ? coreOf(part.node.getName(), pattern.prefix, pattern.suffix) : part.node.getName();
    // What is bound to different skins can't become one mesh.
    const key = `${name}/${document
      .getRoot()
      .listSkins()
      .indexOf(part.node.getSkin() as never)}`;
    const group = groups.get(key) ?? { name, parts: [] };
    group.parts.push(part);
    groups.set(key, group);
  }
  return [...groups.values()];
}

export function coreOf(name: string, prefix: string, suffix: string): string {
  const bare = name.slice(prefix.length, suffix ? -suffix.length : undefined).replace(/[\s_.-]*\d+$/, '');
  // Where there is one surface only, what all names share holds its name too.
  return (
    bare ||
    prefix
      .split(/[^A-Za-z]+/)
      .filter(Boolean)
      .at(-1) ||
    name
  );
}

/** A group as one soup of triangles: corners with a number for their place, their texture place, and the material of each face. */
export interface Soup {
  place: Uint32Array;
  uv: Float32Array | null;
  material: (Material | null)[];
  materialOf: Int32Array;
  faces: number;
}

function soupOf(group: PieceGroup): Soup {
  const faces = group.parts.reduce((sum, part) => sum + part.triangles, 0),
    place = new Uint32Array(faces * 3),
    uv = new Float32Array(faces * 6),
    materialOf = new Int32Array(faces),
    material: (Material | null)[] = [];
  const places = new Map<string, number>();
  let face = 0,
    mapped = true;
  for (const part of group.parts) {
    const position = part.prim.getAttribute('POSITION'),
      coordinates = part.prim.getAttribute('TEXCOORD_0');
    if (!position) continue;
    const points = floatsOf(position),
      texture = coordinates ? floatsOf(coordinates) : null,
      triangles = trianglesOf(part.prim);
    mapped &&= texture !== null;
    let m = material.indexOf(part.material);
    if (m < 0) m = material.push(part.material) - 1;
    const numbers = new Uint32Array(points.length / 3);
    for (let v = 0; v < numbers.length; v++) {
      const key = `${points[v * 3]},${points[v * 3 + 1]},${points[v * 3 + 2]}`;
      let n = places.get(key);
      if (n === undefined) {
        n = places.size;
        places.set(key, n);
      }
      numbers[v] = n;
    }
    for (let t = 0; t < triangles.length; t += 3, face++) {
      materialOf[face] = m;
      for (let k = 0; k < 3; k++) {
        place[face * 3 + k] = numbers[triangles[t + k]];
        if (texture) {
          uv[face * 6 + k * 2] = texture[triangles[t + k] * 2];
          uv[face * 6 + k * 2 + 1] = texture[triangles[t + k] * 2 + 1];
        }
      }
    }
  }
  return { place, uv: mapped ? uv : null, material, materialOf, faces };
}

export interface Misplaced {
  group: PieceGroup;
  from: Material | null;
  to: Material | null;
  triangles: number /** Faces, counted through the group's parts. */;
  faces: number[];
}

/** A region has this share of its border with another material, and over this share of it the texture places go on: the rest may be a seam. */
const BORDER = 0.8,
  CONTINUOUS = 0.4;
/** A material is at home in a group that holds this share of it. */
const HOME = 0.5;

/**
 * Faces in a wrong material: connected regions of a material that is at home elsewhere, lying in the surface of
 * another one whose texture places go on across their border.
 */
export function findMisplaced(groups: readonly PieceGroup[]): Misplaced[] {
  const used = new Map<Material | null, number>(),
    share = new Map<PieceGroup, Map<Material | null, number>>();
  for (const group of groups)
    for (const part of group.parts) {
      used.set(part.material, (used.get(part.material) ?? 0) + part.triangles);
      const own = share.get(group) ?? new Map<Material | null, number>();
      own.set(part.material, (own.get(part.material) ?? 0) + part.triangles);
      share.set(group, own);
    }
  const out: Misplaced[] = [];
  for (const group of groups) {
    const own = share.get(group);
    if (!own || own.size < 2 || ![...own].some(([material, count]) => count < HOME * (used.get(material) ?? 0)))
      continue;
    const { soup, region, regions } = regionsIn(group);
    for (const { material, faces } of regions) {
      const m = soup.material[material];
      if ((own.get(m) ?? 0) >= HOME * (used.get(m) ?? 0)) continue;
      const votes = bordersOf(soup, region, faces);
      const [to, edges] = [...votes.by].sort((a, b) => b[1] - a[1])[0] ?? [-1, 0];
      if (to < 0 || edges < BORDER * votes.edges || (soup.uv && votes.continuous < CONTINUOUS * votes.edges)) continue;
      const same = out.find((entry) => entry.group === group && entry.from === m && entry.to === soup.material[to]);
      if (same) {
        same.triangles += faces.length;
        for (const face of faces) same.faces.push(face);
      } else out.push({ group, from: m, to: soup.material[to], triangles: faces.length, faces: [...faces] });
    }
  }
  return out;
}

/** A region named by one of its faces; `to` is a material's name, or null where it shall stay as it is. */
export interface SlotChoice {
  part: string;
  face: number;
  to: string | null;
}

/** A group's faces as the faces of its parts: part id → numbers of its own triangles, ascending. */
export function facesByPart(group: PieceGroup, faces: readonly number[]): Map<string, number[]> {
  const out = new Map<string, number[]>(),
    starts: number[] = [];
  let first = 0;
  for (const part of group.parts) {
    starts.push(first);
    first += part.triangles;
  }
  for (const face of [...faces].sort((a, b) => a - b)) {
    let p = starts.length - 1;
    while (p > 0 && starts[p] > face) p--;
    const { id } = group.parts[p];
    const list = out.get(id);
    if (list) list.push(face - starts[p]);
    else out.set(id, [face - starts[p]]);
  }
  return out;
}

/** The connected region of one material that a face lies in, and the materials that touch it, most first. */
export function regionAt(
  groups: readonly PieceGroup[],
  at: { part: string; face: number },
): { group: PieceGroup; material: Material | null; faces: number[]; beside: (Material | null)[] } | null {
  for (const group of groups) {
    let first = 0;
    for (const part of group.parts) {
      if (part.id !== at.part) {
        first += part.triangles;
        continue;
      }
      if (!(at.face >= 0 && at.face < part.triangles)) return null;
      const { soup, region, regions } = regionsIn(group),
        { material, faces } = regions[region[first + at.face]];
      const beside = [...bordersOf(soup, region, faces).by].sort((a, b) => b[1] - a[1]).map(([m]) => soup.material[m]);
      return { group, material: soup.material[material], faces, beside };
    }
  }
  return null;
}

/** What was found with what the user said instead: a region that shall stay is left out, one that goes elsewhere goes there. */
export function withChoices(
  groups: readonly PieceGroup[],
  found: readonly Misplaced[],
  choices: readonly SlotChoice[],
  materials: readonly Material[],
): Misplaced[] {
  let out = found.map((entry) => ({ ...entry, faces: [...entry.faces] }));
  for (const choice of choices) {
    const region = regionAt(groups, choice);
    if (!region) continue;
    const own = new Set(region.faces);
    out = out
      .map((entry) =>
        entry.group === region.group ? { ...entry, faces: entry.faces.filter((face) => !own.has(face)) } : entry,
      )
      .filter((entry) => entry.faces.length > 0)
      .map((entry) => ({ ...entry, triangles: entry.faces.length }));
    const to = materials.find((material) => material.getName() === choice.to);
    if (choice.to !== null && to && to !== region.material)
      out.push({ group: region.group, from: region.material, to, triangles: region.faces.length, faces: region.faces });
  }
  return out;
}

export type Regions = { soup: Soup; region: Int32Array; regions: { material: number; faces: number[] }[] };
/** A group's parts don't change while it lives, so its regions are found once. */
const known = new WeakMap<PieceGroup, Regions>();
/** A group as triangles with their connected regions of one material. */
export function regionsIn(group: PieceGroup): Regions {
  let found = known.get(group);
  if (!found) {
    const soup = soupOf(group);
    found = { soup, ...regionsOf(soup) };
    known.set(group, found);
  }
  return found;
}

/** Faces by undirected edge: two places as one number. */
function edgesOf(soup: Soup): Map<number, number[]> {
  const edges = new Map<number, number[]>(),
    most = 2 ** 26;
  for (let f = 0; f < soup.faces; f++)
    for (let k = 0; k < 3; k++) {
      const a = soup.place[f * 3 + k],
        b = soup.place[f * 3 + ((k + 1) % 3)],
        key = Math.min(a, b) * most + Math.max(a, b),
        list = edges.get(key);
      if (list) list.push(f);
      else edges.set(key, [f]);
    }
  return edges;
}

function regionsOf(soup: Soup): { region: Int32Array; regions: { material: number; faces: number[] }[] } {
  const { join, of } = createUnions(soup.faces);
  for (const faces of edgesOf(soup).values())
    for (const f of faces) if (soup.materialOf[f] === soup.materialOf[faces[0]]) join(f, faces[0]);
  const region = new Int32Array(soup.faces),
    at = new Map<number, number>(),
    regions: { material: number; faces: number[] }[] = [];
  for (let f = 0; f < soup.faces; f++) {
    const root = of(f);
    let r = at.get(root);
    if (r === undefined) {
      r = regions.push({ material: soup.materialOf[f], faces: [] }) - 1;
      at.set(root, r);
    }
    region[f] = r;
    regions[r].faces.push(f);
  }
  return { region, regions };
}

/** Edges of a region that other materials lie behind: how many by material, and over how many the texture places go on. */
function bordersOf(
  soup: Soup,
  region: Int32Array,
  faces: readonly number[],
): { by: Map<number, number>; edges: number; continuous: number } {
  const own = region[faces[0]],
    edges = new Map<number, { f: number; k: number }>(),
    most = 2 ** 26,
    by = new Map<number, number>();
  let continuous = 0,
    total = 0;
  const keyOf = (f: number, k: number) => {
    const a = soup.place[f * 3 + k],
      b = soup.place[f * 3 + ((k + 1) % 3)];
    return Math.min(a, b) * most + Math.max(a, b);
  };
  for (const f of faces)
    for (let k = 0; k < 3; k++) {
      const key = keyOf(f, k);
      if (edges.has(key)) edges.delete(key);
      else edges.set(key, { f, k });
    }
  for (let f = 0; f < soup.faces; f++) {
    if (region[f] === own) continue;
    for (let k = 0; k < 3; k++) {
      const mine = edges.get(keyOf(f, k));
      if (!mine) continue;
      total++;
      by.set(soup.materialOf[f], (by.get(soup.materialOf[f]) ?? 0) + 1);
      if (soup.uv && sameUv(soup, mine, { f, k })) continuous++;
    }
  }
  return { by, edges: total, continuous };
}

function sameUv({ uv, place }: Soup, a: { f: number; k: number }, b: { f: number; k: number }): boolean {
  if (!uv) return false;
  const at = (f: number, p: number) => {
    for (let k = 0; k < 3; k++) if (place[f * 3 + k] === p) return f * 6 + k * 2;
    return -1;
  };
  return [place[a.f * 3 + a.k], place[a.f * 3 + ((a.k + 1) % 3)]].every((p) => {
    const i = at(a.f, p),
      j = at(b.f, p);
    return i >= 0 && j >= 0 && Math.abs(uv[i] - uv[j]) < 1e-4 && Math.abs(uv[i + 1] - uv[j + 1]) < 1e-4;
  });
}
