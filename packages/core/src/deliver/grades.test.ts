import { look } from '@dimetra/eyes';
import { expect, it, describe } from 'vitest';
import { copyDocument } from '../character/index.ts';
import { type InputFile, readCharacter } from '../formats/index.ts';
import { MemoryStore } from '../recipe/index.ts';
import { parseTarget, SHIPPED_TARGETS, type Target, targetOfGrade, type TargetInput } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { convertWith } from '../testing/convert-with.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { checkFiles } from './check-files.ts';
import type { convert } from './convert.ts';

const crowd = SHIPPED_TARGETS.find(({ id }) => id === 'quayside-crowd') as Target,
  target = parseTarget({
    ...crowd,
    triangles: { max: 3000 },
    grades: [
      { id: 'middle', title: 'Middle', triangles: 1500, maxSize: 256, nearestM: 8, apart: 2 },
      { id: 'far', title: 'Far', triangles: 600, influences: 2, nearestM: 20, apart: 6 },
    ],
  } as TargetInput),
  figure = stickFigure({ rings: 14, sides: 12 });

async function made(given: Partial<Parameters<typeof convert>[0]> = {}) {
  const ran: string[] = [],
    fractions: number[] = [];
  const done = await convertWith(figure, target, {
    onStep: ({ id, cached }) => void ran.push(`${id}${cached ? ' again' : ''}`),
    context: { ...testContext(), progress: (fraction: number) => void fractions.push(fraction) },
    ...given,
  });
  return { done, ran, fractions };
}
const trianglesIn = async (files: readonly InputFile[], path: string): Promise<number> => {
  const { document } = await readCharacter(files, undefined, { main: path });
  return document
    .getRoot()
    .listMeshes()
    .flatMap((mesh) => mesh.listPrimitives())
    .reduce((sum, prim) => sum + (prim.getIndices()?.getCount() ?? 0) / 3, 0);
};

describe('grades of one run', () => {
  it('are packages of their own within the package, each judged for itself and a rule of the whole', async () => {
    const { done, fractions } = await made(),
      files = done.made ?? [],
      paths = files.map(({ path }) => path);
    expect(paths.filter((path) => /\.(glb|json)$/.test(path)).sort()).toEqual([
      'far/manifest.json',
      'far/report.json',
      'far/stoker.glb',
      'manifest.json',
      'middle/manifest.json',
      'middle/report.json',
      'middle/stoker.glb',
      'report.json',
      'stoker.glb',
    ]);
    expect(done.sealed.grades?.map(({ folder }) => folder)).toEqual(['middle/', 'far/']);
    // The manifest of the whole names the files of its grades too.
    expect(done.sealed.files.map(({ path }) => path)).toContain('far/stoker.glb');
    const { grades = [], checks } = done.report;
    for (const [i, most] of [1500, 600].entries()) {
      const { id, triangles } = grades[i];
      expect(await trianglesIn(files, `${id}/stoker.glb`)).toBe(triangles);
      expect(triangles).toBeLessThanOrEqual(most);
      const own = files
          .filter(({ path }) => path.startsWith(`${id}/`))
          .map(({ path, bytes }) => ({ path: path.slice(id.length + 1), bytes })),
        judged = await checkFiles(own, targetOfGrade(target, target.grades?.[i] as never), look);
      expect(judged.checks.filter(({ rule, ok }) => rule.startsWith('delivered.') && !ok)).toEqual([]);
      expect(checks.find(({ rule }) => rule === `grades.${id}`)).toMatchObject({
        ok: grades[i].verdict.state === 'holds',
        measured: grades[i].verdict.rules - grades[i].verdict.holding,
      });
    }
    // Checked as one folder, the package's own model is judged, not a grade's.
    const whole = await checkFiles(files, target, look);
    expect(whole.file).toBe('stoker.glb');
    expect(whole.summary.triangles).toBe(done.report.result.triangles);
    // Progress never goes back.
    expect(fractions).toEqual([...fractions].sort((a, b) => a - b));
    expect(fractions.at(-1)).toBeLessThanOrEqual(1);
  });

  it('that break a rule stop the delivery of the whole, and say where', async () => {
    const strict = parseTarget({
      ...target,
      grades: [{ id: 'far', title: 'Far', triangles: 40 }],
    } as TargetInput);
    const { done } = await made({ target: strict }),
      rule = done.report.checks.find((check) => check.rule === 'grades.far');
    expect(rule).toMatchObject({ ok: false, blocking: true });
    expect(rule?.message).toMatch(/^Far of Quayside crowd: .*block/);
    expect(done.verdict.state).toBe('blocks');
    const noted = await made({ target: { ...strict, rules: { 'grades.far': 'notes' } } });
    expect(noted.done.report.checks.find((check) => check.rule === 'grades.far')?.blocking).toBe(false);
  });

  it('share what they can: steps before the first that differs are done once, and all of it is known the next time', async () => {
    const store = new MemoryStore(),
      puts: string[] = [],
      put = store.put.bind(store);
    store.put = async (result, pieces) => {
      puts.push(result.id);
      return put(result, pieces);
    };
    const document = copyDocument(figure),
      { packDocument, createGltfIO } = await import('../formats/index.ts'),
      { manifest, pieces } = await packDocument(await createGltfIO(), document, testContext().hash);
    store.add(pieces);
    const source = { manifest, document: async () => document };
    const first = await made({ store, source });
    // Standing up, joints and weights ask nothing of triangles; the reduction does.
    const times = (id: string) => puts.filter((one) => one === id).length;
    expect(times('intake.stand')).toBe(1);
    expect(times('skeleton.remap')).toBe(1);
    expect(times('reduce.simplify')).toBe(3);
    const before = puts.length,
      again = await made({ store, source });
    expect(puts.length).toBe(before);
    expect(again.done.made).toBeNull();
    expect(again.done.report.grades).toEqual(first.done.report.grades);
    expect(again.done.kept?.archive).toEqual(first.done.kept?.archive);
  });

  it.each([
    [
      'twice the same folder',
      [
        { id: 'far', title: 'A', triangles: 9 },
        { id: 'far', title: 'B', triangles: 8 },
      ],
    ],
    ['a folder that leads out', [{ id: '../far', title: 'A', triangles: 9 }]],
    ['a folder that maps lie in', [{ id: 'textures', title: 'A', triangles: 9 }]],
    ['sides that are no power of two', [{ id: 'far', title: 'A', triangles: 9, maxSize: 300 }]],
    ['no triangles', [{ id: 'far', title: 'A', triangles: 0 }]],
  ])('with %s are refused', (_, grades) => {
    expect(() => parseTarget({ ...target, grades })).toThrow(/grades/);
  });
});
