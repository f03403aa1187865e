import type { Aside } from './aside.ts';
import { hiddenOf, type Pair, type Showing, type Side } from './pair.ts';
import { skinThrough, wearsClothes } from './skin-through.ts';

export interface SkinRow {
  pose: string;
  sourceCm2: number;
  resultCm2: number;
}

/** Two figures looked at from all sides, in the shapes they are shown in: here, or by the other thread while this one goes on. */
export class Looks {
  private readonly hidden: Promise<Uint8Array> | undefined;
  private readonly skin: Promise<[number[], number[]]> | undefined;

  /** @param aside is shown both, and asked for what it will do, at once */
  constructor(
    private readonly pair: Pair,
    private readonly shown: Showing,
    aside: Aside | null,
    wanted: { skin: boolean },
  ) {
    const { source, result } = pair,
      { shapes } = shown;
    aside?.ask('show', { side: 'source', figure: source.figure, shapes: shapes.source });
    aside?.ask('show', { side: 'result', figure: result.figure, shapes: shapes.result });
    this.hidden = aside?.ask('covered', 'source');
    if (!wanted.skin || !this.wearClothes || !aside) return;
    this.skin = Promise.all([aside.ask('skin', 'source'), aside.ask('skin', 'result')]);
    // It is waited for last; what goes wrong before is heard of elsewhere.
    this.skin.catch(() => {});
  }

  private get wearClothes(): boolean {
    return wearsClothes(this.pair.source.figure) && wearsClothes(this.pair.result.figure);
  }

  /** Which triangles clothes cover in all shapes. */
  async covered(): Promise<{ source: Uint8Array; result: Uint8Array }> {
    const { pair, shown, hidden } = this,
      result = hiddenOf(pair.result, shown.shapes.result);
    return { source: (await hidden) ?? hiddenOf(pair.source, shown.shapes.source), result };
  }

  /** Skin through clothes in each shape; null where one of the two wears none. */
  async skinThrough(): Promise<SkinRow[] | null> {
    if (!this.wearClothes) return null;
    const { source, result } = this.pair,
      { names, shapes } = this.shown;
    const rounded = (cm2: number) => Math.round(cm2 * 10) / 10,
      here = ({ figure }: Side, all: readonly Float32Array[]) => skinThrough(figure, all);
    const [a, b] = (await this.skin) ?? [here(source, shapes.source), here(result, shapes.result)];
    return names.map((pose, i) => ({ pose, sourceCm2: rounded(a[i]), resultCm2: rounded(b[i]) }));
  }
}
