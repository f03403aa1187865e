import { coveredTriangles } from './covered.ts';
import type { DrawnFigure } from './drawn.ts';
import { type Posed, PosedPair, type SurfaceAtRest } from './posed-pair.ts';
import { skinThrough } from './skin-through.ts';

export type SideName = 'source' | 'result';
type Placed = Pick<SurfaceAtRest, 'groups' | 'groupCount' | 'open'>;

/** What another thread does of a measurement, in the order it is asked: plain data goes in and comes out. */
export interface AsideTasks {
  /** Takes a figure and the shapes it is looked at in, the first at rest. */
  show: { given: { side: SideName; figure: DrawnFigure; shapes: Float32Array[] }; answer: null };
  /** Which of its triangles are covered in all shapes. */
  covered: { given: SideName; answer: Uint8Array };
  /** Skin through clothes in each shape, square centimetres. */
  skin: { given: SideName; answer: number[] };
  /** Makes both ready to be posed. */
  stand: { given: { source: Placed; result: Placed; samples: number; seed: number }; answer: null };
  pose: { given: { source: Float32Array; result: Float32Array }; answer: Posed };
}
type TaskName = keyof AsideTasks;

/** A second thread that measures along. */
export interface Aside {
  ask<K extends TaskName>(task: K, given: AsideTasks[K]['given']): Promise<AsideTasks[K]['answer']>;
  /** Numbers that both threads see: given to the other, they are not copied. */
  shared(length: number): Float32Array;
  /** Ends it, whatever it is at. */
  close(): Promise<void>;
}
/** Starts one for a measurement; null where no core is free for it. */
export type StartAside = () => Aside | null;

/** The other thread's side: answers one task after the other. */
export function asideWork(): <K extends TaskName>(task: K, given: AsideTasks[K]['given']) => AsideTasks[K]['answer'] {
  const shown = new Map<SideName, AsideTasks['show']['given']>();
  let pair: PosedPair | null = null;
  const side = (name: SideName) => {
    const found = shown.get(name);
    if (!found) throw new Error(`the ${name} was not shown`);
    return found;
  };
  const atRest = (name: SideName, placed: Placed): SurfaceAtRest => {
    const { figure, shapes } = side(name);
    return { ...placed, figure, positions: shapes[0] };
  };
  const work: { [K in TaskName]: (given: AsideTasks[K]['given']) => AsideTasks[K]['answer'] } = {
    show(given) {
      shown.set(given.side, given);
      return null;
    },
    covered: (name) => coveredTriangles(side(name).figure, side(name).shapes),
    skin: (name) => skinThrough(side(name).figure, side(name).shapes),
    stand({ source, result, samples, seed }) {
      pair = PosedPair.of(atRest('source', source), atRest('result', result), samples, seed);
      return null;
    },
    pose({ source, result }) {
      if (!pair) throw new Error('nothing stands ready to be posed');
      return pair.at(source, result);
    },
  };
  return (task, given) => work[task](given);
}
