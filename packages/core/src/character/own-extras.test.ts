import { Document } from '@gltf-transform/core';
import { expect, it } from 'vitest';
import { dropOwn, keepOwn, ownOf, readDossier } from './index.ts';

const material = () => new Document().createMaterial('Coat').setExtras({ studio: 7 });

it('keeps fields apart, and what others keep beside them', () => {
  const coat = material();
  keepOwn(coat, 'maps', { height: 'coat_height' });
  keepOwn(coat, 'file', 'coat.png');
  expect(coat.getExtras()).toEqual({ studio: 7, dimetra: { maps: { height: 'coat_height' }, file: 'coat.png' } });
  keepOwn(coat, 'maps', undefined);
  expect([ownOf(coat, 'maps'), ownOf(coat, 'file')]).toEqual([undefined, 'coat.png']);
  keepOwn(coat, 'file', undefined);
  expect(coat.getExtras()).toEqual({ studio: 7 });
});
it('reads what was stored under the names of before, and moves it when it is written', () => {
  const coat = material().setExtras({ dimetraMaps: { bump: 'a' }, dimetraFile: 'x.png' });
  expect([ownOf(coat, 'maps'), ownOf(coat, 'file')]).toEqual([{ bump: 'a' }, 'x.png']);
  keepOwn(coat, 'maps', { bump: 'b' });
  expect(coat.getExtras()).toEqual({ dimetraFile: 'x.png', dimetra: { maps: { bump: 'b' } } });
});
it('takes all of it out again, under both names, and leaves what others keep', () => {
  const coat = material().setExtras({ dimetraLoose: true, dimetra: { maps: {} }, studio: 7 });
  dropOwn(coat);
  expect(coat.getExtras()).toEqual({ studio: 7 });
});
it('takes nothing for a field that is something else', () => {
  const coat = material();
  for (const dimetra of ['text', 7, null, [], { maps: 'x', loose: 'yes', operations: 1, file: {} }]) {
    coat.setExtras({ dimetra });
    expect((['maps', 'file', 'loose', 'operations'] as const).map((field) => ownOf(coat, field))).toEqual(
      Array(4).fill(undefined),
    );
  }
});
it('loses no note of the character but the one that is broken', () => {
  const document = new Document();
  document.getRoot().setExtras({
    dimetra: {
      version: 1,
      jointRoles: { arm: 'leftUpperArm' },
      homePose: 'broken',
      renamedJoints: { a: 7 },
      leftOut: {},
    },
  });
  expect(readDossier(document)).toEqual({ version: 1, jointRoles: { arm: 'leftUpperArm' }, leftOut: {} });
  document.getRoot().setExtras({ dimetra: { version: 2, jointRoles: {} } });
  expect(readDossier(document)).toEqual({ version: 1 });
});
