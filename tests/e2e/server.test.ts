import { request } from 'node:http';
import { describe, expect, inject, it } from 'vitest';
import { writeGlb, writeUsdz } from '@dimetra/core';
import { encodePixels } from '@dimetra/platform';
import { stickFigure } from '../../packages/core/src/testing/stick-figure.ts';
import { restartDatabase, workerPid } from './application.ts';

const address = inject('address');
const api = (path: string, init?: RequestInit) => fetch(`${address}/api/v1${path}`, init);
const json = (path: string, method: string, body: unknown) =>
  api(path, { method, headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) });
const upload = (files: Record<string, Uint8Array>) => {
  const form = new FormData();
  for (const [name, bytes] of Object.entries(files))
    form.append('files', new Blob([bytes as Uint8Array<ArrayBuffer>]), name);
  return api('/characters', { method: 'POST', body: form });
};
const figure = await writeGlb(stickFigure({ rings: 14, sides: 10 }));
interface Run {
  id: string;
  state: string;
  attempts: number;
  steps: { id: string; cached: boolean }[];
  deliveryId: string | null;
  checks: { ok: boolean }[];
  result: { triangles: number } | null;
  parity: object | null;
}
const until = async (id: string, test: (run: Run) => boolean, seconds = 120): Promise<Run> => {
  for (let i = 0; i < seconds * 10; i++) {
    const run = (await (await api(`/runs/${id}`)).json()) as Run;
    if (test(run)) return run;
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  throw new Error('the run did not get there in time');
};
const bringIn = async (): Promise<{ id: string; conversion: { id: string; version: number; recipe: unknown } }> => {
  const { id } = (await (await upload({ 'sailor.glb': figure })).json()) as { id: string };
  return {
    id,
    conversion: await (await json('/conversions', 'POST', { characterId: id, targetId: 'quayside-crowd' })).json(),
  };
};

describe('the server', () => {
  it('serves its description, made from the schemas it checks with', async () => {
    const described = await (await api('/openapi.json')).json();
    expect(
      described.paths['/targets'].post.requestBody.content['application/json'].schema.properties.triangles,
    ).toBeDefined();
  });
  it('sends text packed, and streams as they come', async () => {
    const page = await (await fetch(address)).text(),
      [script] = /\/assets\/[^"]+\.js/.exec(page) ?? [];
    const answer = await fetch(address + script, { headers: { 'Accept-Encoding': 'gzip' } });
    expect(answer.headers.get('content-encoding')).toBe('gzip');
    expect(answer.headers.get('cache-control')).toMatch(/immutable/);
    expect(
      (await api('/openapi.json', { headers: { 'Accept-Encoding': 'gzip' } })).headers.get('content-encoding'),
    ).toBe('gzip');
    const stop = new AbortController(),
      events = await api('/events', { headers: { 'Accept-Encoding': 'gzip' }, signal: stop.signal });
    expect(events.headers.get('content-type')).toMatch('text/event-stream');
    expect(events.headers.get('content-encoding')).toBeNull();
    stop.abort();
  });
  it.each([
    ['an empty file', { 'a.glb': new Uint8Array(0) }, 'intake.empty-file'],
    ['a truncated model', { 'a.glb': figure.slice(0, 5000) }, 'gltf.truncated'],
    ['another type', { 'a.pdf': new TextEncoder().encode('%PDF') }, 'intake.unknown-type'],
  ])('refuses %s as problem+json and keeps nothing', async (_name, files, code) => {
    const before = ((await (await api('/characters')).json()) as unknown[]).length;
    const answer = await upload(files);
    expect(answer.status).toBe(422);
    expect(answer.headers.get('content-type')).toMatch('application/problem+json');
    expect(await answer.json()).toMatchObject({ code });
    expect(((await (await api('/characters')).json()) as unknown[]).length).toBe(before);
  });
  it('refuses two gigabytes before reading them, and lives on when a tab closes during an upload', async () => {
    const { hostname, port } = new URL(address);
    const send = (length: number, part: string) =>
      new Promise<number>((resolve) => {
        const call = request(
          {
            hostname,
            port,
            path: '/api/v1/characters',
            method: 'POST',
            headers: { 'Content-Type': 'multipart/form-data; boundary=x', 'Content-Length': length },
          },
          (answer) => {
            resolve(answer.statusCode ?? 0);
            call.destroy();
          },
        );
        call.on('error', () => resolve(0));
        call.write(part);
        if (length < 1e6) setTimeout(() => call.destroy(), 200);
      });
    expect(await send(2 * 1024 ** 3, '--x\r\n')).toBe(413);
    expect(
      await send(500_000, '--x\r\nContent-Disposition: form-data; name="files"; filename="a.glb"\r\n\r\nglTF'),
    ).toBe(0);
    expect((await api('/health')).status).toBe(200);
  });
  it('refuses other hosts and other sites', async () => {
    const { hostname, port } = new URL(address);
    const status = await new Promise((resolve) => {
      request({ hostname, port, path: '/api/v1/characters', headers: { Host: 'evil.example' } }, (answer) =>
        resolve(answer.statusCode),
      ).end();
    });
    expect(status).toBe(403);
    expect((await api('/conversions', { method: 'POST', headers: { Origin: 'http://evil.example' } })).status).toBe(
      403,
    );
  });
  it('makes one run of twenty clicks at once', async () => {
    const { id, conversion } = await bringIn();
    const answers = await Promise.all(
      Array.from({ length: 20 }, async () => {
        const answer = await json(`/conversions/${conversion.id}/runs`, 'POST', {});
        return { status: answer.status, ...((await answer.json()) as { id: string }) };
      }),
    );
    expect(new Set(answers.map((answer) => answer.id)).size).toBe(1);
    expect(answers.map((answer) => answer.status).sort()).toEqual([...Array(19).fill(200), 202]);
    const runs = (await (await api(`/conversions/${conversion.id}/runs`)).json()) as { id: string }[];
    expect(runs.map((run) => run.id)).toEqual([answers[0].id]);
    await until(answers[0].id, (run) => run.state === 'done');
    const again = (await (await json(`/conversions/${conversion.id}/runs`, 'POST', {})).json()) as { id: string };
    expect(again.id).not.toBe(answers[0].id);
    await until(again.id, (run) => run.state === 'done');
    expect((await api(`/characters/${id}`, { method: 'DELETE' })).status).toBe(204);
  });
  it('gives equal names a number, renames, and removes', async () => {
    const [a, b] = [
      await (await upload({ 'twin.glb': figure })).json(),
      await (await upload({ 'twin.glb': figure })).json(),
    ] as { id: string; name: string }[];
    expect([a.name, b.name]).toEqual(['Twin', 'Twin 2']);
    expect((await json(`/characters/${b.id}`, 'PATCH', { name: 'Twin' })).status).toBe(409);
    for (const { id } of [a, b]) expect((await api(`/characters/${id}`, { method: 'DELETE' })).status).toBe(204);
    expect((await api(`/characters/${a.id}`)).status).toBe(404);
  });
  it('keeps corrections of roles with a figure, and the next character with those joint names has them', async () => {
    let n = 0;
    const names = new Map<string, string>(),
      shuffled = await writeGlb(
        stickFigure({
          rings: 2,
          sides: 3,
          name: (role) => {
            const name = names.get(role) ?? `q${n++}w`;
            names.set(role, name);
            return name;
          },
        }),
      );
    const roleOf = async (id: string, joint: string) =>
      (
        (await (await api(`/characters/${id}`)).json()) as {
          revision: { summary: { joints: { name: string; role: string }[] } };
        }
      ).revision.summary.joints.find((entry) => entry.name === joint)?.role;
    const first = (await (await upload({ 'greaser.glb': shuffled })).json()) as { id: string },
      jaw = names.get('jaw') as string,
      index = names.get('leftIndexProximal') as string;
    expect((await json('/figures/remember', 'POST', { characterId: first.id, roles: { [jaw]: 'nose' } })).status).toBe(
      422,
    );
    expect((await json('/figures/remember', 'POST', { characterId: first.id, roles: {} })).status).toBe(422);
    const learned = (await (
      await json('/figures/remember', 'POST', { characterId: first.id, roles: { [jaw]: 'jaw' } })
    ).json()) as { id: string; joints: { name: string; role: string }[] };
    expect(learned.id).toBe('greaser-figure');
    expect(learned.joints.filter((joint) => joint.role === 'jaw').map((joint) => joint.name)).toEqual([jaw]);
    // A second correction goes to the same figure.
    const again = (await (
      await json('/figures/remember', 'POST', { characterId: first.id, roles: { [index]: 'leftMiddleProximal' } })
    ).json()) as { id: string };
    expect(again.id).toBe('greaser-figure');
    const second = (await (await upload({ 'oiler.glb': shuffled })).json()) as { id: string };
    expect([await roleOf(second.id, jaw), await roleOf(second.id, index)]).toEqual(['jaw', 'leftMiddleProximal']);
    expect((await json('/figures/tessel', 'PUT', { ...learned, id: 'tessel' })).status).toBe(409);
    expect((await json('/figures/greaser-figure', 'PUT', { ...learned, joints: [] })).status).toBe(422);
    expect((await json('/figures/another', 'PUT', learned)).status).toBe(409);
    expect((await json('/figures/never-there', 'PUT', { ...learned, id: 'never-there' })).status).toBe(404);
    expect((await api('/figures/greaser-figure', { method: 'DELETE' })).status).toBe(204);
    for (const { id } of [first, second]) await api(`/characters/${id}`, { method: 'DELETE' });
  });
  it('makes a character of each model that arrives, and removing one leaves the others whole', async () => {
    const usdz = writeUsdz(stickFigure({ rings: 2, sides: 3 }), 'stoker');
    const made = (await (
      await upload({
        'crew/bosun/bosun.glb': figure,
        'crew/stoker/stoker.usdz': usdz,
        'crew/cook/cook.glb': figure.slice(0, 4000),
      })
    ).json()) as { id: string; name: string; others: { id: string; name: string }[]; failed: { path: string }[] };
    expect([made.name, made.others.map((entry) => entry.name), made.failed.map((entry) => entry.path)]).toEqual([
      'Bosun',
      ['Stoker'],
      ['crew/cook/cook.glb'],
    ]);
    expect((await api(`/characters/${made.id}`, { method: 'DELETE' })).ok).toBe(true);
    const { revision } = (await (await api(`/characters/${made.others[0].id}`)).json()) as {
      revision: { id: string; summary: { parts: unknown[] } };
    };
    const manifest = (await (await api(`/revisions/${revision.id}/manifest`)).json()) as { buffers: { uri: string }[] };
    const hash = /[0-9a-f]{64}/.exec(manifest.buffers[0].uri)?.[0] as string;
    // its length, or all ones for a piece that is gone
    expect(
      new DataView(await (await json('/pieces', 'POST', { hashes: [hash] })).arrayBuffer()).getUint32(0, true),
    ).toBeLessThan(2 ** 31);
    expect(revision.summary.parts.length).toBeGreaterThan(0);
    await api(`/characters/${made.others[0].id}`, { method: 'DELETE' });
  });
  it('brings an image in again as a new revision, takes it back, and refuses what is no image', async () => {
    const { id } = (await (await upload({ 'painter.glb': figure })).json()) as { id: string };
    const paint = async (rgb: [number, number, number]) =>
      encodePixels(
        { width: 4, height: 4, channels: 3, data: Uint8Array.from(Array.from({ length: 16 }, () => rgb).flat()) },
        'image/png',
      );
    const send = async (name: string, bytes: Uint8Array, query = '') => {
      const form = new FormData();
      form.append('files', new Blob([bytes as Uint8Array<ArrayBuffer>]), name);
      return api(`/characters/${id}/images${query}`, { method: 'POST', body: form });
    };
    const put = await send('blue.png', await paint([0, 0, 255]), '?material=Skin&channel=baseColor');
    const first = (await put.json()) as { revisionId: string; number: number; before: string; placed: unknown[] };
    expect([put.status, first.number, first.placed]).toEqual([
      201,
      2,
      [{ material: 'Skin', channel: 'baseColor', file: 'blue.png' }],
    ]);
    const now = async () =>
      (
        (await (await api(`/characters/${id}`)).json()) as {
          revision: { number: number; summary: { textures: { name: string }[]; materials: { maps: object }[] } };
        }
      ).revision;
    expect(Object.keys((await now()).summary.materials[0].maps)).toEqual(['baseColor']);
    const again = (await (await send('BLUE.png', await paint([9, 9, 9]))).json()) as {
      number: number;
      replaced: { uses: unknown[] }[];
    };
    expect([again.number, again.replaced[0].uses.length]).toEqual([3, 1]);
    expect(
      (await (await send('blue.png', await paint([9, 9, 9]))).json()) as { number: number; same: string[] },
    ).toMatchObject({ number: 3, same: ['blue.png'] });
    const broken = await send('blue.png', (await paint([1, 2, 3])).slice(0, 40));
    expect([broken.status, (await broken.json()).code]).toEqual([422, 'image.unreadable']);
    expect((await send('a.png', await paint([1, 2, 3]), '?material=Skin&channel=shadow')).status).toBe(422);
    const back = await json(`/characters/${id}/revisions`, 'POST', { copyOf: first.before });
    expect([back.status, (await now()).number, Object.keys((await now()).summary.materials[0].maps)]).toEqual([
      201,
      4,
      [],
    ]);
    await api(`/characters/${id}`, { method: 'DELETE' });
  });
  it('refuses a recipe that was based on an older one, and one that makes no sense', async () => {
    const { conversion } = await bringIn();
    const save = (version: number, recipe: unknown = conversion.recipe) =>
      json(`/conversions/${conversion.id}/recipe`, 'PUT', { version, recipe });
    expect((await save(conversion.version)).status).toBe(200);
    expect((await save(conversion.version)).status).toBe(409);
    expect(
      (await save(conversion.version + 1, { schema: 1, steps: [{ id: 'weights.limit', settings: { max: -3 } }] }))
        .status,
    ).toBe(422);
  });
  it('checks targets and copies them', async () => {
    const [first] = (await (await api('/targets')).json()) as Record<string, unknown>[];
    const { shipped: _, ...data } = first;
    expect((await json('/targets', 'POST', { ...data, id: 'mine', triangles: { max: 0 } })).status).toBe(422);
    expect((await json('/targets', 'POST', { ...data, id: 'mine' })).status).toBe(201);
    expect((await json('/targets', 'POST', { ...data, id: 'mine' })).status).toBe(409);
    expect((await api('/targets/mine', { method: 'DELETE' })).status).toBe(204);
  });
  it("keeps figures, refuses what is none, and doesn't let go of one that a target uses", async () => {
    const [first] = (await (await api('/figures')).json()) as Record<string, unknown>[];
    const { shipped, ...data } = first;
    expect(shipped).toBe(true);
    expect(
      (
        await json('/figures', 'POST', {
          ...data,
          id: 'own',
          joints: [{ name: 'a', role: 'hips', parent: 'b', at: [0, 0, 0] }],
        })
      ).status,
    ).toBe(422);
    expect((await json('/figures', 'POST', data)).status).toBe(409);
    expect((await json('/figures', 'POST', { ...data, id: 'own' })).status).toBe(201);
    const [target] = (await (await api('/targets')).json()) as (Record<string, unknown> & { joints: object })[];
    const { shipped: _, ...aim } = target;
    expect(
      (await json('/targets', 'POST', { ...aim, id: 'with-own', joints: { ...target.joints, figure: 'own' } })).status,
    ).toBe(201);
    expect((await api('/figures/own', { method: 'DELETE' })).status).toBe(409);
    expect((await api('/targets/with-own', { method: 'DELETE' })).status).toBe(204);
    expect((await api('/figures/own', { method: 'DELETE' })).status).toBe(204);
    expect((await api('/figures/tessel', { method: 'DELETE' })).status).toBe(409);
    expect(
      (await json('/figures/learn', 'POST', { characterId: '00000000-0000-4000-8000-000000000000', title: 'x' }))
        .status,
    ).toBe(404);
  });
  it('runs two conversions at once without mixing them', async () => {
    const pair = [await bringIn(), await bringIn()];
    const ids = await Promise.all(
      pair.map(
        async ({ conversion }) =>
          ((await (await json(`/conversions/${conversion.id}/runs`, 'POST', {})).json()) as { id: string }).id,
      ),
    );
    const runs = await Promise.all(ids.map((id) => until(id, (run) => ['done', 'failed'].includes(run.state))));
    expect(runs.map((run) => run.state)).toEqual(['done', 'done']);
    const packages = await Promise.all(
      runs.map(
        async (run) => Buffer.from(await (await api(`/deliveries/${run.deliveryId}/package`)).arrayBuffer()).length,
      ),
    );
    expect(packages[0]).toBeGreaterThan(10_000);
    for (const run of runs) expect(run.checks.length).toBeGreaterThan(15);
  });
  it('stops a run when asked', async () => {
    const { conversion } = await bringIn();
    const { id } = (await (await json(`/conversions/${conversion.id}/runs`, 'POST', {})).json()) as { id: string };
    await json(`/runs/${id}/cancel`, 'POST', {});
    expect((await until(id, (run) => ['cancelled', 'done'].includes(run.state))).state).toBe('cancelled');
  });
  it('shows a result while it is still being measured', async () => {
    const { id: characterId } = (await (
      await upload({ 'shown.glb': await writeGlb(stickFigure({ rings: 44, sides: 26 })) })
    ).json()) as { id: string };
    const conversion = (await (
      await json('/conversions', 'POST', { characterId, targetId: 'headset-deck' })
    ).json()) as { id: string };
    const { id } = (await (await json(`/conversions/${conversion.id}/runs`, 'POST', {})).json()) as { id: string };
    const seen = await until(id, (run) => run.result !== null || run.state === 'failed');
    expect(seen).toMatchObject({ state: 'running', parity: null, checks: null });
    const early = await (await api(`/runs/${id}/manifest`)).json();
    const done = await until(id, (run) => ['done', 'failed'].includes(run.state), 180);
    expect(done.state).toBe('done');
    expect(done.result?.triangles).toBe(seen.result?.triangles);
    expect(await (await api(`/runs/${id}/manifest`)).json()).toEqual(early);
  });
  it('goes on after the worker was killed half way, without doing finished steps again', async () => {
    const slow = await writeGlb(stickFigure({ rings: 40, sides: 24 }));
    const { id: characterId } = (await (await upload({ 'slow.glb': slow })).json()) as { id: string };
    const conversion = (await (
      await json('/conversions', 'POST', { characterId, targetId: 'headset-deck' })
    ).json()) as { id: string };
    const { id } = (await (await json(`/conversions/${conversion.id}/runs`, 'POST', {})).json()) as { id: string };
    const half = await until(id, (run) => run.steps.length >= 2 || run.state === 'done');
    expect(half.state).toBe('running');
    process.kill(workerPid(inject('data')), 'SIGKILL');
    const done = await until(id, (run) => ['done', 'failed'].includes(run.state), 180);
    expect(done.state).toBe('done');
    expect(done.attempts).toBe(2);
    expect(done.steps.filter((step) => step.cached).length).toBeGreaterThanOrEqual(2);
  });
  it('finishes a run in the middle of which the database is restarted', async () => {
    const { id: characterId } = (await (
      await upload({ 'steady.glb': await writeGlb(stickFigure({ rings: 36, sides: 22 })) })
    ).json()) as { id: string };
    const conversion = (await (
      await json('/conversions', 'POST', { characterId, targetId: 'browser-viewer' })
    ).json()) as { id: string };
    const { id } = (await (await json(`/conversions/${conversion.id}/runs`, 'POST', {})).json()) as { id: string };
    expect((await until(id, (run) => run.steps.length >= 1 || run.state === 'done')).state).toBe('running');
    restartDatabase(inject('data'));
    for (let i = 0; i < 100; i++) {
      if ((await api('/health').catch(() => null))?.status === 200) break;
      await new Promise((resolve) => setTimeout(resolve, 200));
    }
    expect((await until(id, (run) => ['done', 'failed'].includes(run.state), 180)).state).toBe('done');
  });
});
