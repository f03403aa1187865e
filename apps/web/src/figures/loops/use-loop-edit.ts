import {
  addFigureLoop,
  bendLoop,
  type Figure,
  handlesOfLoop,
  loopFrom,
  type LoopPath,
  loopsOfFigure,
  withFigureLoops,
} from '@dimetra/core';
import { useState } from 'react';
import type { LoopSkin } from './use-loop-surface.ts';

type Place = readonly [number, number, number];
/** A loop that is bent by its handles, or a new one that is drawn place by place. */
export interface LoopEdit {
  handles: Place[];
  active: number | null;
  /** Places of a loop that is being drawn; null where none is. */
  drawn: Place[] | null;
  message: string | null;
  setActive(handle: number | null): void;
  bend(handle: number, to: Place): Promise<void>;
  startDrawing(): void;
  draw(at: Place): void;
  closeDrawn(): Promise<void>;
  stopDrawing(): void;
}
const NOWHERE = [0, 0, 0];
/** A way without so many of its first places, and without its last. */
const trimmed = ({ at, facing }: LoopPath, first: number): LoopPath => ({
  at: at.slice(first * 3, -3),
  facing: facing.slice(first * 3, -3),
});
const APART = 'These places don’t hang together on the skin. Choose places of one piece of it.';

/** @param figure the draft that is edited; null where nothing is */
export function useLoopEdit(
  figure: Figure | null,
  picked: string | null,
  { ask }: Pick<LoopSkin, 'ask'>,
  change: (next: Figure) => void,
  pick: (name: string) => void,
): LoopEdit {
  const [active, setActive] = useState<number | null>(null),
    [drawn, setDrawn] = useState<Place[] | null>(null),
    [message, setMessage] = useState<string | null>(null),
    loop = figure ? loopsOfFigure(figure).find(({ name }) => name === picked) : undefined,
    nodes = loop ? handlesOfLoop(loop) : [],
    placeOf = (node: number): Place => loop?.at.slice(node * 3, node * 3 + 3) as unknown as Place,
    facingOf = (node: number): readonly number[] => loop?.facing?.slice(node * 3, node * 3 + 3) ?? NOWHERE;
  const bend = async (handle: number, to: Place) => {
    if (!figure || !loop || !ask || nodes.length < 3) return;
    const [from, until] = [-1, 1].map((by) => nodes[(handle + by + nodes.length) % nodes.length]),
      way = await ask.way({
        at: [...placeOf(from), ...to, ...placeOf(until)],
        facing: [...facingOf(from), ...NOWHERE, ...facingOf(until)],
      });
    setMessage(way ? null : APART);
    if (!way) return;
    // Its ends are the vertices beside the nodes that stay.
    const bent = loopFrom(bendLoop(loop, from, until, trimmed(way, 1)), to);
    setActive(0);
    change(
      withFigureLoops(
        figure,
        loopsOfFigure(figure).map((one) => (one === loop ? bent : one)),
      ),
    );
  };
  const closeDrawn = async () => {
    if (!figure || !ask || !drawn || drawn.length < 3) return;
    const places = [...drawn, drawn[0]],
      way = await ask.way({ at: places.flat(), facing: places.flatMap(() => NOWHERE) });
    setMessage(way ? null : APART);
    if (!way) return;
    const added = addFigureLoop(figure, trimmed(way, 0));
    change(added.figure);
    setDrawn(null);
    pick(added.name);
  };
  return {
    handles: drawn ?? nodes.map(placeOf),
    active,
    drawn,
    message,
    setActive,
    bend,
    startDrawing: () => setDrawn([]),
    draw: (at) => setDrawn((before) => (before ? [...before, at] : before)),
    closeDrawn,
    stopDrawing: () => setDrawn(null),
  };
}
