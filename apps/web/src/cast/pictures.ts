import { loadFigure } from '../figure/load.ts';
import { standFigure } from '../figure/stand.ts';
import { AS_IT_STANDS } from '../stage/state.ts';

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
  const renderer = new StageRenderer(canvas, {}, true);
  try {
    const built = buildFigure(figure, () => {});
    renderer.setFigure('source', built);
    renderer.apply(AS_IT_STANDS);
    await built.ready;
    const url = await renderer.portrait('source', null, 520, 460);
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
