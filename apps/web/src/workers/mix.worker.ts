import {
  type BodyWanted,
  prepareMix,
  type PreparedMix,
  mixShape,
  movementsByPart,
  ownPerson,
  personBeside,
  previewBody,
  refuseOthers,
  type RegionWeights,
  standAsFound,
} from '@dimetra/core';
import type { Document } from '@gltf-transform/core';
import { expose } from 'comlink';
import { type PackedFigure, unpacked } from './packed.ts';

export interface MixedFigure {
  /** How far vertices go, in their mesh: part id → xyz by vertex, metres. */
  offsets: Map<string, Float32Array>;
  /** Narrowest border between regions, metres; Infinity without one. */
  border: number;
  /** What height a body that was asked for has, centimetres. */
  heightCm?: number;
}

let own: Document | null = null,
  last: { key: string; made: PreparedMix } | null = null;
const others = new Map<string, Document>();

/** Holds the figures of a mix, and mixes them off the page's own thread. */
const work = {
  async open(packed: PackedFigure, stand: NonNullable<Parameters<typeof standAsFound>[1]>): Promise<void> {
    own = await unpacked(packed);
    standAsFound(own, stand);
    last = null;
  },
  has: (id: string): boolean => others.has(id),
  async add(id: string, packed: PackedFigure): Promise<void> {
    others.set(id, await unpacked(packed));
  },
  /** Region of each vertex, by its place in REGIONS: part id → by vertex. */
  regions(): Map<string, Uint8Array> {
    // Whoever is mixed in, they are those of the figure itself.
    const { own: me, regions } = last?.made ?? preparedFor([]);
    return new Map(me.sheets.map(({ part, first, vertices }) => [part.id, regions.slice(first, first + vertices)]));
  },
  /** @throws a sentence where one of them is no figure of this topology */
  mix(
    people: readonly { id: string; name: string; weights: RegionWeights }[],
    softness: number,
    body: BodyWanted | null,
  ): MixedFigure {
    const mixed = people.length ? mixOf(people, softness) : null;
    if (!body) return mixed ?? { offsets: new Map(), border: Infinity };
    if (!own) throw new Error('the figure is not here yet');
    return { border: mixed?.border ?? Infinity, ...previewBody(own, mixed?.offsets ?? null, body) };
  },
};

function mixOf(people: readonly { id: string; name: string; weights: RegionWeights }[], softness: number): MixedFigure {
  const made = preparedFor(people),
    { moved, border } = mixShape(
      made,
      people.map(({ weights }) => weights),
      softness,
    );
  return { offsets: movementsByPart(made.own, moved), border };
}

function preparedFor(people: readonly { id: string; name: string }[]): PreparedMix {
  const key = people.map(({ id }) => id).join();
  if (last?.key === key) return last.made;
  if (!own) throw new Error('the figure is not here yet');
  const me = ownPerson(own),
    made = prepareMix(
      me,
      people.map(({ id, name }) => personBeside(others.get(id) as Document, name, me)),
    );
  refuseOthers(made);
  last = { key, made };
  return made;
}
export type MixWorker = typeof work;
expose(work);
