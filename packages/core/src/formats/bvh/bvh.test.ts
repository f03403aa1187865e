import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { skeletonOf, jointPosition, globalMatrix } from '../../character/index.ts';
import { jointRoles, poseSkeleton, RANGE_OF_MOTION, roleIndex, measureStance } from '../../rig/index.ts';
import { ProblemError } from '../../problem.ts';
import { stickFigure } from '../../testing/stick-figure.ts';
import { readCharacter } from '../read.ts';
import { writeBvh } from './write.ts';

const text = (value: string) => new TextEncoder().encode(value);
const read = (bvh: string | Uint8Array) =>
  readCharacter([{ path: 'walk.bvh', bytes: typeof bvh === 'string' ? text(bvh) : bvh }]);
const SMALL =
  'HIERARCHY\nROOT Hips\n{\n OFFSET 0 90 0\n CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation\n JOINT Left Leg\n {\n  OFFSET 10 -5 0\n  CHANNELS 3 Zrotation Yrotation Xrotation\n  End Site\n  {\n   OFFSET 0 -40 0\n  }\n }\n}\nMOTION\nFrames: 2\nFrame Time: 0.5\n0 0 0 0 0 0 0 0 0\n1 2 3 90 0 0 0 0 45\n';

describe('BVH', () => {
  it('reads hierarchy, end sites, channels in their order and the frame time', async () => {
    const { document, findings } = await read(SMALL);
    expect(skeletonOf(document).joints.map((joint) => joint.getName())).toEqual(['Hips', 'Left Leg', 'Left Leg_end']);
    const [clip] = document.getRoot().listAnimations();
    const of = (name: string, path: string) =>
      clip
        .listChannels()
        .find((channel) => channel.getTargetNode()?.getName() === name && channel.getTargetPath() === path)
        ?.getSampler()
        ?.getOutput()
        ?.getArray();
    expect([...(of('Hips', 'translation') ?? [])]).toEqual([0, 90, 0, 1, 92, 3]);
    expect([...(of('Hips', 'rotation') ?? [])].slice(4).map((x) => Math.round(x * 1e4) / 1e4)).toEqual([
      0, 0, 0.7071, 0.7071,
    ]);
    expect([...(of('Left Leg', 'rotation') ?? [])][4]).toBeCloseTo(Math.sin(Math.PI / 8), 5);
    expect(clip.listSamplers()[0].getInput()?.getMax([])).toEqual([0.5]);
    expect(findings.map((finding) => finding.code)).toEqual(['intake.no-mesh']);
  });
  it('brings a posed skeleton back joint by joint', async () => {
    const figure = stickFigure(),
      skeleton = skeletonOf(figure),
      roles = roleIndex(jointRoles(figure, skeleton));
    const frames = RANGE_OF_MOTION.map((pose) => poseSkeleton(skeleton, roles, pose));
    const { document } = await read(writeBvh(figure, { scale: 100, frames }));
    const [clip] = document.getRoot().listAnimations();
    const again = skeletonOf(document);
    for (const f of [0, 7, 12, 21]) {
      for (const channel of clip.listChannels()) {
        const node = channel.getTargetNode(),
          output = channel.getSampler()?.getOutput();
        if (!node || !output) continue;
        const value = output.getElement(f, []) as never;
        if (channel.getTargetPath() === 'rotation') node.setRotation(value);
        else node.setTranslation(value);
      }
      skeleton.joints.forEach((joint, i) => {
        const other = again.joints.find((entry) => entry.getName() === joint.getName());
        const m = globalMatrix(other as never);
        for (let k = 0; k < 3; k++)
          expect(m[12 + k] / 100, `${joint.getName()} in ${RANGE_OF_MOTION[f].name}`).toBeCloseTo(
            frames[f][i * 16 + 12 + k],
            4,
          );
      });
    }
  });
  it('stands by its joints: a skeleton in centimetres is as tall as they reach', async () => {
    const { document } = await read(writeBvh(stickFigure(), { scale: 100 }));
    const stance = measureStance(document);
    expect(stance).toMatchObject({ unitMetres: 0.01, upAxis: 'y', facing: '+z' });
    expect(stance.heightCm).toBeGreaterThan(140);
    expect(jointPosition(skeletonOf(document), 0)[1]).toBeCloseTo(96, 3);
  });
  it.each([0.0254 / 0.45, 0.065])(
    'knows captured motion kept in 0.45 to an inch, where decimetres would make a giant (%f m a unit)',
    async (metres) => {
      const stance = measureStance((await read(writeBvh(stickFigure(), { scale: 1 / metres }))).document);
      expect(stance.unitMetres).toBeCloseTo(0.0254 / 0.45, 6);
      expect(stance.heightCm).toBeGreaterThan(135);
      expect(stance.heightCm).toBeLessThan(180);
    },
  );
  it.each([
    ['nothing', '', /empty|HIERARCHY/],
    ['no hierarchy', 'MOTION', /HIERARCHY/],
    ['a bracket too few', 'HIERARCHY\nROOT a\n{\nOFFSET 0 0 0\n', /not closed/],
    ['a bracket too many', 'HIERARCHY\n}', /closes nothing/],
    ['an unknown channel', SMALL.replace('Xposition', 'Wposition'), /no channel “wposition”/],
    ['a word for a number', SMALL.replace('0 90 0', '0 high 0'), /line 4, a number is missing/],
  ])('says what is wrong with %s', async (_name, bvh, pattern) => {
    await expect(read(bvh)).rejects.toThrow(pattern);
  });
  it('reads what is there of a motion that was cut off, and says so', async () => {
    const { document, findings } = await read(SMALL.replace('Frames: 2', 'Frames: 9'));
    expect(document.getRoot().listAnimations()).toHaveLength(1);
    expect(findings.map((finding) => finding.code)).toContain('bvh.cut-off');
  });
  it('survives bytes changed at random', async () => {
    const good = writeBvh(stickFigure());
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(fc.nat(good.length - 1), fc.nat(255)), { minLength: 1, maxLength: 10 }),
        async (changes) => {
          const bytes = good.slice();
          for (const [at, value] of changes) bytes[at] = value;
          try {
            await read(bytes);
          } catch (error) {
            if (!(error instanceof ProblemError)) throw error;
          }
        },
      ),
      { seed: 8, numRuns: 100 },
    );
  });
});
