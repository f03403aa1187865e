import * as THREE from 'three';
import { expect, it } from 'vitest';
import { stickFigure } from '../../../../packages/core/src/testing/stick-figure.ts';
import { buildFigure, type StageFigure } from '../figure/build.ts';
import { Level } from './level.ts';
import { shotOf } from './shots.ts';
import { AS_IT_STANDS, type StageState } from './state.ts';

/** A stick figure that floats so far above the floor, as a stage has it. */
function standing(lift: number): StageFigure {
  const document = stickFigure();

  for (const node of document.getRoot().listScenes()[0].listChildren()) {
    const [x, y, z] = node.getTranslation();
    node.setTranslation([x, y + lift, z]);
  }
  return buildFigure({ document, imageOf: new Map() } as never, () => {}, 'as meant');
}
function stage(lift: number, change: Partial<StageState> = {}) {
  const figures = { source: standing(0), result: standing(lift) },
    on = { figures, state: { ...AS_IT_STANDS, view: 'pair', ...change } as StageState };
  return { on, level: new Level(on) };
}

it('close up the result is seen from where its own eyes are, and the camera stands as before afterwards', () => {
  const { level } = stage(0.15),
    camera = new THREE.PerspectiveCamera();
  camera.position.set(0, 1, 2);
  level.put('eyes');
  expect(level.away.y).toBeCloseTo(0.15, 3);
  expect(level.at('source', camera, () => camera.position.y)).toBe(1);
  expect(level.at('result', camera, () => camera.matrixWorld.elements[13])).toBeCloseTo(1.15, 3);
  expect(() =>
    level.at('result', camera, () => {
      throw new Error('in the middle');
    }),
  ).toThrow('in the middle');
  expect(camera.position.y).toBe(1);
  level.put('figure');
  expect(level.away.y).toBe(0);
});
it('figures of one height, and those laid over each other, stand as they are', () => {
  const alike = stage(0.004);
  alike.level.put('eyes');
  expect(alike.level.away.y).toBe(0);
  const over = stage(0.15, { view: 'overlay' });
  over.level.put('eyes');
  expect(over.level.away.y).toBe(0);
});
it('follows the source where it is shown at another height', () => {
  const { on } = stage(0),
    moved = new Map(
      on.figures.source.parts.map(({ part }) => [
        part.id,
        new Float32Array(part.vertices * 3).map((_, i) => (i % 3 === 1 ? 0.2 : 0)),
      ]),
    ),
    taller = new Level({ ...on, state: { ...on.state, mixed: moved } });
  const before = shotOf(on.figures.source, 'eyes').target.y;
  expect(taller.placeOf(on.figures.source, 'eyes').y).toBeCloseTo(before + 0.2, 4);
  taller.put('eyes');
  expect(taller.away.y).toBeCloseTo(-0.2, 4);
});
