import { readCharacter, type ReadResult } from '@dimetra/core';
import { encodePixels, sha256, sharpCodec } from '@dimetra/platform';
import { type Arrival, makeArrival, PEOPLE, type PersonId } from '../index.ts';

export const context = { images: sharpCodec, hash: sha256, progress() {}, log() {} };

const made = new Map<PersonId, Promise<{ arrival: Arrival; read: ReadResult }>>();
/** Everybody, small, as they arrive; made once for all tests that one worker runs, so that nobody may change them. */
export async function smallCast(): Promise<Map<PersonId, { arrival: Arrival; read: ReadResult }>> {
  const out = new Map<PersonId, { arrival: Arrival; read: ReadResult }>();
  for (const { id } of PEOPLE) {
    if (!made.has(id)) made.set(id, make(id));
    out.set(id, await (made.get(id) as NonNullable<ReturnType<typeof made.get>>));
  }
  return out;
}

async function make(id: PersonId) {
  const arrival = await makeArrival(id, { size: 'small', encode: encodePixels, decode: sharpCodec.decode });
  return { arrival, read: await readCharacter(arrival.files) };
}
