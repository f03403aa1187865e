import { look } from '@dimetra/eyes';
import type { Document } from '@gltf-transform/core';
import { copyDocument } from '../character/index.ts';
import { type Conversion, convert, type ConvertOptions } from '../deliver/index.ts';
import { writePng } from '../formats/index.ts';
import { defaultRecipe } from '../recipe/index.ts';
import type { Target } from '../targets/index.ts';
import { testContext } from './context.ts';
import { figureWithAll } from './figure-with-all.ts';

/** A figure that says all that materials say, with pictures of one grey that other libraries open too, two texels wide. */
export function picturedFigure(): Document {
  const document = figureWithAll();
  for (const texture of document.getRoot().listTextures())
    texture.setImage(writePng({ width: 2, height: 1, data: new Uint8Array(8).fill(200) })).setMimeType('image/png');
  return document;
}

/** The whole way from a document to a package, measured at few points and not drawn. */
export const convertWith = (
  document: Document,
  target: Target,
  more: Partial<ConvertOptions> = {},
): Promise<Conversion> =>
  convert({
    name: 'Stoker',
    source: { document: async () => copyDocument(document) },
    target,
    recipe: defaultRecipe(),
    created: '2026-01-01',
    samples: 300,
    appearance: false,
    eyes: look,
    context: testContext(),
    ...more,
  });
