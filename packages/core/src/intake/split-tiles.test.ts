import { describe, expect, it } from 'vitest';
import type { Document } from '@gltf-transform/core';
import { floatsOf, listParts, trianglesOf } from '../character/index.ts';
import { readCharacter, type InputFile } from '../formats/index.ts';
import { writePng } from '../formats/images/png.ts';
import { compareCharacters } from '../parity/index.ts';
import { defaultRecipe, runRecipe } from '../recipe/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { tilesOfTriangles } from '../maps/tiles.ts';

const [target] = SHIPPED_TARGETS;
const text = (path: string, value: string): InputFile => ({ path, bytes: new TextEncoder().encode(value) });
/** Every image has a colour of its own, by its place in the list. */
const image = (path: string, i: number): InputFile => ({
  path,
  bytes: writePng({
    width: 4,
    height: 4,
    data: Uint8Array.from({ length: 64 }, (_, k) => (k % 4 === 3 ? 255 : k % 4 === 0 ? 20 * (i + 1) : 100)),
  } as never),
});

/** An upright sheet of squares, 40 to a metre, whose texture places run over `tiles` tiles side by side; a second object with a material of its own on the first. */
function figure(tiles: number, mtl: string): InputFile[] {
  const lines = ['mtllib figure.mtl', 'o Body', 'usemtl Skin'],
    n = 4;
  for (let t = 0; t < tiles; t++)
    for (let y = 0; y < n; y++)
      for (let x = 0; x < n; x++)
        for (const [dx, dy] of [
          [0, 0],
          [1, 0],
          [1, 1],
          [0, 1],
        ])
          lines.push(`v ${(t * n + x + dx) / 40} ${((y + dy) / n) * 1.7} 0`, `vt ${t + (x + dx) / n} ${(y + dy) / n}`);
  for (let q = 0; q < tiles * n * n; q++) {
    const v = q * 4 + 1;
    lines.push(`f ${v}/${v} ${v + 1}/${v + 1} ${v + 2}/${v + 2} ${v + 3}/${v + 3}`);
  }
  const first = tiles * n * n * 4 + 1;
  lines.push(
    'o Eyes',
    'usemtl Iris',
    'v 0 1.6 0.1',
    'vt 0.1 0.1',
    'v 0.03 1.6 0.1',
    'vt 0.9 0.1',
    'v 0 1.63 0.1',
    'vt 0.1 0.9',
    `f ${first}/${first} ${first + 1}/${first + 1} ${first + 2}/${first + 2}`,
  );
  return [text('figure.obj', lines.join('\n')), text('figure.mtl', mtl)];
}
const STEPS = ['intake.split-tiles', 'intake.find-maps'];
async function arranged(files: InputFile[]): Promise<{ source: Document; result: Document; codes: string[] }> {
  const read = await readCharacter(files),
    recipe = defaultRecipe(),
    only = { ...recipe, steps: recipe.steps.map((step) => ({ ...step, enabled: STEPS.includes(step.id) })) };
  const run = await runRecipe({ document: async () => read.document }, target, only, { context: testContext() });
  return {
    source: read.document,
    result: await run.document(),
    codes: [...read.findings, ...run.steps.flatMap((step) => step.findings)].map((finding) => finding.code),
  };
}
/** Of every triangle: the tile it lies on, and the number in the name of the image it wears. */
const worn = (document: Document) =>
  listParts(document)
    .filter((part) => part.node.getName() === 'Body')
    .flatMap(({ prim, material }) =>
      [...(tilesOfTriangles(prim) ?? [])].map(
        (tile) => `${tile} ${/\d{4}/.exec(material?.getBaseColorTexture()?.getURI() ?? '')?.[0]}`,
      ),
    );
const points = (document: Document) =>
  listParts(document)
    .filter((part) => part.node.getName() === 'Body')
    .flatMap(({ prim }) => {
      const p = floatsOf(prim.getAttribute('POSITION') as never);
      return [...trianglesOf(prim)].map((v) => `${p[v * 3].toFixed(4)} ${p[v * 3 + 1].toFixed(4)}`);
    })
    .sort();

