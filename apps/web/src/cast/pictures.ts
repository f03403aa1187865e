import { loadFigure } from '../figure/load.ts';
import { standFigure } from '../figure/stand.ts';
import { AS_IT_STANDS, type Side } from '../stage/state.ts';
import type { StageRenderer } from '../stage/renderer.ts';

const [WIDTH, HEIGHT] = [520, 460];
/** A camera that isn't asked for a while is put away, milliseconds. */
const PUT_AWAY = 8000;

/**
 * One stage off screen for all pictures: light and shaders are made once. Figures stand on its two sides by turns, so that
 * the shaders of the one before are there until the next is drawn.
 */
let camera: { renderer: StageRenderer; canvas: HTMLCanvasElement; side: Side } | null = null,
  putAway: ReturnType<typeof setTimeout> | undefined,
  last: Promise<void> = Promise.resolve();

async function cameraReady(): Promise<NonNullable<typeof camera>> {
  clearTimeout(putAway);
  if (camera) return camera;
  const { StageRenderer } = await import('../stage/renderer.ts'),
    canvas = document.createElement('canvas');
  canvas.style.cssText = `position:fixed;left:-2000px;width:${WIDTH}px;height:${HEIGHT}px`;
  document.body.append(canvas);
  try {
    camera = {
      renderer: new StageRenderer(canvas, { lost: (lost) => lost && dropCamera() }, true),
      canvas,
      side: 'source',
    };
  } catch (error) {
    canvas.remove();
    throw error;
  }
  return camera;
}

function dropCamera(): void {
  camera?.renderer.dispose();
  camera?.canvas.remove();
  camera = null;
}

/** Takes a character's picture once, off screen, and leaves it with the server; one after the other. */
export function takePicture(characterId: string, revisionId: string): Promise<void> {
  const next = last.then(() => picture(characterId, revisionId));
  last = next.catch(() => {});
  return next;
}

async function picture(characterId: string, revisionId: string): Promise<void> {
  const { buildFigure } = await import('../figure/build.ts'),
    figure = standFigure(await loadFigure(`/api/v1/revisions/${revisionId}/manifest`), {}),
    taken = await cameraReady();
  try {
    taken.side = taken.side === 'source' ? 'result' : 'source';
    const built = buildFigure(figure, () => {}, 'as meant');
    taken.renderer.setFigure(taken.side, built);
    taken.renderer.apply({ ...AS_IT_STANDS, view: taken.side });
    await built.ready;
    const url = await taken.renderer.portrait(taken.side, null, WIDTH, HEIGHT);
    if (url)
      await fetch(`/api/v1/characters/${characterId}/picture`, {
        method: 'PUT',
        headers: { 'Content-Type': 'image/png' },
        body: Uint8Array.from(atob(url.slice(url.indexOf(',') + 1)), (c) => c.charCodeAt(0)),
      });
  } finally {
    putAway = setTimeout(dropCamera, PUT_AWAY);
  }
}
