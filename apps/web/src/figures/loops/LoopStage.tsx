import { ActionIcon } from '@mantine/core';
import type { FigureLoop } from '@dimetra/core';
import { IconFocusCentered, IconMinus, IconPlus } from '@tabler/icons-react';
import { type KeyboardEvent, type PointerEvent, useEffect, useRef } from 'react';
import { LoopScene } from './loop-scene.ts';
import styles from './loops.module.css';
import type { LoopEdit } from './use-loop-edit.ts';
import type { LoopSkin } from './use-loop-surface.ts';

interface LoopStageProps {
  title: string;
  skin: LoopSkin;
  loops: readonly FigureLoop[];
  picked: string | null;
  /** Where loops can be changed. */
  edit: LoopEdit | null;
}
/** How far an arrow key takes a handle, pixels. */
const STEP = 8;
const ARROWS: Readonly<Record<string, readonly [number, number]>> = {
  ArrowLeft: [-STEP, 0],
  ArrowRight: [STEP, 0],
  ArrowUp: [0, -STEP],
  ArrowDown: [0, STEP],
};

/** A figure's skin with its loops; the chosen one close up, with dots to bend it by while it is edited. */
export function LoopStage({ title, skin, loops, picked, edit }: LoopStageProps) {
  const canvas = useRef<HTMLCanvasElement>(null),
    scene = useRef<LoopScene | null>(null),
    dragged = useRef<number | null>(null),
    pressed = useRef<readonly [number, number]>([0, 0]),
    now = useRef(loops);
  now.current = loops;
  useEffect(() => {
    if (!canvas.current) return;
    const own = new LoopScene(canvas.current),
      watcher = new ResizeObserver(own.draw);
    scene.current = own;
    watcher.observe(canvas.current);
    return () => {
      watcher.disconnect();
      own.dispose();
      scene.current = null;
    };
  }, []);
  useEffect(() => {
    if (skin.surface) scene.current?.setSkin(skin.surface);
  }, [skin.surface]);
  useEffect(() => scene.current?.setLoops(loops, picked), [loops, picked]);
  useEffect(() => {
    if (skin.surface) scene.current?.frame(now.current.find(({ name }) => name === picked));
  }, [picked, skin.surface]);
  useEffect(() => scene.current?.setHandles(edit?.handles ?? [], edit?.active ?? null), [edit?.handles, edit?.active]);

  const at = (event: PointerEvent): [number, number] => {
    const box = event.currentTarget.getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  };
  const down = (event: PointerEvent<HTMLCanvasElement>) => {
    pressed.current = at(event);
    if (!edit || edit.drawn) return;
    dragged.current = scene.current?.handleAt(...at(event)) ?? null;
    if (dragged.current === null) return;
    edit.setActive(dragged.current);
    scene.current?.setTurning(false);
    event.currentTarget.setPointerCapture(event.pointerId);
  };
  const move = (event: PointerEvent) => {
    const place = dragged.current !== null && scene.current?.placeAt(...at(event));
    if (place && edit)
      scene.current?.setHandles(
        edit.handles.map((one, i) => (i === dragged.current ? place : one)),
        dragged.current,
      );
  };
  const up = (event: PointerEvent) => {
    const place = scene.current?.placeAt(...at(event)),
      isClick = Math.hypot(...at(event).map((x, k) => x - pressed.current[k])) < 4;
    if (edit?.drawn && isClick && place) edit.draw(place);
    if (edit && dragged.current !== null) {
      if (place && !isClick) edit.bend(dragged.current, place);
      else scene.current?.setHandles(edit.handles, dragged.current);
    }
    dragged.current = null;
    scene.current?.setTurning(true);
  };
  const key = (event: KeyboardEvent) => {
    if (!edit || edit.drawn || !edit.handles.length) return;
    const count = edit.handles.length,
      by = ARROWS[event.key];
    if (event.key === '[' || event.key === ']')
      edit.setActive(((edit.active ?? (event.key === ']' ? -1 : 0)) + (event.key === ']' ? 1 : count - 1)) % count);
    else if (by && edit.active !== null) {
      const from = scene.current?.screenOf(edit.active),
        place = from && scene.current?.placeAt(from[0] + by[0], from[1] + by[1]);
      if (place) edit.bend(edit.active, place);
    } else return;
    event.preventDefault();
  };
  return (
    <div className={styles.stage}>
      <canvas
        ref={canvas}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: dots on it are moved by keys
        tabIndex={0}
        aria-label={`Skin of ${title}${picked ? `, at ${picked}` : ''}${edit ? '. Bracket keys choose a dot, arrow keys move it' : ''}`}
        className={styles.canvas}
        data-loop-stage={skin.state}
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={up}
        onKeyDown={key}
      />
      {skin.state !== 'ready' && (
        <p className={styles.over} role={skin.state === 'failed' ? 'alert' : 'status'}>
          {skin.message ?? 'Opening the skin …'}
        </p>
      )}
      {edit && skin.state === 'ready' && (
        <p className={styles.hint} role="status">
          {edit.message ?? hintOf(edit, picked)}
        </p>
      )}
      <div className={styles.tools}>
        <ActionIcon variant="default" aria-label="Closer" onClick={() => scene.current?.zoom(0.25)}>
          <IconPlus size={16} />
        </ActionIcon>
        <ActionIcon variant="default" aria-label="Farther" onClick={() => scene.current?.zoom(-0.33)}>
          <IconMinus size={16} />
        </ActionIcon>
        <ActionIcon
          variant="default"
          aria-label="Whole view"
          onClick={() => scene.current?.frame(loops.find(({ name }) => name === picked))}
        >
          <IconFocusCentered size={16} />
        </ActionIcon>
      </div>
    </div>
  );
}

function hintOf({ drawn }: LoopEdit, picked: string | null): string {
  if (drawn)
    return drawn.length < 3
      ? `Click places along the loop, one after the other: ${3 - drawn.length} more at least.`
      : `${drawn.length} places. Click on, or close the loop.`;
  return picked
    ? 'Drag a dot along the skin, or choose one by [ and ] and move it by arrows.'
    : 'Choose a loop to bend it.';
}
