import { describe, expect, it } from 'vitest';
import type { MaterialKind } from '../../character/index.ts';
import { inverted, LINEAR, type Pixels, toSrgb } from '../../pixels/index.ts';
import {
  around,
  bumps,
  channels,
  creases,
  filed,
  normals,
  opened,
  patches,
  SURFACES,
  type SurfaceStyle,
} from '../../testing/synthetic-maps.ts';
import { judgeCurve, judgeGloss, judgeGreen, judgeHolding, judgeLayout, mapStatistics, middleValue } from './index.ts';

/** One question with its known answer. */
interface Asked {
  what: string;
  answer: () => Promise<string>;
  truth: string;
}
const UNSURE = ['unclear', 'unsure'];
const through = async (pixels: Pixels, style: SurfaceStyle): Promise<Pixels> => opened(await filed(pixels, style));
const curved = (pixels: Pixels, curve: (byte: number) => number): Pixels => ({
  ...pixels,
  data: pixels.data.map((byte, i) => ((i & 3) === 3 ? byte : Math.max(0, Math.min(255, Math.round(curve(byte)))))),
});
const toLinear = (byte: number) => LINEAR[byte] * 255;
const encode = (byte: number) => toSrgb(byte / 255);

const questions: Asked[] = [];
const ask = (what: string, truth: string, answer: Asked['answer']) => questions.push({ what, truth, answer });

for (const [i, style] of SURFACES.entries())
  for (const seed of [10 + i, 40 + i]) {
    const read = async (pixels: Pixels) => judgeGreen(await through(pixels, style)).points;
    ask(`green of normals, ${style} ${seed}`, 'up', () => read(normals(style, seed)));
    ask(`green turned, ${style} ${seed}`, 'down', () => read(inverted(normals(style, seed), [1])));
    const holds = async (pixels: Pixels) => {
      const got = await through(pixels, style);
      return judgeHolding(got, mapStatistics(got));
    };
    ask(`what normals hold, ${style} ${seed}`, 'normal', () => holds(normals(style, seed)));
    ask(`what bumps hold, ${style} ${seed}`, 'grey', () => holds(bumps(style, seed)));
  }
for (const style of ['noisy', 'tiling', 'JPEG at 40'] as const) {
  const holds = async (change: (pixels: Pixels) => Pixels) => {
    const got = await through(change(normals(style === 'JPEG at 40' ? 'tiling' : style, 77)), style);
    return judgeHolding(got, mapStatistics(got));
  };
  ask(`normals encoded as colours, ${style}`, 'normal-encoded', () => holds((up) => curved(up, encode)));
  ask(`normals decoded as colours, ${style}`, 'normal-decoded', () => holds((up) => curved(up, toLinear)));
  ask(`normals without blue, ${style}`, 'normal-two', () => holds((up) => curved2(up, () => 0)));
  // On gentle slopes a third direction that is full is right within a hundredth.
  if (style !== 'noisy')
    ask(`normals with blue full, ${style}`, 'normal-two', () => holds((up) => curved2(up, () => 255)));
  ask(`normals of the whole figure, ${style}`, 'normal-object', () => holds(aroundTheFigure));
  ask(`a colour map, ${style}`, 'color', () => holds(() => painted(5)));
}
ask('normals in alpha and green', 'normal-alpha', async () => {
  const up = normals('smooth', 5);
  const data = up.data.map((byte, i) => ((i & 3) === 3 ? up.data[i - 3] : (i & 3) === 1 ? byte : 255));
  return judgeHolding({ ...up, data }, mapStatistics({ ...up, data }));
});

