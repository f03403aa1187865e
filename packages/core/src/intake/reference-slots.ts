import type { Document, Material } from '@gltf-transform/core';
import { floatsOf, listParts, trianglesOf, type Part } from '../character/index.ts';
import { coreOf, regionsIn, type Misplaced, type PieceGroup } from './groups.ts';
import { namePattern } from './pieces.ts';

/** Texels along a side of the picture in which a reference's materials lie. */
const SIZE = 512;
/** A region goes where this share of its faces lies in the reference, and that many have to be answered at all. */
const AGREE = 0.8,
  ANSWERED = 0.5;

/**
 * Faces in a wrong material, told by another figure of the same texture layout: a connected region whose texture places
 * wear another material there. Groups are compared by their names, and where no name fits by their role.
 * @param reference a figure that wears everything right
 * @param materials of the document that `groups` are of; only those can be gone to
 */
export function misplacedByReference(
  groups: readonly PieceGroup[],
  reference: Document,
  materials: readonly Material[],
): Misplaced[] {
  const pictures = new Map<string, MaterialPicture>(),
    out: Misplaced[] = [],
    named = new Map(materials.map((material) => [material.getName(), material]));
  const pattern = namePattern([...new Set(listParts(reference).map((part) => part.node.getName()))]),
    roles = new Map<string, Part[]>(),
    names = new Map<string, Part[]>();
  for (const part of listParts(reference))
    for (const [map, key] of [
      [roles, part.role],
      [names, wordsIn(pattern ? coreOf(part.node.getName(), pattern.prefix, pattern.suffix) : part.node.getName())],
    ] as const)
      map.set(key, [...(map.get(key) ?? []), part]);
  for (const group of groups) {
    const key = names.has(wordsIn(group.name)) ? `name ${wordsIn(group.name)}` : `role ${group.parts[0]?.role}`,
      parts = key.startsWith('name ') ? names.get(wordsIn(group.name)) : roles.get(group.parts[0]?.role ?? '');
    if (!parts) continue;
    let picture = pictures.get(key);
    if (!picture) {
      picture = new MaterialPicture(parts);
      pictures.set(key, picture);
    }
    const { soup, regions } = regionsIn(group),
      { uv } = soup;
    if (!uv) continue;
    for (const { material, faces } of regions) {
      const votes = new Map<string, number>();
      let answered = 0;
      for (const face of faces) {
        const at = face * 6,
          found = picture.at((uv[at] + uv[at + 2] + uv[at + 4]) / 3, (uv[at + 1] + uv[at + 3] + uv[at + 5]) / 3);
        if (found !== null) {
          votes.set(found, (votes.get(found) ?? 0) + 1);
          answered++;
        }
      }
      const [name, count] = [...votes].sort((a, b) => b[1] - a[1] || a[0].localeCompare(b[0]))[0] ?? ['', 0],
        to = named.get(name),
        from = soup.material[material];
      if (
        to &&
        to !== from &&
        to.getName() !== from?.getName() &&
        answered >= ANSWERED * faces.length &&
        count >= AGREE * answered
      )
        out.push({ group, from, to, triangles: faces.length, faces: [...faces] });
    }
  }
  return out;
}

const wordsIn = (name: string): string => name.toLowerCase().replace(/[^a-z]+/g, '');

/** Which material lies where in texture space; places of every tile are laid on one another. */
class MaterialPicture {
  private readonly names: string[] = [];
  private readonly owner = new Int16Array(SIZE * SIZE).fill(-1);

  constructor(parts: readonly Part[]) {
    for (const part of parts) {
      const coordinates = part.prim.getAttribute('TEXCOORD_0');
      if (!coordinates) continue;
      const name = part.material?.getName() ?? '',
        known = this.names.indexOf(name),
        index = known < 0 ? this.names.push(name) - 1 : known,
        uv = floatsOf(coordinates),
        triangles = trianglesOf(part.prim);
      for (let t = 0; t + 2 < triangles.length; t += 3)
        this.fill(uv, triangles[t] * 2, triangles[t + 1] * 2, triangles[t + 2] * 2, index);
    }
  }

  private fill(uv: Float32Array, a: number, b: number, c: number, index: number): void {
    const u = Math.floor(Math.min(uv[a], uv[b], uv[c]) + 1e-6),
      v = Math.floor(Math.min(uv[a + 1], uv[b + 1], uv[c + 1]) + 1e-6);
    const [ax, ay, bx, by, cx, cy] = [uv[a] - u, uv[a + 1] - v, uv[b] - u, uv[b + 1] - v, uv[c] - u, uv[c + 1] - v].map(
        (value) => value * SIZE,
      ),
      twice = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay);
    const inside = (value: number) => Math.max(0, Math.min(SIZE - 1, value));
    // A face smaller than a texel still has a place.
    this.owner[inside(Math.floor((ay + by + cy) / 3)) * SIZE + inside(Math.floor((ax + bx + cx) / 3))] = index;
    if (!(Math.abs(twice) > 1e-9)) return;
    for (let y = inside(Math.floor(Math.min(ay, by, cy))); y <= inside(Math.ceil(Math.max(ay, by, cy))); y++)
      for (let x = inside(Math.floor(Math.min(ax, bx, cx))); x <= inside(Math.ceil(Math.max(ax, bx, cx))); x++) {
        const wb = ((x + 0.5 - ax) * (cy - ay) - (cx - ax) * (y + 0.5 - ay)) / twice,
          wc = ((bx - ax) * (y + 0.5 - ay) - (x + 0.5 - ax) * (by - ay)) / twice;
        if (wb >= 0 && wc >= 0 && wb + wc <= 1) this.owner[y * SIZE + x] = index;
      }
  }

  at(u: number, v: number): string | null {
    const x = Math.floor((u - Math.floor(u)) * SIZE),
      y = Math.floor((v - Math.floor(v)) * SIZE),
      found = this.owner[Math.min(SIZE - 1, y) * SIZE + Math.min(SIZE - 1, x)];
    return found < 0 ? null : this.names[found];
  }
}

/** Both ways of finding together: what the reference says of a face stands above what the surface around it says. */
export function withReference(found: readonly Misplaced[], told: readonly Misplaced[]): Misplaced[] {
  const out = [...told];
  for (const entry of found) {
    const said = new Set(told.filter((other) => other.group === entry.group).flatMap((other) => other.faces)),
      faces = entry.faces.filter((face) => !said.has(face));
    if (faces.length) out.push({ ...entry, faces, triangles: faces.length });
  }
  return out;
}
