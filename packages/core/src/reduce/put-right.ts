import type { Document } from '@gltf-transform/core';
import type { Finding } from '../problem.ts';
import { keepBelow, lookUnderCaps } from './keep-below.ts';
import { liftLids } from './lids.ts';
import { liftStrands, lookOnGround } from './lift-strands.ts';
import { type Moved, NOTHING_MOVED } from './moves.ts';
import { lookUnderClothes, tuckUnderClothes } from './tuck.ts';

/** How surfaces lie over each other, looked at before anything is reduced. */
export const lookBefore = (document: Document) => ({
  caps: lookUnderCaps(document),
  strands: lookOnGround(document),
  clothes: lookUnderClothes(document),
});

/** Surfaces of fewer triangles cut through each other where they only lay close: they are moved apart again, and that is told. */
export function putRight(document: Document, before: ReturnType<typeof lookBefore>): Finding[] {
  const { caps, strands, clothes } = before,
    below = caps ? keepBelow(document, caps) : NOTHING_MOVED,
    lifted = strands ? liftStrands(document, strands) : NOTHING_MOVED,
    tucked = clothes ? tuckUnderClothes(document, clothes) : NOTHING_MOVED,
    lids = liftLids(document);
  return [
    ...told(
      'reduce.below',
      below,
      0.05,
      (mm) =>
        `Skin with fewer triangles would have come through the scalp; where nobody sees it, it was moved below it by up to ${mm.toFixed(1)} mm.`,
    ),
    ...told(
      'reduce.strands-lifted',
      lifted,
      0.05,
      (mm) =>
        `Hair with fewer segments would have cut into head and scalp; it was lifted off them by up to ${mm.toFixed(1)} mm.`,
    ),
    ...told(
      'reduce.tucked',
      tucked,
      0.5,
      (mm) =>
        `Skin with fewer triangles would have come through the clothes; where they cover it, it was moved in by up to ${mm.toFixed(1)} mm.`,
    ),
    ...told(
      'reduce.lids',
      lids,
      0,
      (mm) =>
        `Lids with fewer triangles would have let the eyeballs through; they were lifted off them by up to ${mm.toFixed(2)} mm where they close.`,
    ),
  ];
}

/** @param least millimetres that are worth telling */
const told = (code: string, { vertices, mostMm }: Moved, least: number, message: (mm: number) => string): Finding[] =>
  vertices && mostMm >= least
    ? [{ code, severity: 'info', message: message(mostMm), measured: Number(mostMm.toFixed(2)) }]
    : [];