const ORM = (rough: number, metal: number, seed: number) => ({
  r: creases(seed),
  g: around(rough, 0.12, seed + 1),
  b: patches(metal, seed + 2),
});
const layouts: [string, MaterialKind, () => Pixels, string[]][] = [
  ['rgb', 'cloth', () => channels(ORM(0.8, 0, 1)), []],
  ['rgb', 'skin', () => channels(ORM(0.5, 0, 2)), ['orm']],
  ['rgb', 'metal', () => channels(ORM(0.3, 0.8, 3)), []],
  ['rgb', 'skin', () => channels({ g: around(0.45, 0.1, 4), r: around(1, 0, 4) }), []],
  ['rgb', 'eye', () => channels({ g: around(0.15, 0.05, 5) }), []],
  ['brg', 'cloth', () => channels({ r: around(0.7, 0.1, 6), g: patches(0, 6), b: creases(6) }), ['rma']],
  ['brg', 'cloth', () => channels({ r: around(0.6, 0.1, 7), g: patches(0.05, 7), b: creases(7) }), []],
  ['bgr', 'leather', () => channels({ r: patches(0.04, 8), g: around(0.5, 0.1, 8), b: creases(8) }), []],
  ['gar', 'cloth', () => channels({ r: patches(0.03, 9), g: creases(9), a: around(0.3, 0.1, 9) }), []],
  [
    '-ar',
    'metal',
    () => channels({ r: patches(0.9, 10), g: patches(0.9, 10), b: patches(0.9, 10), a: around(0.7, 0.1, 10) }),
    [],
  ],
  ['grey', 'cloth', () => channels({ r: around(0.7, 0.1, 11), g: around(0.7, 0.1, 11), b: around(0.7, 0.1, 11) }), []],
];
for (const [truth, kind, make, words] of layouts)
  ask(`channels ${truth} of ${kind}`, truth, async () => {
    const { layout, sure } = judgeLayout(mapStatistics(await through(make(), 'smooth')), kind, words);
    if (!sure) return 'unsure';
    return layout
      ? `${layout.occlusion ?? '-'}${layout.roughness ?? layout.gloss ?? '-'}${layout.metalness ?? '-'}`
      : 'grey';
  });
for (const [style, rough] of [
  ['smooth', 0.8],
  ['JPEG at 40', 0.6],
] as const)
  ask(`channels of an ordinary map, ${style}`, 'rgb', async () => {
    const { layout, sure } = judgeLayout(mapStatistics(await through(channels(ORM(rough, 0, 20)), style)), 'cloth');
    return sure ? `${layout?.occlusion}${layout?.roughness}${layout?.metalness}` : 'unsure';
  });

const SET: [MaterialKind, number][] = [
  ['cloth', 0.85],
  ['skin', 0.5],
  ['eye', 0.12],
  ['teeth', 0.25],
];
for (const turned of [false, true]) {
  const truth = turned ? 'gloss' : 'roughness';
  const middle = (value: number, seed: number) =>
    middleValue(mapStatistics(channels({ g: around(turned ? 1 - value : value, 0.08, seed) })).channels[1]);
  SET.forEach(([kind], i) =>
    ask(`${truth} of ${kind} among others`, truth, async () => {
      const all = SET.map(([of, value], k) => ({ kind: of, middle: middle(value, k), named: null }));
      return judgeGloss(all)[i].holds;
    }),
  );
  ask(`${truth} by its name`, truth, async () => judgeGloss([{ kind: 'plastic', middle: 0.5, named: truth }])[0].holds);
  ask(
    `${truth} by its name, of cloth`,
    truth,
    async () => judgeGloss([{ kind: 'cloth', middle: middle(0.8, 3), named: truth }])[0].holds,
  );
}

const skin = painted(9);
ask('colours as they are', 'no', async () => judgeCurve(mapStatistics(await through(skin, 'smooth'))));
ask('colours, JPEG', 'no', async () => judgeCurve(mapStatistics(await through(skin, 'JPEG at 40'))));
ask('colours in linear light', 'to-linear', async () => judgeCurve(mapStatistics(curved(skin, toLinear))));
ask('roughness encoded as a colour', 'to-srgb', async () => judgeCurve(mapStatistics(curved(dim(), encode))));
ask('roughness as it is', 'no', async () => judgeCurve(mapStatistics(dim())));
for (const [what, pixels] of [
  ['normals', normals('smooth', 4)],
  ['bumps', bumps('noisy', 4)],
] as const)
  ask(`the curve of ${what}`, 'no', async () => judgeCurve(mapStatistics(pixels)));

