import { RANGE_OF_MOTION, type Pose } from '../rig/index.ts';
import type { Aside } from './aside.ts';
import { UnderClothes } from './under-clothes.ts';
import type { Memory } from './memory.ts';
import { type Pair, shapeOf, showing, type Side, sortOut } from './pair.ts';
import { type Posed, PosedPair, type SurfaceAtRest } from './posed-pair.ts';
import { type ParityRow, rowOf } from './row.ts';

/** Both figures in a pose. */
interface Shapes {
  source: Float32Array;
  result: Float32Array;
}

/** Poses that wait for the other thread: it never runs dry, and their shapes don't pile up. */
const AHEAD = 2;

/** A side as it stands at rest, which samples are laid on where clothes don't cover it. */
export const atRest = (side: Side, { alike }: Pair, positions: Float32Array, hidden: Uint8Array): SurfaceAtRest => ({
  figure: side.figure,
  positions,
  groups: side.groups,
  groupCount: alike.groups,
  open: sortOut(hidden).open,
});

/** Two figures ready to be posed side by side. */
export interface Posing {
  pair: Pair;
  clothes: UnderClothes;
  source: SurfaceAtRest;
  result: SurfaceAtRest;
  /** Here, where it is made already or first needed. */
  posed(): PosedPair;
}

/** @param samples on each surface */
export async function readyToPose(
  pair: Pair,
  samples: number,
  seed: number,
  aside: Aside | null,
  memory?: Memory,
): Promise<Posing> {
  const shown = showing(pair, false, aside?.shared),
    clothes = await UnderClothes.at(pair, shown, aside, { skin: true }, memory),
    hidden = await clothes.covered();
  const source = atRest(pair.source, pair, shown.shapes.source[0], hidden.source),
    result = atRest(pair.result, pair, shown.shapes.result[0], hidden.result);
  let made: PosedPair | null = null;
  return { pair, clothes, source, result, posed: () => (made ??= PosedPair.of(source, result, samples, seed)) };
}

/** Poses of the range-of-motion set that turn something the source has; none where no joint moves its mesh. */
export function posesOf({ source }: Pair): readonly Pose[] {
  return source.deformer.ranges.some((range) => range.part.node.getSkin())
    ? RANGE_OF_MOTION.filter((pose) => pose.turns.some((turn) => source.roles.has(turn.role)))
    : [];
}

/** How far two figures are from each other in each pose, found here and in the other thread, where there is one. */
export class PoseRows {
  private readonly poses: readonly Pose[];
  private readonly rows: ParityRow[] = [];
  private readonly asked: Promise<void>[] = [];
  private readonly free: Shapes[];
  private readonly own: Shapes;
  private next = 0;

  constructor(
    private readonly posing: Posing,
    private readonly aside: Aside | null,
    samples: number,
    seed: number,
  ) {
    this.poses = posesOf(posing.pair);
    const { figure: a, positions: _p, ...source } = posing.source,
      { figure: b, positions: _q, ...result } = posing.result,
      room = (make: (length: number) => Float32Array): Shapes => ({
        source: make(a.vertices * 3),
        result: make(b.vertices * 3),
      });
    this.own = room((length) => new Float32Array(length));
    this.free = aside && this.poses.length ? Array.from({ length: AHEAD }, () => room(aside.shared)) : [];
    if (this.poses.length) void aside?.ask('stand', { source, result, samples, seed });
  }

  /** Gives the other thread as much as it should have waiting. */
  feed(): void {
    const { aside, free } = this;
    while (aside && free.length && this.next < this.poses.length) {
      const i = this.next++,
        shapes = this.pose(i, free.pop() as Shapes);
      const done = aside.ask('pose', shapes).then((posed) => {
        free.push(shapes);
        this.take(i, posed);
      });
      // What goes wrong is heard when all are waited for.
      done.catch(() => {});
      this.asked.push(done);
    }
  }

  /** @param before hears of each pose that is measured here */
  async all(before: (pose: Pose, i: number) => void): Promise<ParityRow[]> {
    for (this.feed(); this.next < this.poses.length; this.feed()) {
      const i = this.next++,
        { source, result } = this.pose(i, this.own);
      before(this.poses[i], i);
      this.take(i, this.posing.posed().at(source, result));
      if (this.aside) await letAnswersIn();
    }
    await Promise.all(this.asked);
    return this.rows;
  }

  private pose(i: number, into: Shapes): Shapes {
    const { pair } = this.posing;
    shapeOf(pair.source, this.poses[i], into.source);
    shapeOf(pair.result, this.poses[i], into.result);
    return into;
  }

  private take(i: number, { distance, vertex }: Posed): void {
    const row = rowOf(this.posing.pair, this.poses[i].name, distance);
    this.rows[i] = vertex ? { ...row, vertex } : row;
  }
}

/** Lets answers of other threads come in. */
export const letAnswersIn = (): Promise<void> =>
  new Promise((resolve) => {
    if (typeof setImmediate === 'function') setImmediate(resolve);
    else setTimeout(resolve, 0);
  });
