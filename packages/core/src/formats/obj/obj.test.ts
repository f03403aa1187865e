import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { floatsOf, listParts } from '../../character/index.ts';
import { compareCharacters } from '../../parity/index.ts';
import { ProblemError } from '../../problem.ts';
import { stickFigure } from '../../testing/stick-figure.ts';
import type { InputFile } from '../files.ts';
import { readCharacter } from '../read.ts';
import { nextNumber, numbersIn } from '../text/numbers.ts';
import { clipEars } from '../mesh/triangulate.ts';
import { writeObj } from './write.ts';

const text = (value: string) => new TextEncoder().encode(value);
const file = (path: string, value: string | Uint8Array): InputFile => ({
  path,
  bytes: typeof value === 'string' ? text(value) : value,
});
const read = (obj: string, ...more: InputFile[]) => readCharacter([file('a.obj', obj), ...more]);
const positions = (part: ReturnType<typeof listParts>[number]) => [
  ...floatsOf(part.prim.getAttribute('POSITION') as never),
];
const SQUARE = 'v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\n';

describe('numbers', () => {
  it('read every legal form as JavaScript does', () => {
    const scan = { at: 0, value: 0 };
    for (const form of [
      '1',
      '-1',
      '+2.5',
      '.5',
      '-.25',
      '3.',
      '1e3',
      '1E-3',
      '-2.5e+2',
      '0.1',
      '123456.789',
      '1e-320',
      '00012',
      '9007199254740993',
      '3.14159265358979312',
    ]) {
      scan.at = 0;
      const bytes = text(form);
      expect(nextNumber(bytes, bytes.length, scan), form).toBe(true);
      expect(
        Math.abs(scan.value - Number(form)) <= Math.abs(Number(form)) * 4e-16 + 1e-323,
        `${form} ${scan.value}`,
      ).toBe(true);
    }
    const odd = text('nan -inf x');
    expect([...numbersIn(odd, 0, odd.length)]).toEqual([Number.NaN, -Infinity]);
  });
  it('agree with JavaScript to the last places, whatever the number', () => {
    fc.assert(
      fc.property(fc.double({ noNaN: true, noDefaultInfinity: true, min: -1e30, max: 1e30 }), (value) => {
        const bytes = text(String(value));
        expect(Math.abs(numbersIn(bytes, 0, bytes.length)[0] - value)).toBeLessThanOrEqual(
          Math.abs(value) * 1e-15 + 1e-323,
        );
      }),
      { seed: 4, numRuns: 500 },
    );
  });
});

describe('clipEars', () => {
  const area = (at: number[], out: number[]) => {
    let sum = 0;
    for (let i = 0; i < out.length; i += 3) {
      const [a, b, c] = [out[i] * 3, out[i + 1] * 3, out[i + 2] * 3];
      sum += ((at[b] - at[a]) * (at[c + 1] - at[a + 1]) - (at[b + 1] - at[a + 1]) * (at[c] - at[a])) / 2;
    }
    return sum;
  };
  it('cuts an arrow into triangles inside it', () => {
    const arrow = [0, 0, 0, 2, 0, 0, 2, 2, 0, 1, 0.5, 0];
    const out: number[] = [];
    clipEars(arrow, 4, out);
    expect(out).toHaveLength(6);
    expect(area(arrow, out)).toBeCloseTo(1.5, 9);
    for (let i = 0; i < 6; i += 3) expect(area(arrow, out.slice(i, i + 3))).toBeGreaterThan(0);
  });
  it('gives n − 2 triangles of the whole area for any star-shaped polygon', () => {
    fc.assert(
      fc.property(fc.array(fc.double({ min: 0.2, max: 1, noNaN: true }), { minLength: 3, maxLength: 14 }), (radii) => {
        const at = radii.flatMap((r, i) => {
          const a = (2 * Math.PI * i) / radii.length;
          return [r * Math.cos(a), r * Math.sin(a), 0];
        });
        const out: number[] = [];
        clipEars(at, radii.length, out);
        expect(out).toHaveLength((radii.length - 2) * 3);
        const whole = radii.reduce(
          (sum, r, i) => sum + (r * radii[(i + 1) % radii.length] * Math.sin((2 * Math.PI) / radii.length)) / 2,
          0,
        );
        expect(area(at, out)).toBeCloseTo(whole, 6);
      }),
      { seed: 5, numRuns: 200 },
    );
  });
  it('ends on a polygon without area', () => {
    const out: number[] = [];
    clipEars(new Array(30).fill(1), 10, out);
    expect(out).toHaveLength(24);
  });
});