describe('reading maps by their pixels', () => {
  it('makes no wrong decision on maps of known truth, and leaves few open', async () => {
    expect(questions.length).toBeGreaterThanOrEqual(100);
    const wrong: string[] = [],
      open: string[] = [];
    for (const { what, truth, answer } of questions) {
      const found = await answer();
      if (UNSURE.includes(found)) open.push(what);
      else if (found !== truth) wrong.push(`${what}: ${found} instead of ${truth}`);
    }
    expect(wrong).toEqual([]);
    // A tenth of them at most.
    expect(open.length, open.join('; ')).toBeLessThanOrEqual(questions.length / 10);
  });
  it('says nothing of stripes, which are right either way, nor of a flat map', () => {
    const side = 64,
      data = new Uint8Array(side * side * 4).fill(255);
    for (let i = 0; i < side * side; i++) {
      data[i * 4] = Math.round(127.5 + 40 * Math.sin((i % side) / 3));
      data[i * 4 + 1] = Math.round(127.5 + 40 * Math.cos(Math.floor(i / side) / 4));
      data[i * 4 + 2] = 240;
    }
    expect(judgeGreen({ width: side, height: side, data }).points).toBe('unclear');
    expect(judgeGreen({ width: 8, height: 8, data: new Uint8Array(256).fill(128) }).points).toBe('unclear');
  });
  it('is unsure where a name and the pixels contradict each other, and of one shiny map alone', () => {
    expect(judgeGloss([{ kind: 'cloth', middle: 0.15, named: 'roughness' }])[0].holds).toBe('unsure');
    expect(judgeGloss([{ kind: 'cloth', middle: 0.15, named: null }])[0].holds).toBe('unsure');
    expect(judgeGloss([{ kind: 'other', middle: 0.15, named: null }])[0].holds).toBe('roughness');
    expect(judgeGloss([{ kind: 'cloth', middle: null, named: null }])[0].holds).toBe('roughness');
  });
  it('takes an empty and a tiny picture', () => {
    for (const pixels of [
      { width: 0, height: 0, data: new Uint8Array(0) },
      { width: 1, height: 1, data: Uint8Array.of(1, 2, 3, 4) },
      { width: 3, height: 1, data: new Uint8Array(12).fill(200) },
    ]) {
      const statistics = mapStatistics(pixels);
      expect(judgeHolding(pixels, statistics)).toBe('constant');
      expect(judgeGreen(pixels).points).toBe('unclear');
      expect(judgeCurve(statistics)).toBe('no');
      expect(middleValue(statistics.channels[1])).toBeLessThanOrEqual(1);
      expect(judgeLayout(statistics, 'cloth').ratio).toBe(1);
    }
  });
});

/** Blue changed alone. */
function curved2(pixels: Pixels, blue: (byte: number) => number): Pixels {
  return { ...pixels, data: pixels.data.map((byte, i) => ((i & 3) === 2 ? blue(byte) : byte)) };
}
/** Directions all around, as a ball has them. */
function aroundTheFigure({ width, height }: Pixels): Pixels {
  const data = new Uint8Array(width * height * 4).fill(255);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const turn = (x / width) * 2 * Math.PI,
        up = (y / height) * 2 - 1,
        wide = Math.sqrt(1 - up * up),
        o = (y * width + x) * 4;
      data[o] = Math.round((wide * Math.cos(turn) + 1) * 127.5);
      data[o + 1] = Math.round((up + 1) * 127.5);
      data[o + 2] = Math.round((wide * Math.sin(turn) + 1) * 127.5);
    }
  return { width, height, data };
}
/** Skin-like colours. */
function painted(seed: number): Pixels {
  return channels({ r: around(0.75, 0.2, seed), g: around(0.55, 0.2, seed + 1), b: around(0.45, 0.2, seed + 2) });
}
/** A dim channel in all three. */
function dim(): Pixels {
  const values = around(0.2, 0.2, 31);
  return channels({ r: values, g: values, b: values });
}
