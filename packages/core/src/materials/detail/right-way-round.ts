import type { Document } from '@gltf-transform/core';
import { findMapFaults, type MapFault } from '../../maps/index.ts';
import { OpenedOnce } from '../../pixels/index.ts';
import type { StepContext } from '../../step.ts';
import { DerivedMaps } from '../derived-maps.ts';
import { mendMap } from '../mend-map.ts';
import type { Sheet } from './sheets.ts';

/**
 * Normal maps that came the wrong way round are put right first: what lies under them would be turned with them.
 * @returns opener of the maps as they are then
 */
export async function rightWayRound(
  document: Document,
  sheets: readonly Sheet[],
  context: StepContext,
): Promise<OpenedOnce> {
  const opened = new OpenedOnce(context.images);
  if (!sheets.some(({ own }) => own)) return opened;
  const work = new DerivedMaps(document, context),
    isOwn = (fault: MapFault) =>
      fault.sure && fault.channel === 'normal' && sheets.some(({ own }) => own === fault.texture);
  for (const fault of (await findMapFaults(document, context.images)).filter(isOwn)) {
    const before = fault.texture;
    if (!(await mendMap(document, work, fault, 0))) continue;
    for (const sheet of sheets) if (sheet.own === before) sheet.own = sheet.materials[0].getNormalTexture();
  }
  await work.written();
  return opened;
}
