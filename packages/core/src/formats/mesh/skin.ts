import type { Document, Node, Skin } from '@gltf-transform/core';
import { globalMatrix } from '../../character/index.ts';
import { invertAffine } from '../../geometry/index.ts';

/** A skin over `joints` bound as they stand: each inverse bind is the inverse of the joint's global rest matrix. */
export function makeSkin(document: Document, name: string, joints: readonly Node[]): Skin {
  const skin = document.createSkin(name);
  const binds = new Float64Array(joints.length * 16);
  joints.forEach((joint, i) => {
    skin.addJoint(joint);
    invertAffine(binds, i * 16, globalMatrix(joint), 0);
  });
  return skin.setInverseBindMatrices(document.createAccessor().setType('MAT4').setArray(Float32Array.from(binds)));
}
