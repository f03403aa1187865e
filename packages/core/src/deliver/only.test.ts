import { look } from '@dimetra/eyes';
import { BVHLoader } from 'three/addons/loaders/BVHLoader.js';
import { describe, expect, it } from 'vitest';
import { floatsOf, jointPosition, listParts, skeletonOf } from '../character/index.ts';
import { readCharacter } from '../formats/index.ts';
import { parseTarget, SHIPPED_TARGETS, type TargetInput } from '../targets/index.ts';
import { convertWith, picturedFigure } from '../testing/convert-with.ts';
import { checkFiles } from './check-files.ts';

const targetWith = (asked: Partial<TargetInput['package']>) =>
  parseTarget({ ...SHIPPED_TARGETS[0], package: { ...SHIPPED_TARGETS[0].package, ...asked } });
async function made(asked: Partial<TargetInput['package']>) {
  const target = targetWith(asked),
    done = await convertWith(picturedFigure(), target),
    files = done.made ?? [];
  return {
    done,
    target,
    files,
    paths: files.map(({ path }) => path).filter((path) => !/^(manifest|report)\./.test(path)),
    read: async (path: string) => (await readCharacter(files, undefined, { main: path })).document,
    broken: done.report.checks
      .filter(({ rule, ok }) => rule.startsWith('delivered.') && !ok)
      .map(({ message }) => message),
  };
}
const FORMATS = ['glb', 'gltf', 'usda', 'usdz', 'dae'] as const;

describe.each([...FORMATS, 'obj'] as const)('a mesh alone as .%s', (format) => {
  it('stands as the figure does, without joints, morphs, clips and maps; whole for other eyes, and judged again', async () => {
    const { done, files, paths, read, broken, target } = await made({ format, only: 'mesh' });
    expect(broken).toEqual([]);
    expect(paths.filter((path) => /\.(png|jpe?g)$/.test(path))).toEqual([]);
    const own = await read(`stoker.${format}`),
      whole = done.report.result;
    expect(skeletonOf(own).joints).toHaveLength(0);
    expect(own.getRoot().listTextures()).toHaveLength(0);
    expect(own.getRoot().listAnimations()).toHaveLength(0);
    expect(listParts(own).reduce((sum, { triangles }) => sum + triangles, 0)).toBe(whole.triangles);
    // As tall as the figure was stated to be, by the other loader.
    const file = files.find(({ path }) => path === `stoker.${format}`) as (typeof files)[number],
      seen = await look(file, files);
    expect(seen.sizeMm?.[1]).toBeCloseTo(whole.heightCm * 10, 0);
    const again = await checkFiles(files, target, look);
    expect(again.checks.filter(({ ok, blocking }) => !ok && blocking).map(({ message }) => message)).toEqual([]);
  });
});

describe.each(FORMATS)('joints alone as .%s', (format) => {
  it.each(['skeleton', 'motion'] as const)('are all of them, with clips as a %s asks for', async (only) => {
    const { files, broken, read, target } = await made({ format, only });
    expect(broken).toEqual([]);
    const own = await read(`stoker.${format}`),
      names = skeletonOf(own).joints.map((joint) => joint.getName());
    expect(names.length).toBe(skeletonOf(picturedFigure()).joints.length);
    expect(listParts(own)).toHaveLength(0);
    expect(own.getRoot().listAnimations().length > 0).toBe(only === 'motion');
    const again = await checkFiles(files, target, look);
    expect(again.checks.filter(({ rule, ok }) => !ok && rule.startsWith('delivered.'))).toEqual([]);
  });
});

describe('maps alone', () => {
  it('are files that open, and nothing else', async () => {
    const { done, paths, broken, files } = await made({ format: 'glb', only: 'maps', folders: { maps: 'M/{kind}' } });
    expect(broken).toEqual([]);
    expect(paths.length).toBe(done.report.result.textures.length);
    expect(paths.every((path) => /\.(png|jpe?g)$/.test(path))).toBe(true);
    expect(done.report.checks.find(({ rule }) => rule === 'delivered.images')?.ok).toBe(true);
    await expect(checkFiles(files, targetWith({ only: 'maps' }), look)).rejects.toThrow(/There is no \.glb/);
  });
});

describe('BVH beside a model', () => {
  it('stands and moves for another loader as the figure does', async () => {
    const { paths, files, broken, read } = await made({ format: 'glb', bvh: true }),
      source = await read('stoker.glb'),
      skeleton = skeletonOf(source);
    expect(broken).toEqual([]);
    expect(paths).toEqual(expect.arrayContaining(['stoker.glb', 'stoker.bvh']));
    const clip = paths.find((path) => /^stoker_.+\.bvh$/.test(path)) as string,
      rest = new BVHLoader().parse(
        new TextDecoder().decode(files.find(({ path }) => path === 'stoker.bvh')?.bytes as Uint8Array),
      );
    rest.skeleton.bones[0].updateMatrixWorld(true);
    const bones = rest.skeleton.bones.filter(({ name }) => name !== 'ENDSITE');
    expect(bones).toHaveLength(skeleton.joints.length);
    for (const bone of bones) {
      const at = skeleton.joints.findIndex((joint) => joint.getName() === bone.name),
        place = at < 0 ? null : jointPosition(skeleton, at);
      if (!place) continue;
      expect(Math.hypot(...[12, 13, 14].map((k, i) => bone.matrixWorld.elements[k] / 100 - place[i]))).toBeLessThan(
        1e-4,
      );
    }
    // Our reader finds the clip in it, as long as it was.
    const again = await read(clip),
      [motion] = again.getRoot().listAnimations(),
      longest = (of: typeof motion) =>
        Math.max(...of.listSamplers().map((sampler) => floatsOf(sampler.getInput() as never).at(-1) as number));
    expect(longest(motion)).toBeCloseTo(longest(source.getRoot().listAnimations()[0]), 1);
  });
  it('that stands elsewhere is found out', async () => {
    const { broken } = await made({ format: 'glb', bvh: true });
    expect(broken).toEqual([]);
    const lying: typeof look = async (model, files, wanted) => {
        const seen = await look(model, files, wanted);
        for (const { places } of seen.frames ?? []) places[1].at[0] += 1;
        return seen;
      },
      done = await convertWith(picturedFigure(), targetWith({ bvh: true }), { eyes: lying });
    expect(done.report.checks.find(({ rule }) => rule === 'delivered.bvh')).toMatchObject({
      ok: false,
      blocking: true,
    });
  });
  it.each([
    [{ format: 'vrm', only: 'mesh' }, /all of the figure where it is VRM/],
    [{ format: 'obj', only: 'skeleton' }, /no joints alone where it is OBJ/],
  ] as const)('and what a format can’t hold alone is refused: %o', (asked, says) => {
    expect(() => targetWith(asked)).toThrow(says);
  });
});
