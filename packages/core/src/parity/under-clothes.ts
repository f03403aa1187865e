import * as v from 'valibot';
import type { Aside, SideName } from './aside.ts';
import type { DrawnFigure } from './drawn.ts';
import { marksOf, type Memory, runsOf } from './memory.ts';
import { hiddenOf, type Pair, type Showing, type Side } from './pair.ts';
import { skinThrough, wearsClothes } from './skin-through.ts';

export interface SkinRow {
  pose: string;
  sourceCm2: number;
  resultCm2: number;
}

/** What was seen of one figure in its shapes. */
interface Seen {
  covered?: Uint8Array;
  /** Skin through clothes in each shape, square centimetres. */
  skin?: number[];
}
type Both<T> = Record<SideName, T>;

/** As it is kept: {@link runsOf} the covered triangles. */
const Kept = v.object({ covered: v.array(v.number()), skin: v.array(v.number()) });

/**
 * Two figures looked at from all sides, in the shapes they are shown in: here, or by the other thread while this one goes
 * on. A figure that was looked at before in the same shapes is not looked at again.
 */
export class UnderClothes {
  private readonly hidden: Promise<Uint8Array> | undefined;
  private readonly skin: Partial<Both<Promise<number[]>>> = {};

  private constructor(
    private readonly pair: Pair,
    private readonly shown: Showing,
    wanted: { skin: boolean },
    private readonly known: Both<Seen>,
    private readonly keep: (side: SideName, seen: Required<Seen>) => Promise<void>,
    aside: Aside | null,
  ) {
    if (!aside) return;
    if (!known.source.covered) this.hidden = aside.ask('covered', 'source');
    if (!this.wearClothes || !wanted.skin) return;
    for (const side of SIDES) {
      if (known[side].skin) continue;
      this.skin[side] = aside.ask('skin', side);
      // It is waited for last; what goes wrong before is heard of elsewhere.
      this.skin[side]?.catch(() => {});
    }
  }

  /** @param aside is shown both, and asked for what it will do, at once */
  static async at(
    pair: Pair,
    shown: Showing,
    aside: Aside | null,
    wanted: { skin: boolean },
    memory?: Memory,
  ): Promise<UnderClothes> {
    for (const side of SIDES)
      void aside?.ask('show', { side, figure: pair[side].figure, shapes: shown.shapes[side] })?.catch(() => {});
    const key = (side: SideName) =>
      memory?.key('clothes', figureKey(pair[side].figure), pair[side].figure.indices, ...shown.shapes[side]) ?? '';
    const keys = { source: key('source'), result: key('result') },
      seen = async (side: SideName): Promise<Seen> => {
        const found = await memory?.recall(keys[side]);
        if (!v.is(Kept, found)) return {};
        return { covered: marksOf(found.covered, pair[side].figure.indices.length / 3), skin: found.skin };
      };
    const known = { source: await seen('source'), result: await seen('result') };
    const keep = async (side: SideName, { covered, skin }: Required<Seen>) => {
      if (!known[side].skin) await memory?.remember(keys[side], { covered: runsOf(covered), skin });
    };
    return new UnderClothes(pair, shown, wanted, known, keep, aside);
  }

  private get wearClothes(): boolean {
    return wearsClothes(this.pair.source.figure) && wearsClothes(this.pair.result.figure);
  }

  /** Which triangles clothes cover in all shapes. */
  async covered(): Promise<Both<Uint8Array>> {
    const { pair, shown, hidden, known } = this,
      result = (known.result.covered ??= hiddenOf(pair.result, shown.shapes.result)),
      source = (known.source.covered ??= (await hidden) ?? hiddenOf(pair.source, shown.shapes.source));
    return { source, result };
  }

  /** Skin through clothes in each shape; null where one of the two wears none. */
  async skinThrough(): Promise<SkinRow[] | null> {
    if (!this.wearClothes) return null;
    const { names, shapes } = this.shown,
      covered = await this.covered();
    const rounded = (cm2: number) => Math.round(cm2 * 10) / 10,
      here = ({ figure }: Side, all: readonly Float32Array[]) => skinThrough(figure, all);
    const skin = {} as Both<number[]>;
    for (const side of SIDES) {
      skin[side] = this.known[side].skin ?? (await this.skin[side]) ?? here(this.pair[side], shapes[side]);
      await this.keep(side, { covered: covered[side], skin: skin[side] });
    }
    return names.map((pose, i) => ({
      pose,
      sourceCm2: rounded(skin.source[i]),
      resultCm2: rounded(skin.result[i]),
    }));
  }
}

const SIDES = ['source', 'result'] as const;
const figureKey = ({ vertices, parts }: DrawnFigure): string => JSON.stringify([vertices, parts]);
