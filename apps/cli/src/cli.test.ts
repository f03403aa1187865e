import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { SHIPPED_TARGETS, writeArchive, writeGlb } from '@dimetra/core';
import { sha256 } from '@dimetra/platform';
import { SMALL } from '../../../packages/cast/src/figure.ts';
import { buildPerson, personById } from '../../../packages/cast/src/index.ts';
import { writeFigure } from '../../../packages/cast/src/write.ts';
import { writeCrew } from './testing/crew.ts';
import { stickFigure } from '../../../packages/core/src/testing/stick-figure.ts';

const folder = mkdtempSync(join(tmpdir(), 'dimetra-cli-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const at = (name: string) => join(folder, name);
const run = (...args: string[]) => {
  const done = spawnSync(process.execPath, ['dist/node/cli.js', ...args], { encoding: 'utf8', maxBuffer: 1 << 26 });
  return { code: done.status, out: done.stdout, err: done.stderr };
};
writeFileSync(at('sailor.glb'), await writeGlb(stickFigure({ rings: 20, sides: 12 })));
writeFileSync(at('broken.glb'), 'glTF and no more');

describe('dimetra inspect', () => {
  it('finds landmarks by shape where it is asked to, and says why where there are none', async () => {
    const person = writeFigure(
      buildPerson(personById('harbour-pilot'), { coarse: SMALL, expressions: false, progress() {} }),
      new Map(),
      new Map(),
      'Pilot',
    );
    writeFileSync(at('landmarks.glb'), await writeGlb(person));
    const { code, out } = run('inspect', at('landmarks.glb'), '--landmarks', '--json');
    expect(code).toBe(0);
    const { landmarks, landmarksRefused } = JSON.parse(out);
    expect(landmarksRefused).toBeUndefined();
    // Where the generator has the joint, to the centimetre.
    expect(landmarks.find(({ name }: { name: string }) => name === 'left eye')).toEqual({
      name: 'left eye',
      at: [expect.closeTo(0.032, 2), expect.closeTo(1.661, 1), expect.closeTo(0.088, 2)],
      confidence: 0.9,
    });
    expect(landmarks.map(({ name }: { name: string }) => name)).toEqual(
      expect.arrayContaining(['crown', 'neck base', 'right elbow', 'left wrist', 'right knee', 'left ankle']),
    );
    expect(run('inspect', at('landmarks.glb'), '--landmarks').out).toMatch(
      /right heel +-0\.\d+ +0\.\d+ +-0\.\d+ m +90 %/,
    );
    expect(run('inspect', at('sailor.glb'), '--landmarks').out).toMatch(/no landmarks: .+\./);
    expect(JSON.parse(run('inspect', at('sailor.glb'), '--json').out).landmarks).toBeUndefined();
  });
  it('prints exactly one JSON document with the fields of the contract', () => {
    const { code, out } = run('inspect', at('sailor.glb'), '--json');
    expect(code).toBe(0);
    const found = JSON.parse(out);
    expect(found).toMatchObject({
      schema: 1,
      character: {
        name: 'sailor',
        upAxis: 'y',
        unitMetres: 1,
        facing: '+z',
        influencesMax: 2,
        morphTargets: ['lift'],
        clips: [],
        textures: [],
      },
      findings: expect.any(Array),
    });
    expect(found.character.parts[0]).toMatchObject({
      name: 'Body',
      role: 'body',
      material: 'Skin',
      morphTargets: ['lift'],
    });
    expect(found.character.morphs).toMatchObject([
      {
        name: 'lift',
        group: expect.any(String),
        kind: expect.any(String),
        moves: expect.any(Number),
        movesJoints: ['rightEye', 'leftEye'],
      },
    ]);
    expect(found.character.morphs[0].maxMm).toBeCloseTo(1.6, 0);
    expect(found.character.joints[0]).toMatchObject({ name: 'hips', parent: null, role: 'hips' });
    expect(found.character.materials[0]).toMatchObject({
      kind: 'skin',
      alphaMode: 'OPAQUE',
      doubleSided: false,
      maps: {},
    });
  });
  it("refuses what it can't read with code 3 and a problem", () => {
    const { code, out } = run('inspect', at('broken.glb'), '--json');
    expect(code).toBe(3);
    expect(JSON.parse(out)).toMatchObject({ schema: 1, error: { code: 'gltf.truncated', where: 'broken.glb' } });
    expect(run('inspect', at('nothing.glb')).code).toBe(3);
  });
});

describe('dimetra learn --as target', () => {
  it('writes a target that the sample itself keeps to, and says what it was taken from and what it asks', () => {
    const { code, err } = run(
      'learn',
      at('sailor.glb'),
      '--as',
      'target',
      '--title',
      'Sailors',
      '--out',
      at('as.json'),
    );
    expect(code).toBe(0);
    expect(err).toMatch(/^triangles\.max: [\d,]+ triangles: [\d,]+ allowed$/m);
    expect(err).toMatch(/^asked, appearance\.nearestM: /m);
    const { code: converted, out } = run(
      'convert',
      at('sailor.glb'),
      '--target',
      at('as.json'),
      '--out',
      at('as-out'),
      '--json',
    );
    const { checks } = JSON.parse(out) as { checks: { ok: boolean; message: string }[] };
    expect(checks.filter(({ ok }) => !ok).map(({ message }) => message)).toEqual([]);
    expect(converted).toBe(0);
    expect(run('learn', at('sailor.glb'), '--as', 'song').code).toBe(2);
  });
});

describe('dimetra learn', () => {
  it('writes a figure that a target then takes', () => {
    const { code, err } = run('learn', at('sailor.glb'), '--title', 'Sailor rig', '--out', at('figure.json'));
    expect(code).toBe(0);
    expect(err).toMatch(/Sailor rig: 55 joints/);
    const figure = JSON.parse(readFileSync(at('figure.json'), 'utf8'));
    expect(figure).toMatchObject({ schema: 1, id: 'sailor-rig', title: 'Sailor rig', morphs: ['lift'] });
    const target = {
      ...SHIPPED_TARGETS.find((entry) => entry.id === 'bridge-close-up'),
      id: 'own',
      joints: {
        keep: 'all',
        figure: {
          ...figure,
          joints: figure.joints.map((joint: { name: string; parent: string | null }) => ({
            ...joint,
            name: `n_${joint.name}`,
            parent: joint.parent && `n_${joint.parent}`,
          })),
        },
      },
      restPose: 'arms-out',
      parity: { ...SHIPPED_TARGETS[0].parity, noteOnly: ['pose'] },
    };
    writeFileSync(at('own.json'), JSON.stringify(target));
    const done = run('convert', at('sailor.glb'), '--target', at('own.json'), '--out', at('own'), '--json');
    expect(done.code).toBe(0);
    const report = JSON.parse(done.out) as { checks: { rule: string; ok: boolean }[] };
    for (const rule of ['joints.figure', 'rest.pose'])
      expect(report.checks.find((check) => check.rule === rule)?.ok).toBe(true);
  });
  it("refuses a target whose figure isn't there", () => {
    writeFileSync(
      at('lost.json'),
      JSON.stringify({ ...SHIPPED_TARGETS[0], id: 'lost', joints: { keep: 'all', figure: 'nowhere' } }),
    );
    const { code, err } = run('convert', at('sailor.glb'), '--target', at('lost.json'), '--out', at('lost'));
    expect(code).toBe(3);
    expect(err).toMatch(/names the figure “nowhere”, which is not here/);
  });
});

describe('a recipe that names another character', () => {
  const recipe = (donor: string) => {
    writeFileSync(
      at('recipe.json'),
      JSON.stringify({ schema: 1, steps: [{ id: 'weights.transfer', settings: { donor } }] }),
    );
    return at('recipe.json');
  };
  /** The sailor's skin without joints, a little larger: a coat as it comes from a tailor. */
  const coat = async (): Promise<string> => {
    const document = stickFigure({ rings: 8 }),
      [prim] = document.getRoot().listMeshes()[0].listPrimitives(),
      [points, normals] = ['POSITION', 'NORMAL'].map(
        (semantic) => prim.getAttribute(semantic)?.getArray() as Float32Array,
      );
    for (const semantic of ['JOINTS_0', 'WEIGHTS_0']) prim.setAttribute(semantic, null);
    prim.getAttribute('POSITION')?.setArray(points.map((x, i) => x + 0.005 * normals[i]) as Float32Array<ArrayBuffer>);
    for (const skin of document.getRoot().listSkins()) skin.dispose();
    for (const node of document.getRoot().listNodes()) if (!node.getMesh()) node.dispose();
    writeFileSync(at('coat.glb'), await writeGlb(document));
    return at('coat.glb');
  };
  it('takes weights and joints from its file', async () => {
    const { code, out, err } = run(
      'convert',
      await coat(),
      '--target',
      'browser-viewer',
      '--recipe',
      recipe(at('sailor.glb')),
      '--out',
      at('bound'),
      '--json',
    );
    expect([0, 4], err).toContain(code);
    const report = JSON.parse(out) as {
      source: { joints: unknown[] };
      result: { joints: { role: string }[]; influencesMax: number };
      steps: { id: string; findings: { message: string }[] }[];
    };
    expect(report.source.joints).toEqual([]);
    expect(report.result.joints.some((joint) => joint.role === 'leftLowerArm')).toBe(true);
    expect(report.result.influencesMax).toBeGreaterThan(1);
    expect(report.steps.find((step) => step.id === 'weights.transfer')?.findings[0].message).toMatch(
      /moves with “sailor”/,
    );
  });
  it('says so when that file is not there, and writes nothing', async () => {
    const { code, out } = run(
      'convert',
      await coat(),
      '--target',
      'browser-viewer',
      '--recipe',
      recipe(at('nobody.glb')),
      '--out',
      at('unbound'),
      '--json',
    );
    expect(code).toBe(3);
    expect(JSON.parse(out)).toMatchObject({ schema: 1, error: { code: 'weights.no-donor', where: at('nobody.glb') } });
    expect(existsSync(at('unbound'))).toBe(false);
  });
});

describe('dimetra convert', () => {
  it('writes a package whose files are what it says, with progress on standard error', () => {
    const { code, out, err } = run(
      'convert',
      at('sailor.glb'),
      '--target',
      'quayside-crowd',
      '--out',
      at('out'),
      '--json',
    );
    expect(code, err).toBe(0);
    const done = JSON.parse(out);
    expect(done).toMatchObject({
      schema: 1,
      target: 'quayside-crowd',
      seconds: expect.any(Number),
      peakMemoryBytes: expect.any(Number),
    });
    expect(done.steps.map((step: { id: string }) => step.id)).toContain('reduce.simplify');
    expect(done.result.triangles).toBeLessThanOrEqual(6000);
    for (const file of done.files)
      expect(sha256(new Uint8Array(readFileSync(join(at('out'), file.path))))).toBe(file.sha256);
    expect(err).toMatch(/%/);
  });
  it('makes a package of each character in a folder, under names of their own, and says which could not be read', async () => {
    await writeCrew(folder);
    const both = run('convert', at('crew'), '--target', 'quayside-crowd', '--out', at('crew-out'), '--json');
    expect(both.code, both.err).toBe(0);
    const { characters, failed } = JSON.parse(both.out) as {
      characters: { name: string; folder: string; files: { path: string; sha256: string }[] }[];
      failed: unknown[];
    };
    expect(failed).toEqual([]);
    expect(characters.map((entry) => [entry.name, entry.folder])).toEqual([
      ['sailor', 'sailor'],
      ['sailor 2', 'sailor-2'],
    ]);
    for (const { folder: made, files } of characters)
      for (const file of files)
        expect(sha256(new Uint8Array(readFileSync(join(at('crew-out'), made, file.path))))).toBe(file.sha256);
    mkdirSync(at('crew/torn'));
    writeFileSync(at('crew/torn/stoker.glb'), 'glTF and no more');
    const found = run('inspect', at('crew'), '--json');
    expect(found.code).toBe(3);
    expect(JSON.parse(found.out)).toMatchObject({
      schema: 1,
      characters: [{ character: { name: 'sailor' } }, { character: { name: 'sailor 2' } }],
      failed: [{ path: 'torn/stoker.glb' }],
    });
  });
  it('ends with 4 where a rule blocks, and takes a target from a file', () => {
    writeFileSync(
      at('tiny.json'),
      JSON.stringify({
        ...SHIPPED_TARGETS[0],
        id: 'tiny',
        materials: { ...SHIPPED_TARGETS[0].materials, max: 1 },
        joints: { keep: 'all', max: 3 },
      }),
    );
    const { code, out } = run(
      'convert',
      at('sailor.glb'),
      '--target',
      at('tiny.json'),
      '--out',
      at('blocked'),
      '--json',
    );
    expect(code).toBe(4);
    expect(
      JSON.parse(out)
        .checks.filter((check: { ok: boolean; blocking: boolean }) => !check.ok && check.blocking)
        .map((check: { rule: string }) => check.rule),
    ).toContain('joints.max');
  });
  it('ends with 2 on wrong usage, 3 on a recipe that makes no sense, and leaves nothing behind', () => {
    expect(run('convert', at('sailor.glb')).code).toBe(2);
    expect(run('convert', at('sailor.glb'), '--target', 'nobody', '--out', at('x')).code).toBe(2);
    expect(run('nonsense').code).toBe(2);
    writeFileSync(at('recipe.json'), '{"schema":1,"steps":[{"id":"no.such"}]}');
    expect(
      run('convert', at('sailor.glb'), '--target', 'headset-deck', '--recipe', at('recipe.json'), '--out', at('x'))
        .code,
    ).toBe(3);
    expect(existsSync(at('x'))).toBe(false);
  });
  it("says so when the output can't be written", () => {
    writeFileSync(at('taken'), '');
    const { code, err } = run('convert', at('sailor.glb'), '--target', 'quayside-crowd', '--out', at('taken'));
    expect(code).toBe(3);
    expect(err).toMatch(/can't be written/);
  });
});

describe('dimetra check', () => {
  beforeAll(() => {
    expect(run('convert', at('sailor.glb'), '--target', 'quayside-crowd', '--out', at('judged'), '--json').code).toBe(
      0,
    );
  });
  const judge = (path: string) => {
    const { code, out, err } = run('check', path, '--target', 'quayside-crowd', '--json');
    return { code, err, answer: out ? JSON.parse(out) : null };
  };
  const broken = (answer: { checks: { rule: string; ok: boolean; message: string }[] }) =>
    answer.checks.filter((check) => !check.ok).map((check) => check.rule);
  it('judges a package by its folder, its archive and its model alone, and says the same of each', () => {
    const archive = writeArchive(
      ['sailor.glb', 'report.json', 'report.html', 'manifest.json'].map((path) => ({
        path,
        bytes: new Uint8Array(readFileSync(join(at('judged'), path))),
      })),
    );
    writeFileSync(at('judged.zip'), archive);
    for (const path of [at('judged'), at('judged.zip'), join(at('judged'), 'sailor.glb')]) {
      const { code, answer, err } = judge(path);
      expect(code, err).toBe(0);
      expect(answer).toMatchObject({ schema: 1, target: 'quayside-crowd', verdict: { blocking: 0 } });
      expect(answer.checks.filter((check: { rule: string }) => check.rule.startsWith('delivered.'))).toHaveLength(12);
    }
    expect(judge(at('judged')).answer.reported).toBe(true);
    expect(judge(join(at('judged'), 'sailor.glb')).answer.reported).toBe(false);
  });
  it('blocks a package whose report states another size or a joint more, and ends with 4', () => {
    const report = JSON.parse(readFileSync(join(at('judged'), 'report.json'), 'utf8'));
    report.stated.sizeMm[0] += 5;
    report.result.joints.push({ name: 'tail', parent: 'hips', role: 'extra' });
    mkdirSync(at('lying'));
    writeFileSync(join(at('lying'), 'sailor.glb'), readFileSync(join(at('judged'), 'sailor.glb')));
    writeFileSync(join(at('lying'), 'report.json'), JSON.stringify(report));
    const { code, answer } = judge(at('lying'));
    expect(code).toBe(4);
    expect(broken(answer)).toEqual(['delivered.contents', 'delivered.size']);
    writeFileSync(join(at('lying'), 'report.json'), '{"schema":1,"stated":7}');
    expect(judge(at('lying'))).toMatchObject({ code: 3, answer: { error: { code: 'check.broken-report' } } });
  });
  it('blocks a model made elsewhere whose joints hang in no scene', async () => {
    const document = stickFigure(),
      [scene] = document.getRoot().listScenes();
    for (const child of scene.listChildren()) if (!child.getMesh()) scene.removeChild(child);
    writeFileSync(at('afloat.glb'), await writeGlb(document));
    const { code, answer } = judge(at('afloat.glb'));
    expect(code).toBe(4);
    expect(broken(answer)).toEqual(expect.arrayContaining(['delivered.valid', 'delivered.joints']));
  });
  it('refuses what is delivered by nobody, and a call without a target', () => {
    writeFileSync(at('a.bvh'), 'HIERARCHY');
    expect(judge(at('a.bvh'))).toMatchObject({
      code: 3,
      answer: { error: { code: 'check.not-gltf', where: 'a.bvh' } },
    });
    expect(run('check', at('sailor.glb')).code).toBe(2);
  });
});

it('dimetra compare finds zeros for a file against itself', () => {
  const { code, out } = run('compare', at('sailor.glb'), at('sailor.glb'), '--json', '--samples', '2000');
  expect(code).toBe(0);
  const parity = JSON.parse(out);
  for (const row of [parity.shape.rest, ...parity.shape.morphs, ...parity.shape.poses])
    expect([row.rmsMm, row.p99Mm, row.maxMm]).toEqual([0, 0, 0]);
  expect(parity).toMatchObject({
    schema: 1,
    appearance: { baseColorDeltaE: { mean: 0, p99: 0 } },
    inventory: { lost: [], added: [], renamed: [] },
  });
});

describe('dimetra compare, of two reports', () => {
  it('tells what the second says otherwise, and of the same that nothing does; what is no report is refused', () => {
    const checks = [{ rule: 'rest', title: 'At rest', ok: true, blocking: true, measured: 0.5, limit: 1, unit: 'mm' }],
      result = {
        parts: [],
        joints: [],
        materials: [],
        textures: [],
        clips: [],
        morphTargets: ['smile'],
        triangles: 10,
      },
      report = (change: object) => JSON.stringify({ schema: 1, checks, result: { ...result, ...change } });
    writeFileSync(at('before.json'), report({}));
    writeFileSync(at('after.json'), report({ triangles: 12, morphTargets: [] }));
    writeFileSync(at('none.json'), '{"schema":1}');
    const told = run('compare', at('before.json'), at('after.json'));
    expect([told.code, told.out]).toEqual([0, 'Triangles: 10 → 12\nGone of the morphs: “smile”\n']);
    expect(run('compare', at('before.json'), at('before.json')).out).toBe('Both say the same.\n');
    expect(JSON.parse(run('compare', at('before.json'), at('after.json'), '--json').out)).toMatchObject({ rules: [] });
    const refused = run('compare', at('before.json'), at('none.json'));
    expect([refused.code, refused.err]).toEqual([3, expect.stringContaining('is no report of a delivery')]);
  });
});

describe('the command lines that the documents show', () => {
  const shown = ['README.md', 'docs/guide.md', 'docs/cast.md'].flatMap((file) =>
    [
      ...readFileSync(file, 'utf8').matchAll(/^\.\/dimetra (convert|inspect|compare|check|learn) (.*?)(?:\s+#.*)?$/gm),
    ].map((match) => `${match[1]} ${match[2].trim()}`),
  );
  it('are all five commands, through the script', () => {
    expect([...new Set(shown.map((line) => line.split(' ')[0]))].sort()).toEqual([
      'check',
      'compare',
      'convert',
      'inspect',
      'learn',
    ]);
    mkdirSync(at('shown'));
    for (const name of ['pilot.glb', 'sample.glb']) writeFileSync(at(`shown/${name}`), readFileSync(at('sailor.glb')));
    for (const line of shown) {
      const done = spawnSync('bash', ['-c', `"${join(process.cwd(), 'dimetra')}" ${line}`], {
        cwd: at('shown'),
        encoding: 'utf8',
        maxBuffer: 1 << 26,
      });
      expect(done.status, `${line}: ${done.stderr.slice(-400)}`).toBe(0);
      if (line.includes('--json')) expect(() => JSON.parse(done.stdout)).not.toThrow();
    }
    expect(existsSync(at('shown/figure.zip'))).toBe(true);
  });
});
