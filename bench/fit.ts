import {
  copyDocument,
  fitMapsStep,
  fitMorphsStep,
  keepOwn,
  listParts,
  mapsOf,
  measureOf,
  ownOf,
  SHIPPED_FIGURES,
  SHIPPED_TARGETS,
  type Target,
  withFigure,
  wrapStep,
} from '@dimetra/core';
import { sha256, sharpCodec, shippedBody } from '@dimetra/platform';
import type { Document } from '@gltf-transform/core';
import { timed } from './timing.ts';

/** The skin of a person of 100,000 triangles on the polygons of Corvane (22,000 points): shape, morphs, maps of 2048 texels. */
export async function benchFit(
  source: Document,
  say: (name: string, value: string, wanted: string) => void,
): Promise<void> {
  const target = withFigure(SHIPPED_TARGETS.find(({ id }) => id === 'corvane-figure') as Target, SHIPPED_FIGURES),
    context = { images: sharpCodec, hash: sha256, piece: shippedBody, progress() {}, log() {} },
    seconds = (ms: number) => `${(ms / 1000).toFixed(1)} s`,
    quick = copyDocument(source),
    document = copyDocument(source),
    added = moreMaps(document),
    [, looked] = await timed(() =>
      wrapStep.run(
        quick,
        { body: null, detail: 'quick', morphs: 'target', weights: 'nearer', sides: 'own' },
        target,
        context,
      ),
    ),
    [wrapped, full] = await timed(() =>
      wrapStep.run(
        document,
        { body: null, detail: 'full', morphs: 'target', weights: 'nearer', sides: 'own' },
        target,
        context,
      ),
    ),
    [morphs, carried] = await timed(() => fitMorphsStep.run(document, {}, target, context)),
    [maps, laid] = await timed(() => fitMapsStep.run(document, { size: '2048' }, target, context)),
    count = (found: typeof maps, code: 'maps-laid-out' | 'morphs-carried') =>
      measureOf(found.measures, code)?.result ?? 0;
  say('Skin on other polygons, a quick look', seconds(looked), '≤ 4 s');
  say('Skin on other polygons', seconds(full), '≤ 15 s');
  say(
    '  off the old surface, 99 % within',
    `${(measureOf(wrapped.measures, 'off-the-surface-99')?.result ?? 0).toFixed(2)} mm`,
    '≤ 3 mm',
  );
  say(`  its ${count(morphs, 'morphs-carried')} morphs`, seconds(carried), '≤ 4 s');
  say(`  its ${count(maps, 'maps-laid-out')} maps of 2K (${added} of them copies)`, seconds(laid), '≤ 10 s');
}

/** A skin of as many maps as people bring: its own once more, as data, until there are twenty. @returns how many were added */
function moreMaps(document: Document): number {
  const skins = listParts(document).flatMap(({ kind, material }) => (kind === 'skin' && material ? [material] : [])),
    sheets = [...new Set(skins)].map((material) => ({
      material,
      maps: [...new Set(mapsOf(material).map(({ texture }) => texture))],
    })),
    own = sheets.reduce((sum, { maps }) => sum + maps.length, 0);
  let added = 0;
  for (let round = 0; own + added < 20 && round < 20; round++)
    for (const { material, maps } of sheets) {
      if (own + added >= 20 || !maps.length) continue;
      keepOwn(material, 'maps', { ...ownOf(material, 'maps'), [`more${round}`]: maps[round % maps.length].getName() });
      added++;
    }
  return added;
}
