import { configureStore } from '@reduxjs/toolkit';
import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { api } from '../api/api.ts';
import { take } from './events.ts';
import type { AppDispatch } from './store.ts';

const asked: string[] = [];
const run = { id: 'r1', state: 'running', progress: 0.1, message: 'reading', done: 0, known: 0 };
beforeEach(() => {
  vi.stubGlobal('fetch', async (request: Request) => {
    const path = new URL(request.url).pathname.replace('/api/v1/', '');
    asked.push(path);
    if (path === 'characters')
      return Response.json([
        {
          id: 'x',
          conversions: [
            { runId: 'r1', progress: 0.1 },
            { runId: 'r2', progress: 0.2 },
          ],
        },
      ]);
    return Response.json(path === 'runs/r1' ? run : [run]);
  });
  vi.stubGlobal(
    'Request',
    class extends Request {
      constructor(input: string, init?: RequestInit) {
        super(new URL(input, 'http://127.0.0.1').href, init);
      }
    },
  );
});
afterEach(() => vi.unstubAllGlobals());

const quiet = () => new Promise((resolve) => setTimeout(resolve, 30));
async function opened() {
  const store = configureStore({
    reducer: { [api.reducerPath]: api.reducer },
    middleware: (before) => before().concat(api.middleware),
  });
  const dispatch = store.dispatch as unknown as AppDispatch;
  await Promise.all([
    dispatch(api.endpoints.run.initiate('r1')),
    dispatch(api.endpoints.run.initiate('r2')),
    dispatch(api.endpoints.runsOf.initiate('c1')),
    dispatch(api.endpoints.runs.initiate(1)),
    dispatch(api.endpoints.characters.initiate()),
  ]);
  asked.length = 0;
  return { store, dispatch };
}

it('progress is shown everywhere the run is, and nothing is asked for', async () => {
  const { store, dispatch } = await opened();
  take(dispatch, {
    type: 'progress',
    id: 'r1',
    conversionId: 'c1',
    progress: 0.6,
    message: 'reducing',
    station: 'reduce',
  });
  await quiet();
  expect(asked).toEqual([]);
  const state = store.getState() as never;
  expect(api.endpoints.run.select('r1')(state).data).toMatchObject({
    progress: 0.6,
    message: 'reducing',
    station: 'reduce',
  });
  expect(api.endpoints.runsOf.select('c1')(state).data?.[0].progress).toBe(0.6);
  expect(api.endpoints.runs.select(1)(state).data?.[0].message).toBe('reducing');
  // And in the cast's cell of that run alone.
  expect(
    api.endpoints.characters
      .select()(state)
      .data?.[0].conversions.map(({ progress }) => progress),
  ).toEqual([0.6, 0.2]);
});
it('a finished step asks for that run and the lists; an end for the cast too; never for other runs', async () => {
  const { dispatch } = await opened();
  take(dispatch, { type: 'run', id: 'r1', steps: true });
  await quiet();
  expect([...asked].sort()).toEqual(['conversions/c1/runs', 'runs', 'runs/r1']);
  asked.length = 0;
  take(dispatch, { type: 'run', id: 'r1' });
  await quiet();
  expect([...asked].sort()).toEqual(['characters', 'conversions/c1/runs', 'runs', 'runs/r1']);
});
