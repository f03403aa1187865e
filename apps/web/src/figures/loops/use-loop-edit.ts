import { addFigureLoop, bendLoop, type Figure, handlesOfLoop, loopsOfFigure, withFigureLoops } from '@dimetra/core';
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
    placeOf = (node: number): Place => loop?.at.slice(node * 3, node * 3 + 3) as unknown as Place;
  const bend = async (handle: number, to: Place) => {
    if (!figure || !loop || !ask || nodes.length < 3) return;
    const [from, until] = [-1, 1].map((by) => nodes[(handle + by + nodes.length) % nodes.length]),
      way = await ask.way([...placeOf(from), ...to, ...placeOf(until)]);
    setMessage(way ? null : APART);
    if (!way) return;
    // Its ends are the vertices beside the nodes that stay.
    const bent = bendLoop(loop, from, until, way.slice(3, -3));
    change(
      withFigureLoops(
        figure,
        loopsOfFigure(figure).map((one) => (one === loop ? bent : one)),
      ),
    );
  };
  const closeDrawn = async () => {
    if (!figure || !ask || !drawn || drawn.length < 3) return;
    const way = await ask.way([...drawn, drawn[0]].flat());
    setMessage(way ? null : APART);
    if (!way) return;
    const added = addFigureLoop(figure, way.slice(0, -3));
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
