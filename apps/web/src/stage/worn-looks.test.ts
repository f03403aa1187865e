import { afterAll, expect, it } from 'vitest';
import type * as THREE from 'three';
import { stickFigure } from '../../../../packages/core/src/testing/stick-figure.ts';
import { buildFigure } from '../figure/build.ts';
import type { StageState } from './state.ts';
import { WornLooks } from './worn-looks.ts';

const looks = new WornLooks(),
  state = { look: 'material', hidden: [], isolated: null, part: null } as unknown as StageState;
afterAll(() => looks.dispose());

/** Whether a part of a material of this name, blended all over, is drawn, and in what. */
function drawn(material: string, dressed: boolean): { visible: boolean; own: boolean; core: boolean | null } {
  const document = stickFigure();
  for (const one of document.getRoot().listMaterials()) one.setName(material).setAlphaMode('BLEND');
  const [item] = buildFigure({ document, imageOf: new Map() } as never, () => {}, 'as meant').parts;
  item.mesh.visible = true;
  looks.put(item, 'source', state, dressed, { source: null, result: null });
  return {
    visible: item.mesh.visible,
    own: item.mesh.material === (item.own as THREE.Material),
    core: item.core && item.core.visible,
  };
}

it('a figure whose maps are on their way is seen in clay, but for what is meant to be seen through', () => {
  expect(drawn('Suit_Cloth', false)).toEqual({ visible: true, own: false, core: null });
  expect(drawn('Hair', false)).toEqual({ visible: false, own: false, core: false });
  expect(drawn('Cornea', false).visible).toBe(false);
});

it('with its maps it wears its own, hair with its solid part beside it', () => {
  expect(drawn('Suit_Cloth', true)).toEqual({ visible: true, own: true, core: null });
  expect(drawn('Hair', true)).toEqual({ visible: true, own: true, core: true });
});