describe('surfaces on several texture tiles', () => {
  const maps = [
    'signaller_color.1001.png',
    'signaller_color.1002.png',
    'signaller_color.1003.png',
    'signaller_nrm.1002.png',
  ];
  it.each([
    ['no map is named', 'newmtl Skin\nKd 1 1 1\nnewmtl Iris\nKd 0.2 0.1 0\n'],
    ['all tiles are named at once', 'newmtl Skin\nmap_Kd maps/signaller_color.<UDIM>.png\nnewmtl Iris\nKd 0.2 0.1 0\n'],
    ['the first tile is named', 'newmtl Skin\nmap_Kd maps/signaller_color.1001.png\nnewmtl Iris\nKd 0.2 0.1 0\n'],
  ])("get each tile's own maps where %s, and lose nothing", async (_, mtl) => {
    const { source, result, codes } = await arranged([
      ...figure(3, mtl),
      ...maps.map((path, i) => image(`maps/${path}`, i)),
    ]);
    expect([...new Set(worn(result))].sort()).toEqual(['1001 1001', '1002 1002', '1003 1003']);
    expect(points(result)).toEqual(points(source));
    expect(
      listParts(result)
        .filter((part) => part.material?.getNormalTexture())
        .map((part) => part.material?.getName()),
    ).toEqual(['Skin 1002']);
    // The eyes lie on the first tile too, and it is not theirs.
    expect(
      listParts(result)
        .find((part) => part.material?.getName() === 'Iris')
        ?.material?.getBaseColorTexture(),
    ).toBeNull();
    expect(codes).toContain('intake.tiles-split');
    expect(codes).not.toContain('intake.missing-image');
    const parity = await compareCharacters(source, result, { samples: 500 });
    expect([parity.shape.rest.maxMm, parity.shape.parts.map((row) => row.maxMm), parity.inventory.lost]).toEqual([
      0,
      [0, 0],
      [],
    ]);
  });
  it('stay whole where one image repeats over all tiles, or no numbered image came', async () => {
    const plain = await arranged([
      ...figure(2, 'newmtl Skin\nmap_Kd weave.png\nnewmtl Iris\nKd 0 0 0\n'),
      image('weave.png', 1),
      image('other_color.1002.png', 2),
    ]);
    expect(listParts(plain.result).length).toBe(2);
    const bare = await arranged(figure(2, 'newmtl Skin\nKd 1 0 0\nnewmtl Iris\nKd 0 0 0\n'));
    expect(listParts(bare.result).length).toBe(2);
  });
  it('on one tile each, go by the tile where names say nothing', async () => {
    const lines = ['mtllib figure.mtl'];
    ['Head', 'Torso', 'Legs'].forEach((name, t) => {
      lines.push(
        `o ${name}`,
        `usemtl mat${t}`,
        `v 0 ${t * 0.6} 0`,
        `vt ${t + 0.1} 0.1`,
        `v 0.3 ${t * 0.6} 0`,
        `vt ${t + 0.9} 0.1`,
        `v 0 ${t * 0.6 + 0.5} 0`,
        `vt ${t + 0.1} 0.9`,
        `f ${t * 3 + 1}/${t * 3 + 1} ${t * 3 + 2}/${t * 3 + 2} ${t * 3 + 3}/${t * 3 + 3}`,
      );
    });
    const mtl = [0, 1, 2].map((t) => `newmtl mat${t}\nKd 1 1 1\n`).join('');
    const { result } = await arranged([
      text('figure.obj', lines.join('\n')),
      text('figure.mtl', mtl),
      ...['kit_u1_v1_diffuse.png', 'kit_u2_v1_diffuse.png', 'kit_u3_v1_diffuse.png'].map(image),
    ]);
    expect(listParts(result).map((part) => part.material?.getBaseColorTexture()?.getURI())).toEqual([
      'kit_u1_v1_diffuse.png',
      'kit_u2_v1_diffuse.png',
      'kit_u3_v1_diffuse.png',
    ]);
  });
});
