import { STRAND_LAYERS, type StrandPixels } from '../appearance/index.ts';

/** How much of what lies behind it a card hides where it is the front one, and of those behind it each in turn. */
const HIDES = [0.85, 0.65, 0.5, 0.35] as const;
/** What a whole card is worth that no picture shows, in pixels. */
const UNSEEN = 0.5;

/**
 * How well strands cover the places where they are seen, as cards are added one by one: what a card gains is what shines
 * through the others where it lies. So two cards stand in for each other exactly where one lies before the other.
 */
export class StrandCover {
  /** Share that still shines through, by pixel. */
  private readonly through: Float64Array;
  /** Pixels of each card, and how much it hides there. */
  private readonly pixels: readonly number[][];
  private readonly hides: readonly number[][];
  /** How much of each card is there, 0 … 1. */
  private readonly there: Float64Array;

  /** @param cardOf card of each triangle */
  constructor(seen: StrandPixels, cardOf: Int32Array, cards: number) {
    this.through = new Float64Array(seen.length / STRAND_LAYERS).fill(1);
    const pixels: number[][] = Array.from({ length: cards }, () => []),
      hides: number[][] = Array.from({ length: cards }, () => []);
    for (let at = 0; at < seen.length; at += STRAND_LAYERS)
      for (let layer = 0; layer < STRAND_LAYERS && seen[at + layer] >= 0; layer++) {
        const card = cardOf[seen[at + layer]];
        // A card that lies over itself counts once.
        if (pixels[card].at(-1) === at / STRAND_LAYERS) continue;
        pixels[card].push(at / STRAND_LAYERS);
        hides[card].push(HIDES[layer]);
      }
    this.pixels = pixels;
    this.hides = hides;
    this.there = new Float64Array(cards);
  }

  /** What is gained where `to` of a card is there instead of what is there of it now. */
  gain(card: number, to: number): number {
    const { through, there } = this,
      pixels = this.pixels[card],
      hides = this.hides[card],
      from = there[card];
    let sum = 0;
    for (let i = 0; i < pixels.length; i++)
      sum += (through[pixels[i]] / (1 - hides[i] * from)) * hides[i] * (to - from);
    return sum + UNSEEN * (to - from);
  }

  put(card: number, to: number): void {
    const { through, there } = this,
      pixels = this.pixels[card],
      hides = this.hides[card],
      from = there[card];
    for (let i = 0; i < pixels.length; i++) through[pixels[i]] *= (1 - hides[i] * to) / (1 - hides[i] * from);
    there[card] = to;
  }
}