describe('OBJ', () => {
  it('reads decimal commas as points, and says so', async () => {
    const { document, findings } = await read('o Coat\nv 0,5 0 0\nv 1,25 0,0 0\nv 0 1,5 0\nf 1 2 3\n');
    expect(findings.map((finding) => finding.code)).toContain('intake.decimal-comma');
    expect([...floatsOf(listParts(document)[0].prim.getAttribute('POSITION') as never)].sort().slice(-3)).toEqual([
      0.5, 1.25, 1.5,
    ]);
  });
  it('reads polygons, negative and mixed numbers, and turns texture places over', async () => {
    const { document } = await read(`${SQUARE}vt 0 0\nvt 1 0.25\nvn 0 0 1\nf -4/1/1 -3/2/1 -2/2/1 4/-2/-1\n`);
    const [part] = listParts(document);
    expect(part.triangles).toBe(2);
    expect(positions(part)).toEqual([0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0]);
    expect([...floatsOf(part.prim.getAttribute('TEXCOORD_0') as never)]).toEqual([0, 1, 1, 0.75, 1, 0.75, 0, 1]);
    expect([...floatsOf(part.prim.getAttribute('NORMAL') as never)].filter((_, i) => i % 3 === 2)).toEqual([
      1, 1, 1, 1,
    ]);
  });
  it('takes continued lines, CR alone, CR LF, UTF-16 and comments behind', async () => {
    const plain = `# made\n${SQUARE}f 1 2 \\\n 3 4 # a face\n`;
    const wide = new Uint8Array(2 + plain.length * 2);
    wide.set([0xff, 0xfe]);
    [...plain].forEach((c, i) => {
      wide[2 + i * 2] = c.charCodeAt(0);
    });
    for (const [name, bytes] of [
      ['LF', text(plain)],
      ['CR', text(plain.replaceAll('\n', '\r'))],
      ['CR LF', text(plain.replaceAll('\n', '\r\n'))],
      ['UTF-16', wide],
      ['mark', Uint8Array.of(0xef, 0xbb, 0xbf, ...text(plain))],
    ] as const) {
      const { document } = await readCharacter([{ path: 'a.obj', bytes }]);
      expect(listParts(document)[0].triangles, name).toBe(2);
    }
  });
  it('makes one part of each object, with materials by name and colours at points', async () => {
    const { document } = await read(
      `${SQUARE.replaceAll(' 0\n', ' 0 1 0.5 0\n')}o Left hand\nusemtl skin A\nf 1 2 3\nusemtl nail\nf 1 3 4\no Right\nusemtl skin A\nf 1 2 4\n`,
    );
    expect(listParts(document).map((part) => [part.name, part.material?.getName()])).toEqual([
      ['Left hand · skin A', 'skin A'],
      ['Left hand · nail', 'nail'],
      ['Right', 'skin A'],
    ]);
    expect([...floatsOf(listParts(document)[0].prim.getAttribute('COLOR_0') as never)].slice(0, 3)).toEqual([
      1, 0.5, 0,
    ]);
  });
  it('makes normals: smooth over a group, flat where smoothing is off', async () => {
    const roof = 'v 0 0 0\nv 1 0 0\nv 0 1 1\nv 1 1 1\nv 0 2 0\nv 1 2 0\n';
    const faces = 'f 1 2 4 3\nf 3 4 6 5\n';
    const count = async (smoothing: string) => listParts((await read(roof + smoothing + faces)).document)[0].vertices;
    expect(await count('')).toBe(6);
    expect(await count('s 1\n')).toBe(6);
    expect(await count('s off\n')).toBe(8);
  });
  it('reads a library: classic and physically based keys, map options, names with blanks', async () => {
    const png = Uint8Array.of(0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a);
    const mtl =
      'newmtl skin A\nKd 0 0 0\nNs 6\nmap_Kd -s 1 1 1 -clamp on C:\\figures\\My Maps\\skin color.png\nmap_Bump -bm 0.2 skin_normal.png\nnewmtl glass\nKd 1 1 1\nTr 0.75\nPr 0.1\nPm 1\nnewmtl never used\n';
    const { document, findings, unused } = await read(
      `mtllib my lib.mtl\n${SQUARE}usemtl skin A\nf 1 2 3\nusemtl glass\nf 1 3 4\n`,
      file('my lib.mtl', mtl),
      file('maps/Skin Color.PNG', png),
      file('maps/skin_normal.png', png),
    );
    const [skin, glass] = document.getRoot().listMaterials();
    expect(skin.getBaseColorFactor()).toEqual([1, 1, 1, 1]);
    expect(skin.getBaseColorTexture()?.getURI()).toBe('maps/Skin Color.PNG');
    expect(skin.getNormalTexture()?.getURI()).toBe('maps/skin_normal.png');
    expect(skin.getRoughnessFactor()).toBeCloseTo(Math.SQRT1_2, 6);
    expect([
      glass.getAlphaMode(),
      glass.getBaseColorFactor()[3],
      glass.getRoughnessFactor(),
      glass.getMetallicFactor(),
    ]).toEqual(['BLEND', 0.25, 0.1, 1]);
    expect(document.getRoot().listMaterials()).toHaveLength(2);
    expect(unused).toEqual([]);
    expect(findings.filter((finding) => finding.code === 'intake.found-by-name')).toHaveLength(2);
  });
  it('keeps the shape of a character to a micrometre on the way out and in', async () => {
    const figure = stickFigure();
    const { document } = await readCharacter(writeObj(figure, 'stick', { scale: 1 }));
    const { shape } = await compareCharacters(figure, document, { samples: 3000 });
    expect(shape.rest.maxMm).toBeLessThan(0.002);
    expect(listParts(document)[0].triangles).toBe(listParts(figure)[0].triangles);
  });
  it.each([
    ['an index past the end', `${SQUARE}f 1 2 9\n`, /line 5.*vertex|line 5.*point 9/],
    ['index zero', `${SQUARE}f 0 1 2\n`, /line 5/],
    ['a face of words', `${SQUARE}f a b c\n`, /no number/],
    ['a point cut off', 'v 1 2\n', /line 1.*fewer than three/],
    ['a point that is none', 'v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n', /no finite place/],
    ['no faces', SQUARE, /holds no faces/],
  ])('says what is wrong with %s', async (_name, obj, pattern) => {
    await expect(read(obj)).rejects.toThrow(pattern);
  });
  it('leaves out lines and curves, and says so', async () => {
    const { findings } = await read(`${SQUARE}l 1 2\ncstype bezier\nf 1 2 3\n`);
    expect(findings.filter((finding) => finding.code === 'obj.left-out').map((finding) => finding.measured)).toEqual([
      1, 1,
    ]);
  });
  it('survives bytes changed at random: a sentence or a character, never another error', async () => {
    const good = writeObj(stickFigure({ rings: 2, sides: 3 }), 'stick')[0].bytes;
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(fc.nat(good.length - 1), fc.nat(255)), { minLength: 1, maxLength: 12 }),
        fc.nat(good.length),
        async (changes, cut) => {
          const bytes = good.slice(0, cut % 3 ? good.length : cut);
          for (const [at, value] of changes) if (at < bytes.length) bytes[at] = value;
          try {
            await readCharacter([{ path: 'a.obj', bytes }]);
          } catch (error) {
            if (!(error instanceof ProblemError)) throw error;
          }
        },
      ),
      { seed: 6, numRuns: 120 },
    );
  });
  it('reads tens of megabytes a second within six times their size', async () => {
    const rows: string[] = [];
    const n = 220;
    for (let y = 0; y < n; y++)
      for (let x = 0; x < n; x++)
        rows.push(
          `v ${(x * 0.001).toFixed(6)} ${(y * 0.001).toFixed(6)} ${Math.sin(x * y).toFixed(6)}\nvt ${(x / n).toFixed(6)} ${(y / n).toFixed(6)}\nvn 0.000000 0.000000 1.000000`,
        );
    for (let y = 0; y + 1 < n; y++)
      for (let x = 0; x + 1 < n; x++) {
        const a = y * n + x + 1;
        rows.push(
          `f ${a}/${a}/${a} ${a + 1}/${a + 1}/${a + 1} ${a + n + 1}/${a + n + 1}/${a + n + 1} ${a + n}/${a + n}/${a + n}`,
        );
      }
    const bytes = text(rows.join('\n'));
    await readCharacter([{ path: 'a.obj', bytes }]);
    // Time at work, not time that passes: other tests take the processor in between.
    const start = process.cpuUsage();
    const { document } = await readCharacter([{ path: 'a.obj', bytes }]);
    const { user, system } = process.cpuUsage(start),
      rate = bytes.length / 1048576 / ((user + system) / 1e6);
    expect(listParts(document)[0].triangles).toBe((n - 1) ** 2 * 2);
    // The aim is 40 on a quiet core; one that works line by line on text stays under 1 anywhere.
    expect(rate).toBeGreaterThan(2);
  });
});
