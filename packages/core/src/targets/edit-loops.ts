import type { Figure, FigureLoop } from './figure.ts';

/** Loops that a figure's skin says; none where they are found by shape. */
export const loopsOfFigure = ({ body }: Pick<Figure, 'body'>): readonly FigureLoop[] => body?.loops ?? [];

/** A figure whose skin says these loops; the figure as it was where it has no skin. */
export const withFigureLoops = (figure: Figure, loops: readonly FigureLoop[]): Figure =>
  figure.body ? { ...figure, body: { ...figure.body, loops: [...loops] } } : figure;

type Path = Pick<FigureLoop, 'at' | 'facing'>;

/** A loop changed. The figure as it was where there is none of that name. */
function changed(figure: Figure, name: string, by: (loop: FigureLoop) => FigureLoop | null): Figure {
  const loops = loopsOfFigure(figure);
  return loops.some((loop) => loop.name === name)
    ? withFigureLoops(
        figure,
        loops.flatMap((loop) => (loop.name === name ? (by(loop) ?? []) : loop)),
      )
    : figure;
}

/** The figure as it was where the new name is empty or taken. */
export function renameFigureLoop(figure: Figure, name: string, next: string): Figure {
  const wanted = next.trim().slice(0, 60);
  if (!wanted || loopsOfFigure(figure).some((loop) => loop.name === wanted)) return figure;
  return changed(figure, name, (loop) => ({ ...loop, name: wanted }));
}

export const holdFigureLoop = (figure: Figure, name: string, holds: boolean): Figure =>
  changed(figure, name, (loop) => ({ ...loop, holds }));

export const removeFigureLoop = (figure: Figure, name: string): Figure => changed(figure, name, () => null);

/** Found ones take the place of those of their names; others stay. */
export function mergeFigureLoops(figure: Figure, found: readonly FigureLoop[]): Figure {
  const names = new Set(found.map(({ name }) => name));
  return withFigureLoops(figure, [...found, ...loopsOfFigure(figure).filter(({ name }) => !names.has(name))]);
}

/** A loop of its own, under a name that nobody has. */
export function addFigureLoop(figure: Figure, { at, facing }: Path): { figure: Figure; name: string } {
  const names = new Set(loopsOfFigure(figure).map(({ name }) => name));
  let n = 1;
  while (names.has(`Loop ${n}`)) n++;
  const name = `Loop ${n}`;
  return {
    figure: withFigureLoops(figure, [
      ...loopsOfFigure(figure),
      { name, at: [...at], ...(facing && { facing: [...facing] }), holds: true },
    ]),
    name,
  };
}

/** Numbers of the nodes that a loop is bent by: as many as asked at most, evenly along it. */
export function handlesOfLoop({ at }: Pick<FigureLoop, 'at'>, most = 16): number[] {
  const nodes = at.length / 3,
    count = Math.min(most, nodes);
  return Array.from({ length: count }, (_, i) => Math.floor((i * nodes) / count));
}

/**
 * What lies between two nodes of a loop goes another way.
 * @param from @param to numbers of the nodes that stay; what lies after the first and before the second is replaced
 * @param way what lies between them now
 */
export function bendLoop(loop: FigureLoop, from: number, to: number, way: Path): FigureLoop {
  const nodes = loop.at.length / 3,
    kept = (values: readonly number[]) => {
      const out: number[] = [];
      for (let i = to; ; i = (i + 1) % nodes) {
        for (let k = 0; k < 3; k++) out.push(values[i * 3 + k] ?? 0);
        if (i === from) break;
      }
      return out;
    };
  return {
    ...loop,
    at: [...kept(loop.at), ...way.at],
    ...((loop.facing ?? way.facing) && {
      facing: [...kept(loop.facing ?? []), ...(way.facing ?? way.at.map(() => 0))],
    }),
  };
}

/** The same loop, begun at its node nearest to a place: what is counted from its first node begins there. */
export function loopFrom(loop: FigureLoop, [x, y, z]: readonly number[]): FigureLoop {
  let first = 0,
    least = Infinity;
  for (let o = 0; o < loop.at.length; o += 3) {
    const off = (loop.at[o] - x) ** 2 + (loop.at[o + 1] - y) ** 2 + (loop.at[o + 2] - z) ** 2;
    if (off < least) [first, least] = [o, off];
  }
  const begun = (values: readonly number[]) => [...values.slice(first), ...values.slice(0, first)];
  return { ...loop, at: begun(loop.at), ...(loop.facing && { facing: begun(loop.facing) }) };
}
