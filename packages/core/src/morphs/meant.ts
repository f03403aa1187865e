import type { Document } from '@gltf-transform/core';
import type { StepContext } from '../step.ts';
import type { Target } from '../targets/index.ts';

/**
 * What steps share that do only what somebody asks for, by the recipe or the target: they apply where something is asked, and
 * the source undergoes it too, since what is meant is no loss.
 * @param byTarget whether the target asks by itself, where nothing is set
 */
export const meant = <S>(
  asked: (settings: S, target: Target, document: Document) => boolean,
  carryOut: (document: Document, settings: S, target: Target, context: StepContext) => unknown,
  byTarget: (target: Target, document: Document) => boolean = () => false,
) => ({
  applies: (document: Document, target: Target, settings?: S): boolean =>
    settings === undefined ? byTarget(target, document) : asked(settings, target, document),
  reference: {
    needed: (document: Document, settings: S, _stance: unknown, target: Target): boolean =>
      asked(settings, target, document),
    undergo: async (document: Document, settings: S, target: Target, context: StepContext): Promise<void> =>
      void (await carryOut(document, settings, target, context)),
  },
});
