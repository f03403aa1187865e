import { type OpenedFigure, standAsFound, type WrapAsked, wrapOnto } from '@dimetra/core';
import { expose } from 'comlink';
import { openArchived } from './figure-archived.ts';
import { type PackedFigure, unpacked } from './packed.ts';

/** Whose polygons: a figure's archive, or another character. */
export type WrapFigure = { name: string } & ({ archive: Uint8Array } | { packed: PackedFigure });
/** A surface on its way; corners come with the first of them alone. */
export interface WrapMoment {
  done: number;
  places: Float32Array;
  corners?: Uint32Array;
}
/** How closely it came to lie in the end, millimetres. */
export interface WrapFound {
  rmsMm: number;
  most99Mm: number;
  turned: number;
}

async function opened(figure: WrapFigure): Promise<OpenedFigure> {
  return 'packed' in figure
    ? { document: await unpacked(figure.packed), name: figure.name }
    : openArchived(figure.archive, figure.name);
}

/** One skin on its way to another's shape, off the page's own thread. */
const work = {
  async wrap(
    source: PackedFigure,
    stand: NonNullable<Parameters<typeof standAsFound>[1]>,
    figure: WrapFigure,
    asked: WrapAsked,
    told: (moment: WrapMoment) => void,
  ): Promise<WrapFound> {
    const document = await unpacked(source);
    standAsFound(document, stand);
    let isFirst = true;
    const { fit } = wrapOnto(document, await opened(figure), asked, {
      after(done, { corners, places }) {
        told({ done, places, ...(isFirst && { corners }) });
        isFirst = false;
      },
    });
    return { rmsMm: fit.there.rms * 1000, most99Mm: fit.there.most99 * 1000, turned: fit.turned };
  },
};
export type WrapWorker = typeof work;
expose(work);
