import { placesDrawn } from '@dimetra/eyes';
import type { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { jointPosition, skeletonOf } from '../character/index.ts';
import { checkCharacter } from '../check/index.ts';
import { type InputFile, readCharacter, writeGlb } from '../formats/index.ts';
import { summarise } from '../inspect/index.ts';
import { parseTarget, SHIPPED_TARGETS } from '../targets/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { jointsOut } from './joints-out.ts';

const written = async (document: Document): Promise<InputFile[]> => [
  { path: 'stoker.glb', bytes: (await writeGlb(document)) as Uint8Array<ArrayBuffer> },
];
const namesOf = (document: Document) => skeletonOf(document).joints.map((joint) => joint.getName());
/** Every vertex where another loader draws it: joints that carry nothing move nothing. */
async function expectSamePlaces(before: readonly InputFile[], after: readonly InputFile[]) {
  const [a, b] = await Promise.all([before, after].map((files) => placesDrawn(files[0], files)));
  expect(b.length).toBe(a.length);
  expect(Math.max(...a.map((x, i) => Math.abs(x - b[i])))).toBeLessThan(1e-6);
}

describe('a root that a target names', () => {
  it('stands over all joints at the origin; what is drawn stays where it was', async () => {
    const document = stickFigure(),
      before = await written(document),
      names = namesOf(document);
    expect(jointsOut(document, { root: 'ground' })).toEqual([]);
    const files = await written(document),
      { document: read } = await readCharacter(files),
      skeleton = skeletonOf(read);
    expect(namesOf(read).sort()).toEqual([...names, 'ground'].sort());
    const root = skeleton.joints.findIndex((joint) => joint.getName() === 'ground');
    expect([...skeleton.parent].filter((p) => p < 0)).toHaveLength(1);
    expect(skeleton.parent[root]).toBe(-1);
    expect(jointPosition(skeleton, root)).toEqual([0, 0, 0]);
    await expectSamePlaces(before, files);
    // Asked for once more it is there.
    expect(jointsOut(read, { root: 'ground' })).toEqual([]);
    expect(namesOf(read)).toHaveLength(names.length + 1);
    // Another name is given to the root that is there.
    expect(jointsOut(read, { root: 'base' })).toEqual([]);
    expect(namesOf(read)).toContain('base');
    expect(namesOf(read)).not.toContain('ground');
  });
  it('that something else is called already gets a number, and that is told', () => {
    const document = stickFigure(),
      [name] = namesOf(document).filter((one) => /head/i.test(one)),
      [finding] = jointsOut(document, { root: name });
    expect(finding).toMatchObject({ code: 'package.root-name', where: `${name}_2` });
    expect(namesOf(document)).toContain(`${name}_2`);
  });
});

describe('joints at the tips', () => {
  it('stand as far out as what the last joint carries, on the way from the one above; nothing is drawn elsewhere', async () => {
    const document = stickFigure(),
      before = await written(document),
      skeleton = skeletonOf(document),
      leaves = skeleton.joints.filter((_, i) => ![...skeleton.parent].includes(i)).map((joint) => joint.getName());
    expect(leaves.length).toBeGreaterThan(3);
    jointsOut(document, { leafEnds: true });
    const files = await written(document),
      after = skeletonOf((await readCharacter(files)).document),
      at = (name: string) => {
        const i = after.joints.findIndex((joint) => joint.getName() === name);
        return { i, place: jointPosition(after, i) };
      };
    for (const name of leaves) {
      const end = at(`${name}_end`),
        leaf = at(name),
        above = jointPosition(after, after.parent[leaf.i]);
      expect(after.parent[end.i]).toBe(leaf.i);
      const way = leaf.place.map((x, k) => x - above[k]),
        on = end.place.map((x, k) => x - leaf.place[k]),
        dot = way.reduce((sum, x, k) => sum + x * on[k], 0);
      expect(Math.hypot(...on)).toBeGreaterThan(0.005);
      expect(dot / Math.hypot(...way) / Math.hypot(...on)).toBeGreaterThan(0.9999);
    }
    await expectSamePlaces(before, files);
  });
  it('count among the joints that a target allows', () => {
    const document = stickFigure(),
      max = namesOf(document).length,
      target = parseTarget({ ...SHIPPED_TARGETS[0], joints: { keep: 'all', names: 'source', max, leafEnds: true } }),
      broken = () =>
        checkCharacter({ document, summary: summarise(document, 'a', { seen: false }), target }).filter(
          ({ rule, ok }) => rule === 'joints.max' && !ok,
        );
    expect(broken()).toEqual([]);
    jointsOut(document, target.joints);
    expect(broken()).toHaveLength(1);
  });
});

it('a figure without joints gets none', () => {
  const document = stickFigure();
  for (const skin of document.getRoot().listSkins()) skin.dispose();
  expect(jointsOut(document, { root: 'ground', leafEnds: true })).toEqual([]);
  expect(
    document
      .getRoot()
      .listNodes()
      .map((node) => node.getName()),
  ).not.toContain('ground');
});
