import { zipSync } from 'fflate';
import { USDLoader } from 'three/addons/loaders/USDLoader.js';
import { describe, expect, it } from 'vitest';
import { trianglesOf } from './levels.ts';
import { meshesIn } from './soles.ts';
import { usdLevels } from './usd-levels.ts';

const mesh = (name: string, triangles: number, indent: string, material = 'Cloth') => `
${indent}def Mesh "${name}" (
${indent}    prepend apiSchemas = ["MaterialBindingAPI"]
${indent})
${indent}{
${indent}    int[] faceVertexCounts = [${Array(triangles).fill(3).join(', ')}]
${indent}    int[] faceVertexIndices = [${Array.from({ length: triangles }, (_, t) => `0, ${t + 1}, ${t + 2}`).join(', ')}]
${indent}    point3f[] points = [${Array.from({ length: triangles + 2 }, (_, i) => `(${i}, ${i % 3}, ${i % 2})`).join(', ')}]
${indent}    rel material:binding = </Stoker/Materials/${material}>
${indent}}`;
/** Two things, of which one has a level and the other is gone there; braces in texts that close nothing. */
const layer = `#usda 1.0
(
    defaultPrim = "Stoker"
    metersPerUnit = 1
    upAxis = "Y"
)

def Xform "Stoker" (
    doc = "a { that opens nothing"
    prepend variantSets = ["LOD"]
    variants = {
        string LOD = "LOD0"
    }
)
{${mesh('Coat', 9, '    ')}
${mesh('Badge', 2, '    ', 'Brass')}
    def Scope "Materials"
    {
        def Material "Brass"
        {
            token outputs:surface.connect = </Stoker/Materials/Brass/Surface.outputs:surface>
            def Shader "Surface"
            {
                uniform token info:id = "UsdPreviewSurface"
                color3f inputs:diffuseColor = (0.9, 0.7, 0.1)
                token outputs:surface
            }
        }
        def Material "Cloth"
        {
            token outputs:surface.connect = </Stoker/Materials/Cloth/Surface.outputs:surface>
            def Shader "Surface"
            {
                uniform token info:id = "UsdPreviewSurface"
                token outputs:surface
            }
        }
    }
    variantSet "LOD" = {
        "LOD0" {
        }
        "LOD1" (
            customData = {
                double "fromMetres" = 6.5
            }
        ) {
            over "Coat" (
                active = false
            )
            {
            }

            over "Badge" (
                active = false
            )
            {
            }
${mesh('Coat_lod1', 3, '            ')}
        }
    }
}
`;
const bytes = new TextEncoder().encode(layer);

describe('levels in one USD', () => {
  it('are opened one by one, in the materials of the nearest; as it is, the file shows the nearest', async () => {
    const nearest = new USDLoader().parse(bytes.slice().buffer);
    expect(trianglesOf(nearest)).toBe(11);
    for (const [given, isPacked] of [
      [bytes, false],
      [zipSync({ 'stoker.usda': [bytes, { level: 0 }] }), true],
    ] as const) {
      const levels = await usdLevels(given, isPacked, nearest);
      expect(levels.map(({ n, fromM, triangles }) => [n, fromM, triangles])).toEqual([[1, 6.5, 3]]);
      const [coat] = levels[0].surfaces;
      const worn = (name: string) => meshesIn(nearest).find((one) => one.name === name)?.material;
      expect(meshesIn(coat.object)[0].material).toBe(worn('Coat'));
      expect(worn('Badge')).not.toBe(worn('Coat'));
    }
  });
  it('that can’t be made out leave the nearest alone', async () => {
    const nearest = new USDLoader().parse(bytes.slice().buffer),
      of = (text: string) => usdLevels(new TextEncoder().encode(text), false, nearest);
    expect(await of(layer.replace('over "Coat"', 'over "Nobody"'))).toEqual([]);
    expect(await of(layer.slice(0, layer.indexOf('Coat_lod1')))).toEqual([]);
    expect(await of('#usda 1.0\n')).toEqual([]);
    expect(await usdLevels(new Uint8Array(8), false, nearest)).toEqual([]);
  });
});
