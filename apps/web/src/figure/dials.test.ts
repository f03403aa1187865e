import { createDeformer, floatsOf } from '@dimetra/core';
import type * as THREE from 'three';
import { expect, it } from 'vitest';
import { stickFigure } from '../../../../packages/core/src/testing/stick-figure.ts';
import { buildFigure } from './build.ts';

const document = stickFigure(),
  { parts } = buildFigure({ document, imageOf: new Map() } as never, () => {}, 'as meant'),
  item = parts.find(({ part }) => part.morphNames.length) as (typeof parts)[number],
  shown = item.mesh.geometry.getAttribute('position') as THREE.BufferAttribute,
  rest = floatsOf(item.part.prim.getAttribute('POSITION') as never).slice(),
  [morph] = item.part.morphNames;

it('draws the shape that steps and measures see, and goes back to rest without a trace', () => {
  const deformer = createDeformer(document),
    range = deformer.ranges.find(({ part }) => part.id === item.part.id) as (typeof deformer.ranges)[number],
    wanted = deformer
      .evaluate(new Float32Array(deformer.vertices * 3), { [morph]: 0.5 })
      .slice(range.firstVertex * 3, (range.firstVertex + range.vertices) * 3);
  item.dials.set({ [morph]: 0.25 });
  item.dials.set({ [morph]: 0.5 });
  let off = 0,
    moved = 0;
  for (let i = 0; i < wanted.length; i++) {
    off = Math.max(off, Math.abs(shown.array[i] - wanted[i]));
    moved = Math.max(moved, Math.abs(shown.array[i] - rest[i]));
  }
  expect(moved).toBeGreaterThan(5e-4);
  expect(off).toBeLessThan(1e-6);
  expect(floatsOf(item.part.prim.getAttribute('POSITION') as never)).toEqual(rest);
  item.dials.set({});
  expect(Array.from(shown.array)).toEqual(Array.from(rest));
});

it('hands nothing to the graphics card where no morph of the part has changed', () => {
  item.dials.set({ [morph]: 0.5 });
  const { version } = shown;
  item.dials.set({ [morph]: 0.5, elsewhere: 1 });
  expect(shown.version).toBe(version);
  item.dials.set({ elsewhere: 1 });
  expect(shown.version).toBe(version + 1);
});
