import type { Pixels } from '../pixels/index.ts';
import { PLAIN } from '../appearance/material.ts';
import { type Content, mipsOf } from '../appearance/mips.ts';
import type { Scene, SceneMaterial, Slot } from '../appearance/scene.ts';

/** A square sheet in the x–y plane for tests. */
export interface Sheet {
  z: number;
  /** Half its side, metres. */
  half?: number;
  material: Partial<SceneMaterial>;
  name?: string;
  role?: string;
  /** Looks towards −z. */
  away?: boolean;
  /** Moves it sideways. */
  x?: number;
}

/** A map that lies by the first set of UVs. */
export const slot = (
  width: number,
  height: number,
  texel: (x: number, y: number) => number[],
  content: Content = 'color',
): Slot => {
  const data = new Uint8Array(width * height * 4);
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) data.set(texel(x, y), (y * width + x) * 4);
  const pixels: Pixels = { width, height, data };
  return { mips: mipsOf(pixels, content), set: 0, affine: null, wrapU: 'repeat', wrapV: 'repeat' };
};

/** Sheets with UVs from 0 to 1, v downwards as maps lie. */
export function sheets(list: readonly Sheet[]): Scene {
  const position: number[] = [],
    normal: number[] = [],
    uv: number[] = [],
    index: number[] = [];
  for (const [i, { z, half = 0.5, away, x = 0 }] of list.entries()) {
    for (const [u, v] of [
      [0, 0],
      [1, 0],
      [1, 1],
      [0, 1],
    ]) {
      position.push(x + (u * 2 - 1) * half, (1 - v * 2) * half, z);
      normal.push(0, 0, away ? -1 : 1);
      uv.push(u, v);
    }
    const corners = away ? [0, 1, 2, 0, 2, 3] : [0, 2, 1, 0, 3, 2];
    index.push(...corners.map((corner) => i * 4 + corner));
  }
  return {
    vertices: list.length * 4,
    position: Float32Array.from(position),
    normal: Float32Array.from(normal),
    uv: [Float32Array.from(uv)],
    color: null,
    index: Uint32Array.from(index),
    partOf: Uint16Array.from(list.flatMap((_, i) => [i, i])),
    parts: list.map(({ name, role = 'other' }, i) => ({
      name: name ?? `sheet ${i}`,
      role,
      material: i,
      firstTriangle: i * 2,
      triangles: 2,
      firstVertex: i * 4,
      vertices: 4,
    })),
    materials: list.map(({ material }, i) => {
      const { base, normal: bumps, metalRough, occlusion, glow, mode = 'OPAQUE' } = material;
      return {
        ...PLAIN,
        name: `m${i}`,
        metallic: 0,
        solid: mode === 'OPAQUE',
        sets: base || bumps || metalRough || occlusion || glow ? 1 : 0,
        ...material,
      };
    }),
  };
}
