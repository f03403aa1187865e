import { type Document, type Node, Scene } from '@gltf-transform/core';
import { decompose, invertAffine, multiply } from '../geometry/index.ts';
import { globalMatrix } from './joints.ts';

/** Gives a node another parent without moving it; without one it hangs in the scene itself, since what hangs nowhere isn't shown. */
export function moveUnder(document: Document, node: Node, parent: Node | null): void {
  const own = globalMatrix(node);
  const local = new Float64Array(16);
  if (parent) {
    const inverse = new Float64Array(16);
    invertAffine(inverse, 0, globalMatrix(parent), 0);
    multiply(local, 0, inverse, 0, own, 0);
    parent.addChild(node);
  } else {
    local.set(own);
    const scene = sceneOf(document, node);
    node.getParentNode()?.removeChild(node);
    scene.addChild(node);
  }
  const { translation, rotation, scale } = decompose(local);
  node.setTranslation(translation).setRotation(rotation).setScale(scale);
}

/** The scene in which a node hangs; the default one for what hangs in none. */
function sceneOf(document: Document, node: Node): Scene {
  let top = node;
  for (let above = node.getParentNode(); above; above = above.getParentNode()) top = above;
  const own = top.listParents().find((parent): parent is Scene => parent instanceof Scene),
    root = document.getRoot();
  return own ?? root.getDefaultScene() ?? root.listScenes()[0] ?? document.createScene();
}
