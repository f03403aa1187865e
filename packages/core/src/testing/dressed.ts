import type { Document } from '@gltf-transform/core';
import { floatsOf, listParts } from '../character/index.ts';
import { stickFigure } from './stick-figure.ts';

/** A figure in a jacket that its body comes through here and there. */
export function dressed(by = 0): Document {
  const document = stickFigure({ rings: 16, sides: 12 }),
    [part] = listParts(document);
  const jacket = part.prim.clone().setMaterial(document.createMaterial('Jacket_Cloth'));
  const position = jacket.getAttribute('POSITION');
  if (!position) throw new Error('a figure has positions');
  jacket.setAttribute(
    'POSITION',
    position
      .clone()
      .setArray(floatsOf(position).map((x, i) => x * 1.02 + by * Math.sin(40 * x + i)) as Float32Array<ArrayBuffer>),
  );
  document
    .getRoot()
    .listScenes()[0]
    .addChild(
      document
        .createNode('Jacket')
        .setSkin(part.node.getSkin())
        .setMesh(document.createMesh('Jacket').addPrimitive(jacket)),
    );
  return document;
}
