import type { AppearanceRow } from './appearance-row.ts';

/** How a material looks in the result, each figure from the side where it is worst. */
export interface MaterialLook {
  material: string;
  /** Most pixels of a view that it shows on in the source. */
  pixels: number;
  /** What is missed of it, percent of what the source shows. */
  missed: number;
  /** How far its surface is another: roughness 0 … 1, degrees between normals. */
  roughness: number;
  degrees: number;
}

/** Fewer pixels of a view tell nothing of a material's surface. */
const LEAST = 150;

/** What all views say of each material, those that are missed most first. */
export function looksByMaterial(rows: readonly AppearanceRow[]): MaterialLook[] {
  const out = new Map<string, MaterialLook>();
  for (const { coverage } of rows)
    for (const { material, source, missed, surface } of coverage) {
      // Results that were stored before these were measured don't have them.
      if (source < LEAST || !missed || !surface) continue;
      const before = out.get(material) ?? { material, pixels: 0, missed: 0, roughness: 0, degrees: 0 };
      out.set(material, {
        material,
        pixels: Math.max(before.pixels, source),
        missed: Math.max(before.missed, Math.round((100 * Math.max(missed.result, missed.drawn)) / source)),
        roughness: Math.max(before.roughness, surface.roughness),
        degrees: Math.max(before.degrees, surface.degrees),
      });
    }
  return [...out.values()].sort((a, b) => b.missed - a.missed || b.degrees - a.degrees);
}
