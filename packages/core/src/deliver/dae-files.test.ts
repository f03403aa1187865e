import { look } from '@dimetra/eyes';
import { describe, expect, it } from 'vitest';
import { floatsOf, listParts } from '../character/index.ts';
import { contentsApart } from '../check/contents.ts';
import { statedOf } from '../check/index.ts';
import { readCharacter } from '../formats/index.ts';
import { contentsOf } from '../inspect/index.ts';
import { expectDrawnAsStated, expectSameUpright } from '../testing/drawn-as-stated.ts';
import { figureWithAll } from '../testing/figure-with-all.ts';
import { daeFiles } from './dae-files.ts';
import { heldBy } from './held.ts';
import { inUnits } from './in-units.ts';

describe('delivered as COLLADA', () => {
  const document = figureWithAll(),
    { files, findings } = daeFiles(document, 'stoker'),
    back = readCharacter(files, undefined, { main: 'stoker.dae' }),
    { contents } = heldBy('stoker.dae'),
    text = new TextDecoder().decode(files[0].bytes);
  it('is a model with every map beside it; what has no place in it is said', () => {
    expect(files.map(({ path }) => path)).toEqual([
      'stoker.dae',
      'textures/color.png',
      'textures/normal.png',
      'textures/surface.png',
      'textures/glow.png',
    ]);
    expect(findings.map(({ code }) => code)).toEqual(['dae.beyond-phong', 'dae.morph-clips']);
    for (const what of ['roughness and metalness', 'a tint', 'a cut-out', 'places of maps', 'clearcoat'])
      expect(findings[0].message).toContain(what);
    expect(text).toContain('<authoring_tool>Dimetra</authoring_tool>');
  });
  it('comes back as it went: shape, joints, weights, morphs, maps, clips', async () => {
    const { document: read } = await back;
    expect(contentsApart(contents(contentsOf(document)), contents(contentsOf(read)))).toEqual([]);
    expect(statedOf(read)).toEqual(statedOf(document));
    const [a, b] = [document, read].map((one) => listParts(one)[0].material);
    expect(b?.getRoughnessFactor()).toBeCloseTo(a?.getRoughnessFactor() as number, 5);
    expect(b?.getMetallicFactor()).toBeCloseTo(a?.getMetallicFactor() as number, 5);
    expect(b?.getMetallicRoughnessTexture()).not.toBeNull();
    expect(b?.getDoubleSided()).toBe(true);
    expect(b?.getEmissiveTexture()).not.toBeNull();
    expect(b?.getNormalTexture()).not.toBeNull();
    const [clip] = read.getRoot().listAnimations(),
      head = clip
        .listChannels()
        .find((channel) => channel.getTargetNode()?.getName() === 'head' && channel.getTargetPath() === 'rotation');
    expect(clip.getName()).toBe('Nod');
    expect([...floatsOf(head?.getSampler()?.getInput() as never)]).toEqual([0, 0.5, 1]);
    const turn = [...floatsOf(head?.getSampler()?.getOutput() as never)].slice(4, 8);
    [Math.sin(0.2), 0, 0, Math.cos(0.2)].forEach((x, k) => expect(turn[k]).toBeCloseTo(x, 5));
  });
  it('is drawn by another loader as we measure it', () => expectDrawnAsStated(files, document));
  it.each([
    ['a map that is taken away', /textures\/glow\.png/, 'textures/gone.png', 'NO_IMAGE'],
    ['a corner that is no vertex', /<p>\d+/, '<p>99999', 'FACES'],
    ['a skin of a mesh that isn’t there', /<skin source="#[^"]+"/, '<skin source="#gone"', 'NO_TARGET'],
    ['a morph whose mesh isn’t there', /(<IDREF_array[^>]*>)[^ <]+/, '$1gone', 'NO_TARGET'],
    ['weights of a joint that isn’t there', /<v>\d+/, '<v>999', 'INFLUENCES'],
    ['numbers that are fewer than said', /(<float_array[^>]*>)[^ <]+ /, '$1', 'COUNT'],
  ])('%s is found', async (_, from, to, code) => {
    const changed = text.replace(from, to);
    expect(changed).not.toBe(text);
    const { validator } = await look({ path: 'stoker.dae', bytes: new TextEncoder().encode(changed) }, files);
    expect(validator.errors.map((row) => row.code)).toContain(code);
  });
  it('nothing, words, and another XML are refused', async () => {
    for (const other of ['', 'once upon a time', '<svg/>'])
      expect((await look({ path: 'a.dae', bytes: new TextEncoder().encode(other) }, [])).refused).toBeTruthy();
  });
  it.each([{ upAxis: 'Z', unitMetres: 0.01 }, { unitMetres: 0.0254 }] as const)(
    'in another unit and with another axis up is the same figure to whoever reads it: %j',
    async (axes) => {
      const { files: turned } = daeFiles(inUnits(document, axes), 'stoker', axes),
        xml = new TextDecoder().decode(turned[0].bytes);
      expect(xml).toContain(`<unit meter="${axes.unitMetres}"/><up_axis>${'upAxis' in axes ? 'Z' : 'Y'}_UP</up_axis>`);
      await expectSameUpright(turned, document);
      // What is written is in that unit, by the numbers themselves.
      const [, numbers] = /<float_array id="mesh0-p-a"[^>]*>([^<]*)</.exec(xml) ?? [],
        places = (numbers ?? '').split(' ').map(Number),
        up = 'upAxis' in axes ? 2 : 1,
        along = places.filter((_, i) => i % 3 === up),
        height = Math.max(...along) - Math.min(...along);
      expect(height * axes.unitMetres * 1000).toBeCloseTo((statedOf(document).sizeMm as number[])[1], 1);
    },
  );
});
