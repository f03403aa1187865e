import { type BodyWanted, listParts, REGIONS, type Region, type RegionWeights, trianglesOf } from '@dimetra/core';
import { type Remote, wrap } from 'comlink';
import { useEffect, useRef, useState } from 'react';
import type { MixedFigure, MixWorker } from '../workers/mix.worker.ts';
import type { LoadedFigure } from './load.ts';
import { fetchPacked } from './packed.ts';
import type { StandSettings } from './stand.ts';

export interface MixPreview {
  /** The mix as the stage shows it; null while there is none. */
  mixed: MixedFigure | null;
  /** Region of each vertex: part id → by vertex; null until the figures are open. */
  regions: ReadonlyMap<string, Uint8Array> | null;
  busy: boolean;
  /** Whether others are mixed in, beside a height or build. */
  people: boolean;
  /** Why there is no mix. */
  error: string | null;
}
export interface MixedPerson {
  /** Revision. */
  id: string;
  name: string;
  weights: RegionWeights;
}
export const NO_MIX: MixPreview = { mixed: null, regions: null, busy: false, people: false, error: null };

/** A worker that holds one figure and those it is mixed with. */
class Mixer {
  private readonly worker = new Worker(new URL('../workers/mix.worker.ts', import.meta.url), { type: 'module' });
  private readonly remote: Remote<MixWorker> = wrap<MixWorker>(this.worker);
  private readonly opened: Promise<void>;
  private known: Promise<Map<string, Uint8Array>> | null = null;
  constructor(
    readonly key: string,
    url: string,
    stand: StandSettings,
  ) {
    this.opened = fetchPacked(url).then((packed) => this.remote.open(packed, stand));
    this.opened.catch(() => {});
  }
  async mix(people: readonly MixedPerson[], softness: number, body: BodyWanted | null): Promise<MixedFigure> {
    await this.opened;
    for (const { id } of people)
      if (!(await this.remote.has(id)))
        await this.remote.add(id, await fetchPacked(`/api/v1/revisions/${id}/manifest`));
    return this.remote.mix(people, softness, body);
  }
  /** Asked once: they don't change with the mix. */
  regions(): Promise<Map<string, Uint8Array>> {
    this.known ??= this.opened.then(() => this.remote.regions());
    return this.known;
  }
  close(): void {
    this.worker.terminate();
  }
}

/** The mix of people, or the height and build, as set, computed in a worker while `wanted`; the last one stays until the next is there. */
export function useMixPreview(
  url: string | null,
  stand: StandSettings,
  people: readonly MixedPerson[],
  softness: number,
  body: BodyWanted | null,
  wanted: boolean,
): MixPreview {
  const mixer = useRef<Mixer | null>(null),
    [preview, setPreview] = useState<MixPreview>(NO_MIX);
  const key = JSON.stringify([url, stand]),
    asked = JSON.stringify([people, softness, body]),
    on = wanted && url !== null && (people.length > 0 || body !== null);
  useEffect(
    () => () => {
      mixer.current?.close();
      mixer.current = null;
    },
    [],
  );
  useEffect(() => {
    if (!on) {
      setPreview((before) =>
        before.mixed || before.error || before.busy ? { ...NO_MIX, regions: before.regions } : before,
      );
      return;
    }
    let left = false;
    const [address, standing] = JSON.parse(key) as [string, StandSettings],
      [among, soft, tall] = JSON.parse(asked) as [MixedPerson[], number, BodyWanted | null];
    if (mixer.current?.key !== key) {
      mixer.current?.close();
      mixer.current = new Mixer(key, address, standing);
      setPreview(NO_MIX);
    }
    const now = mixer.current,
      tell = (change: Partial<MixPreview>) => {
        if (!left) setPreview((before) => ({ ...before, ...change }));
      };
    tell({ busy: true, people: among.length > 0, error: null });
    // A hand that still moves asks for many; the last one counts.
    const soon = setTimeout(async () => {
      try {
        const mixed = await now.mix(among, soft, tall);
        tell({ mixed, busy: false, regions: await now.regions() });
      } catch (error) {
        tell({ mixed: null, busy: false, error: (error as Error).message });
      }
    }, SOON_MS);
    return () => {
      left = true;
      clearTimeout(soon);
    };
  }, [on, key, asked]);
  return preview;
}
const SOON_MS = 60;

/** The region that a triangle of the figure lies in. */
export function regionAt(
  figure: LoadedFigure | null,
  { regions }: MixPreview,
  at: { part: string; face: number },
): Region | null {
  const part = figure && listParts(figure.document).find(({ id }) => id === at.part),
    vertex = part && trianglesOf(part.prim)[at.face * 3],
    region = typeof vertex === 'number' ? regions?.get(at.part)?.[vertex] : undefined;
  return region === undefined ? null : REGIONS[region];
}
