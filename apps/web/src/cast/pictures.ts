import { loadFigure } from '../figure/load.ts';
import { standFigure } from '../figure/stand.ts';

/** Takes a character's picture once, off screen, and leaves it with the server. */
export async function takePicture(characterId: string, revisionId: string): Promise<void> {
  const [{ StageRenderer }, { buildFigure }] = await Promise.all([
    import('../stage/renderer.ts'),
    import('../figure/build.ts'),
  ]);
  const figure = standFigure(await loadFigure(`/api/v1/revisions/${revisionId}/manifest`), {});
  const canvas = document.createElement('canvas');
  canvas.style.cssText = 'position:fixed;left:-2000px;width:520px;height:460px';
  document.body.append(canvas);
  const renderer = new StageRenderer(canvas);
  try {
    const built = buildFigure(figure, () => {});
    renderer.setFigure('source', built);
    renderer.apply({
      view: 'source',
      look: 'material',
      skeleton: false,
      light: 35,
      hidden: [],
      isolated: null,
      part: null,
      joint: { source: null, result: null },
      morphs: {},
      pose: null,
      clip: null,
      time: 0,
      turned: { source: new Map(), result: new Map() },
      axes: false,
      deviation: null,
      limitMm: 1,
      regions: { misplaced: new Map(), chosen: new Map() },
    });
    await built.ready;
    const url = renderer.portrait('source', null, 520, 460);
    if (url)
      await fetch(`/api/v1/characters/${characterId}/picture`, {
        method: 'PUT',
        headers: { 'Content-Type': 'image/png' },
        body: Uint8Array.from(atob(url.slice(url.indexOf(',') + 1)), (c) => c.charCodeAt(0)),
      });
  } finally {
    renderer.dispose();
    canvas.remove();
  }
}
