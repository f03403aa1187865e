import { createHash } from 'node:crypto';
import { describe, expect, it } from 'vitest';
import { openArchive, writeArchive } from '../formats/index.ts';
import { seededRandom } from '../geometry/index.ts';
import { ProblemError } from '../problem.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { learnWithBody, packFigure, unpackFigure } from './figure-archive.ts';

const hash = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');
const said = (archive: Uint8Array) =>
  unpackFigure(archive, 'a.zip', hash).then(
    () => 'taken',
    (error: unknown) => (error instanceof ProblemError ? error.message : `broken: ${String(error)}`),
  );
const text = (value: unknown) => new TextEncoder().encode(JSON.stringify(value)) as Uint8Array<ArrayBuffer>;

describe('a figure as an archive', () => {
  it('without a whole skin has joints alone, and its note says why', async () => {
    const bare = stickFigure();
    for (const node of bare.getRoot().listNodes()) node.setMesh(null);
    const learned = await learnWithBody(bare, { id: 'stick', title: 'Stick' }, hash);
    expect(learned.bytes).toBeNull();
    expect(learned.figure.body).toBeUndefined();
    expect(learned.figure.note).toMatch(/^Joints alone: .*\.$/);
    expect(await unpackFigure(packFigure(learned), 'a.zip', hash)).toEqual(learned);
  });
  it('with its skin is the same again, to the byte', async () => {
    const learned = await learnWithBody(stickFigure(), { id: 'stick', title: 'Stick' }, hash);
    expect(learned.figure.body?.file).toBe(hash(learned.bytes as Uint8Array));
    const back = await unpackFigure(packFigure(learned), 'a.zip', hash);
    expect(back.figure).toEqual(learned.figure);
    expect(hash(back.bytes as Uint8Array)).toBe(learned.figure.body?.file);
  });
  it('is refused with a sentence where something is missing or was changed', async () => {
    const { figure } = await learnWithBody(stickFigure(), { id: 'stick', title: 'Stick' }, hash),
      bytes = Uint8Array.of(1, 2, 3),
      body = {
        file: hash(bytes),
        bytes: 3,
        parts: [{ name: 'Skin', material: 'Skin', vertices: 3, triangles: 1, layout: '1-0' }],
      },
      archive = (named: unknown, files: readonly { path: string; bytes: Uint8Array<ArrayBuffer> }[] = []) =>
        writeArchive([{ path: 'figure.json', bytes: text(named) }, ...files]);
    expect(await said(writeArchive([{ path: 'readme.txt', bytes: text('no') }]))).toContain(
      'There is no “figure.json”',
    );
    expect(await said(writeArchive([{ path: 'figure.json', bytes: Uint8Array.of(255, 254) }]))).toContain(
      'is not JSON',
    );
    expect(await said(archive({ ...figure, joints: [] }))).toContain('joints');
    expect(await said(archive({ ...figure, body }))).toContain('The skin of Stick');
    expect(await said(archive({ ...figure, body }, [{ path: `${body.file}.glb`, bytes: Uint8Array.of(9) }]))).toContain(
      'it was changed or damaged',
    );
    // What its name says, and no model.
    expect(await said(archive({ ...figure, body }, [{ path: `${body.file}.glb`, bytes }]))).not.toMatch(
      /^(taken|broken)/,
    );
    expect(await said(archive({ ...figure, body: { ...body, file: '../../etc/passwd' } }))).toContain(
      'body.file should be',
    );
  });
  it('that was cut off or changed anywhere is a sentence or the same figure, never a crash', async () => {
    const whole = packFigure(await learnWithBody(stickFigure(), { id: 'stick', title: 'Stick' }, hash)),
      random = seededRandom(19);
    for (let i = 0; i < 120; i++) {
      const broken = i % 2 ? whole.slice(0, Math.floor(random() * whole.length)) : Uint8Array.from(whole);
      if (!(i % 2))
        for (let k = 0; k < 4; k++) broken[Math.floor(random() * broken.length)] = Math.floor(random() * 256);
      expect(await said(broken)).not.toMatch(/^broken/);
    }
    expect(openArchive(whole, 'a.zip').map(({ path }) => path)).toEqual([
      'figure.json',
      expect.stringMatching(/\.glb$/),
    ]);
  });
});
