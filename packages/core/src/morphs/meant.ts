import type { Document } from '@gltf-transform/core';

/** What steps share that do only what somebody asks for: they apply where something is asked, and the source undergoes it too, since what is meant is no loss. */
export const meant = <S>(asked: (settings: S) => boolean, carryOut: (document: Document, settings: S) => unknown) => ({
  applies: (_document: Document, _target: unknown, settings?: S): boolean => settings !== undefined && asked(settings),
  reference: {
    needed: (_document: Document, settings: S): boolean => asked(settings),
    undergo: (document: Document, settings: S): void => void carryOut(document, settings),
  },
});
