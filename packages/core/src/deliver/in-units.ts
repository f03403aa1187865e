import type { Document } from '@gltf-transform/core';
import { copyDocument } from '../character/index.ts';
import { standUp } from '../rig/index.ts';
import type { Target } from '../targets/index.ts';

export type Axes = Pick<Target['package'], 'upAxis' | 'unitMetres'>;

/** A figure in the unit and with the axis up that a target asks for: facing −Y where Z is up. As it is where it stands so already. */
export function inUnits(document: Document, { upAxis = 'Y', unitMetres = 1 }: Axes): Document {
  if (upAxis === 'Y' && unitMetres === 1) return document;
  const own = copyDocument(document);
  standUp(own, { unitMetres: 1 / unitMetres, upAxis: upAxis === 'Z' ? '-z' : 'y', facing: '+z', floor: false });
  return own;
}
