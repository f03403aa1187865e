import { STRAND_LAYERS, type StrandPixels } from '../appearance/index.ts';

/** How much of what lies behind it a card hides where it is the front one, and of those behind it each in turn. */
const HIDES = [0.85, 0.65, 0.5, 0.35] as const;
/**
 * What a place is worth in which there is a card at all, in pixels, and how much of it the first card takes. So hair under
 * a hat, that no picture shows, thins out evenly instead of going from one side.
 */
const PLACE = 4,
  TAKES = 0.6;

/**
 * How well strands cover the places where they are seen, as cards are added one by one: what a card gains is what shines
 * through the others where it lies. So two cards stand in for each other exactly where one lies before the other.
 */
export class StrandCover {
  /** Share that still shines through, by pixel. */
  private readonly through: Float64Array;
  /** What each pixel is worth. */
  private readonly worth: Float64Array;
  /** Pixels of each card, and how much it hides there. */
  private readonly pixels: readonly number[][];
  private readonly hides: readonly number[][];
  /** How much of each card is there, 0 … 1. */
  private readonly there: Float64Array;

  /**
   * @param cardOf card of each triangle
   * @param placesOf places that each card passes, by number
   */
  constructor(seen: StrandPixels, cardOf: Int32Array, placesOf: readonly (readonly number[])[]) {
    const cards = placesOf.length,
      shown = seen.length / STRAND_LAYERS,
      places = placesOf.reduce((most, list) => list.reduce((a, b) => Math.max(a, b + 1), most), 0);
    this.through = new Float64Array(shown + places).fill(1);
    this.worth = new Float64Array(shown + places).fill(1).fill(PLACE, shown);
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
    placesOf.forEach((list, card) => {
      for (const place of list) {
        pixels[card].push(shown + place);
        hides[card].push(TAKES);
      }
    });
    this.pixels = pixels;
    this.hides = hides;
    this.there = new Float64Array(cards);
  }

  /** What is gained where `to` of a card is there instead of what is there of it now. */
  gain(card: number, to: number): number {
    const { through, there, worth } = this,
      pixels = this.pixels[card],
      hides = this.hides[card],
      from = there[card];
    let sum = 0;
    for (let i = 0; i < pixels.length; i++)
      sum += (worth[pixels[i]] * through[pixels[i]] * hides[i]) / (1 - hides[i] * from);
    return sum * (to - from);
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
