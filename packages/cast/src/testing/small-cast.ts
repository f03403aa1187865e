import { readCharacter, type ReadResult } from '@dimetra/core';
import { encodePixels, sha256, sharpCodec } from '@dimetra/platform';
import { beforeAll } from 'vitest';
import { keptArrival } from './kept-arrivals.ts';
import { type Arrival, makeArrival, PEOPLE, type PersonId } from '../index.ts';

export const context = { images: sharpCodec, hash: sha256, progress() {}, log() {} };

const made = new Map<PersonId, Promise<{ arrival: Arrival; read: ReadResult }>>();
/** Everybody, small, as they arrive, by id, once the tests of a file begin; made once for all files that one worker runs, so that nobody may change them. */
export function useSmallCast(): (id: PersonId) => { arrival: Arrival; read: ReadResult } {
  const cast = new Map<PersonId, { arrival: Arrival; read: ReadResult }>();
  beforeAll(async () => {
    // Workers begin at different ends, and find what the other has made.
    const order = process.pid % 2 ? PEOPLE : [...PEOPLE].reverse();
    for (const { id } of order) {
      if (!made.has(id)) made.set(id, make(id));
      cast.set(id, await (made.get(id) as NonNullable<ReturnType<typeof made.get>>));
    }
  }, 300_000);
  return (id) => cast.get(id) as NonNullable<ReturnType<typeof cast.get>>;
}

async function make(id: PersonId) {
  const arrival = await keptArrival(id, () =>
    makeArrival(id, { size: 'small', encode: encodePixels, decode: sharpCodec.decode }),
  );
  return { arrival, read: await readCharacter(arrival.files) };
}
