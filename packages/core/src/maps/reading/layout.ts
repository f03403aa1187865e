import { type MaterialKind, METAL_KINDS } from '../../character/index.ts';
import { GREY } from './holds.ts';
import { type ChannelStatistics, type MapStatistics, middleValue, shareOf } from './statistics.ts';

/** What a channel of a surface map can hold; `gloss` is roughness the other way round. */
export type SurfaceChannel = 'occlusion' | 'roughness' | 'gloss' | 'metalness';
export type Letter = 'r' | 'g' | 'b' | 'a';
/** Which channel holds what; what isn't named holds nothing of use. */
export type SurfaceLayout = Partial<Record<SurfaceChannel, Letter>>;

/** Layouts that tools write, the first being glTF's; each with words for the user. */
const LAYOUTS: readonly { layout: SurfaceLayout; words: string; names?: RegExp }[] = [
  {
    layout: { occlusion: 'r', roughness: 'g', metalness: 'b' },
    words: 'occlusion, roughness, metalness',
    names: /^(orm|arm|aorm)$/,
  },
  {
    layout: { roughness: 'r', metalness: 'g', occlusion: 'b' },
    words: 'roughness, metalness, occlusion',
    names: /^rma$/,
  },
  {
    layout: { metalness: 'r', roughness: 'g', occlusion: 'b' },
    words: 'metalness, roughness, occlusion',
    names: /^mr[ao]$/,
  },
  { layout: { metalness: 'r', occlusion: 'g', gloss: 'a' }, words: 'metalness, occlusion, and smoothness in alpha' },
  { layout: { metalness: 'r', gloss: 'a' }, words: 'metalness, and smoothness in alpha' },
];
const AT = { r: 0, g: 1, b: 2, a: 3 } as const;
/** How much likelier another layout must be than the one the file says, before it is believed. */
const CLEARLY = 6;
/** From here on it is worth asking. */
const PERHAPS = 3;

export interface LayoutFound {
  /** null: one grey picture, to be read as roughness alone. */
  layout: SurfaceLayout | null;
  words: string;
  sure: boolean;
  /** How much likelier than glTF's order. */
  ratio: number;
}

/**
 * Which channel of a surface map holds what, from what each can be: metalness is on or off and mostly off where a
 * material is no metal, occlusion is mostly white, roughness is neither.
 * @param words of the file's name: some habits of naming say the order
 */
export function judgeLayout(
  { channels, saturation }: MapStatistics,
  kind: MaterialKind,
  words: readonly string[] = [],
): LayoutFound {
  const alphaSays = channels[3].spread > 3;
  if (saturation < GREY && !alphaSays) return { layout: null, words: 'one grey picture', sure: true, ratio: 1 };
  const likely = LAYOUTS.map(({ layout, names }) => {
    // Smoothness in an alpha that is full everywhere is none.
    if (layout.gloss && !alphaSays) return 0;
    let odds = words.some((word) => names?.test(word)) ? 4 : 1;
    const used = new Set<Letter>();
    for (const [channel, letter] of Object.entries(layout) as [SurfaceChannel, Letter][]) {
      odds *= LIKELY[channel](channels[AT[letter]], kind);
      used.add(letter);
    }
    // A channel that the layout leaves aside should say nothing of its own.
    for (const letter of ['r', 'g', 'b'] as const)
      if (!used.has(letter)) odds *= channels[AT[letter]].spread < 2 || sameAs(channels, layout, letter) ? 1 : 0.3;
    if (alphaSays && !used.has('a')) odds *= 0.3;
    return odds;
  });
  const [said] = likely,
    best = likely.indexOf(Math.max(...likely)),
    // Those that differ in occlusion alone come to the same roughness and metalness.
    second = Math.max(...likely.filter((_, i) => surfaceOf(LAYOUTS[i].layout) !== surfaceOf(LAYOUTS[best].layout))),
    ratio = likely[best] / Math.max(said, 1e-4);
  if (best === 0 || ratio < PERHAPS)
    return { layout: LAYOUTS[0].layout, words: LAYOUTS[0].words, sure: said >= 0.02 || ratio < 2, ratio: 1 };
  return {
    layout: LAYOUTS[best].layout,
    words: LAYOUTS[best].words,
    sure: ratio >= CLEARLY && likely[best] >= 0.05 && likely[best] > second * 2,
    ratio,
  };
}

const surfaceOf = ({ roughness, gloss, metalness }: SurfaceLayout): string => `${roughness} ${gloss} ${metalness}`;

/** Whether a channel repeats one that the layout uses. */
const sameAs = (channels: MapStatistics['channels'], layout: SurfaceLayout, letter: Letter): boolean =>
  Object.values(layout).some((other) => {
    const one = channels[AT[letter]],
      two = channels[AT[other as Letter]];
    return Math.abs(one.mean - two.mean) < 1 && Math.abs(one.spread - two.spread) < 1;
  });

/** How likely it is that a channel holds something, 0 … 1. */
const LIKELY: Record<SurfaceChannel, (channel: ChannelStatistics, kind: MaterialKind) => number> = {
  occlusion(channel) {
    if (channel.spread < STILL) return channel.mean > 250 ? 0.8 : channel.mean < 5 ? 0.15 : 0.05;
    const light = shareOf(channel, 180, 255),
      dark = shareOf(channel, 0, 60);
    return light > 0.6 && dark < 0.35 ? 0.9 : light > 0.4 && dark < 0.5 ? 0.4 : 0.05;
  },
  metalness(channel, kind) {
    const ends = shareOf(channel, 0, 25) + shareOf(channel, 230, 255),
      off = shareOf(channel, 0, 25);
    if (ends < 0.8) return 0.02;
    if (METAL_KINDS.includes(kind)) return 0.9;
    return off > 0.9 ? 0.95 : off > 0.6 ? 0.5 : 0.03;
  },
  roughness(channel) {
    const ends = shareOf(channel, 0, 3) + shareOf(channel, 252, 255);
    if (channel.spread < STILL) return channel.mean > 5 && channel.mean < 250 ? 0.7 : 0.06;
    const middle = middleValue(channel);
    // Between islands lies black or white: half of a map may.
    return ends < 0.7 && middle > 0.03 && middle < 0.98 ? (ends < 0.05 && middle > 0.93 ? 0.3 : 0.9) : 0.05;
  },
  gloss: (channel, kind) => LIKELY.roughness(channel, kind),
};
const STILL = 1.2;
