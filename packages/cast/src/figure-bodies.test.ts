import {
  createDeformer,
  type FigureBody,
  liesOnBody,
  listParts,
  type Part,
  readGltf,
  SHIPPED_FIGURES,
  TriangleTree,
  wrapOnto,
} from '@dimetra/core';
import { encodePixels, sha256, shippedBody } from '@dimetra/platform';
import { describe, expect, it } from 'vitest';
import { bodyOfFigure, makePerson } from './index.ts';

/** Skins that ship are files; what they are made of may have changed since: `npx tsx scripts/make-bodies.ts` draws them anew. */
describe.each([
  ['tessel', 'Tessel'],
  ['corvane', 'Corvane'],
] as const)('the skin of %s', (id, format) => {
  const body = SHIPPED_FIGURES.find((figure) => figure.id === id)?.body as FigureBody;
  it('is the file that the figure names, and what the generator draws', async () => {
    const bytes = (await shippedBody(body.file)) as Uint8Array<ArrayBuffer>;
    expect(sha256(bytes)).toBe(body.file);
    expect(bytes).toHaveLength(body.bytes);
    const { document } = await readGltf({ path: 'a.glb', bytes }, []),
      fresh = bodyOfFigure(format),
      isSkin = ({ kind }: Part) => kind === 'skin',
      surface = (one: typeof fresh) => {
        const deformer = createDeformer(one, isSkin, false);
        return { at: deformer.evaluate(new Float32Array(deformer.vertices * 3)), indices: deformer.indices };
      },
      counted = (parts: readonly Pick<Part, 'name' | 'vertices' | 'triangles'>[]) =>
        parts.map(({ name, vertices, triangles }) => [name, vertices, triangles]);
    expect(counted(listParts(document).filter(isSkin))).toEqual(counted(body.parts));
    // The same polygons and texture places, and each vertex on the surface to a tenth of a millimetre, as packed.
    expect(liesOnBody(fresh, body)).toBe(true);
    const shipped = surface(document),
      drawn = surface(fresh),
      tree = new TriangleTree(drawn.at, drawn.indices);
    let off = 0;
    for (let v = 0; v < shipped.at.length; v += 3)
      off = Math.max(off, tree.closest(shipped.at[v], shipped.at[v + 1], shipped.at[v + 2]));
    expect(off).toBeLessThan(1e-4);
    // With all morphs that the format's faces have, each moving something.
    const heads = listParts(document).filter((part) => isSkin(part) && part.morphNames.length > 0),
      names = new Set(heads.flatMap((part) => part.morphNames));
    for (const wanted of ['jaw_open', 'smile', 'blink'])
      expect(
        [...names].some((name) =>
          name
            .toLowerCase()
            .replace(/[^a-z]/g, '')
            .includes(wanted.replace('_', '')),
        ),
      ).toBe(true);
    expect(names.size).toBeGreaterThan(40);
    for (const { prim } of heads)
      for (const morph of prim.listTargets()) {
        const moved = morph.getAttribute('POSITION');
        expect(
          moved?.getMaxNormalized([]).some((x, k) => x > 1e-4 || (moved.getMinNormalized([])[k] ?? 0) < -1e-4),
        ).toBe(true);
      }
    // Loops that hold a wrap: where nothing stands on the skin they lie on it.
    const loops = body.loops ?? [];
    expect(loops.map(({ name }) => name)).toEqual(
      expect.arrayContaining(['Lips', 'Eyelids left', 'Eyelids right', 'Ear left', 'Seam at neck', 'Thumb nail right']),
    );
    expect(loops.filter(({ name }) => /nail/.test(name))).toHaveLength(10);
    const { at, indices } = shipped,
      skin = new TriangleTree(at, indices);
    for (const loop of loops)
      for (let k = 0; k < loop.at.length; k += 3)
        expect(skin.closest(loop.at[k], loop.at[k + 1], loop.at[k + 2])).toBeLessThan(1e-4);
  });
  it('is laid on somebody by the loops that the figure says as by those that are found on it', async () => {
    const bytes = (await shippedBody(body.file)) as Uint8Array<ArrayBuffer>,
      { document } = await readGltf({ path: 'a.glb', bytes }, []),
      pilot = await makePerson('harbour-pilot', { size: 'small', encode: encodePixels, figure: 'Tessel' }),
      laid = (loops: FigureBody['loops']) =>
        wrapOnto(pilot, { document, name: format, loops }, { detail: 'quick', sides: 'own' }),
      [said, found] = [laid(body.loops), laid(undefined)],
      apart = Float32Array.from({ length: found.body.mesh.points }, (_, p) =>
        Math.hypot(...[0, 1, 2].map((k) => said.wrapped.places[p * 3 + k] - found.wrapped.places[p * 3 + k])),
      ).sort();
    // The nails and the end of the neck, which the found ones have no part in.
    expect(apart[Math.floor(apart.length * 0.5)]).toBeLessThan(1e-4);
    expect(apart[Math.floor(apart.length * 0.9)]).toBeLessThan(5e-4);
    expect(said.fit.turned).toBeLessThan(found.fit.turned + 20);
    // Loops that hang before the face are no help.
    const lifted = (body.loops ?? []).map((loop) => ({
        ...loop,
        at: loop.at.map((x, k) => (k % 3 === 2 ? x + 0.03 : x)),
      })),
      without = laid(lifted.slice(0, 3));
    expect(without.astray).toEqual(['Lips', 'Eyelids left', 'Eyelids right']);
    expect(without.fit.turned).toBeLessThan(found.fit.turned + 20);
    expect(said.astray).toEqual([]);
    expect(said.wrapped.curves.both).toEqual(expect.arrayContaining(['Lips', 'Eyelids left', 'Ear right']));
  });
  it('is none of anything else: no other name leads to a file', async () => {
    for (const name of ['', 'x', '../bodies', `${body.file}.glb`, body.file.toUpperCase(), '0'.repeat(64)])
      expect(await shippedBody(name)).toBeNull();
  });
});
