import type { Picture, Scene } from '../appearance/index.ts';
import { degreesOf } from '../geometry/index.ts';
import type { AppearanceCover } from './appearance-row.ts';

/** A material that covers fewer pixels of a view isn't counted there. */
const LEAST_COVER = 80;

/** A picture, and what was drawn in it. */
export interface Shot {
  picture: Picture;
  scene: Scene;
}

/**
 * How much of each material shows on either side, what is missed of it, and how far its surface is another.
 * @param a the source as meant, `b` the result as meant, `c` the result as drawn
 * @param converted pixels on which converting shows, and `drawn` those on which drawing does
 */
export function coverOf(a: Shot, b: Shot, c: Shot, converted: Uint8Array, drawn: Uint8Array): AppearanceCover[] {
  const either = converted.map((noticed, at) => noticed | drawn[at]),
    by = (shot: Shot, among?: Uint8Array) => {
      const shown = shot.picture.shares.shown(among),
        out = new Map<string, number>();
      shot.scene.materials.forEach(({ name }, i) => out.set(name, (out.get(name) ?? 0) + shown[i]));
      return (name: string) => out.get(name) ?? 0;
    };
  const [source, result, asDrawn] = [by(a), by(b), by(c)],
    [meant, isMeant] = [by(a, converted), by(b, converted)],
    [seen, isSeen] = [by(a, either), by(c, either)],
    surfaces = surfacesOf(a, b),
    names = new Set([a, b].flatMap((shot) => shot.scene.materials.map(({ name }) => name)));
  return [...names]
    .filter((name) => Math.max(source(name), result(name), asDrawn(name)) >= LEAST_COVER)
    .map((material) => ({
      material,
      source: Math.round(source(material)),
      result: Math.round(result(material)),
      drawn: Math.round(asDrawn(material)),
      missed: {
        result: Math.max(0, Math.round(meant(material) - isMeant(material))),
        drawn: Math.max(0, Math.round(seen(material) - isSeen(material))),
      },
      surface: surfaces.get(material) ?? { roughness: 0, degrees: 0 },
    }));
}

/** Of each material, over the pixels that show it on both sides: mean difference of roughness, and mean angle between normals. */
function surfacesOf(a: Shot, b: Shot): Map<string, AppearanceCover['surface']> {
  const numbers = new Map<string, number>(),
    numbered = ({ scene }: Shot) =>
      scene.materials.map(({ name }) => {
        if (!numbers.has(name)) numbers.set(name, numbers.size);
        return numbers.get(name) as number;
      }),
    [ofA, ofB] = [numbered(a), numbered(b)],
    count = new Float64Array(numbers.size),
    rough = new Float64Array(numbers.size),
    degrees = new Float64Array(numbers.size);
  const one = a.picture.surface,
    two = b.picture.surface;
  for (let at = 0; at < a.picture.material.length; at++) {
    const [m, n] = [a.picture.material[at], b.picture.material[at]];
    if (m < 0 || n < 0 || ofA[m] !== ofB[n]) continue;
    const o = at * 4,
      number = ofA[m];
    count[number]++;
    rough[number] += Math.abs(one[o + 3] - two[o + 3]);
    const x = one[o + 1] * two[o + 2] - one[o + 2] * two[o + 1],
      y = one[o + 2] * two[o] - one[o] * two[o + 2],
      z = one[o] * two[o + 1] - one[o + 1] * two[o],
      sine = Math.sqrt(x * x + y * y + z * z);
    if (sine > 0)
      degrees[number] += degreesOf(sine, one[o] * two[o] + one[o + 1] * two[o + 1] + one[o + 2] * two[o + 2]);
  }
  return new Map(
    [...numbers].map(([name, i]) => [
      name,
      count[i]
        ? {
            roughness: Math.round((rough[i] / count[i]) * 1000) / 1000,
            degrees: Math.round((degrees[i] / count[i]) * 10) / 10,
          }
        : { roughness: 0, degrees: 0 },
    ]),
  );
}
