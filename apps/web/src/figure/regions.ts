import type { SlotChoice } from '@dimetra/core';
import { wrap, type Remote } from 'comlink';
import { useEffect, useRef, useState } from 'react';
import type { Region, RegionHit, RegionsWorker } from '../workers/regions.worker.ts';
import { fetchPacked } from './packed.ts';

export type { Region, RegionHit } from '../workers/regions.worker.ts';

/** A worker that holds one character; opened when first asked, closed with the page that asked. */
class RegionFinder {
  private readonly worker = new Worker(new URL('../workers/regions.worker.ts', import.meta.url), { type: 'module' });
  private readonly remote: Remote<RegionsWorker> = wrap<RegionsWorker>(this.worker);
  private readonly opened: Promise<void>;
  constructor(
    readonly url: string,
    readonly reference: string | null,
  ) {
    const load = async (address: string) => {
      const { manifest, pieces } = await fetchPacked(address);
      return [manifest, pieces] as const;
    };
    this.opened = (async () => {
      await this.remote.open(...(await load(url)));
      if (reference) await this.remote.compareWith(...(await load(`/api/v1/revisions/${reference}/manifest`)));
    })();
    this.opened.catch(() => {});
  }
  async misplaced(choices: readonly SlotChoice[], search: boolean): Promise<Region[]> {
    await this.opened;
    return this.remote.misplaced(choices, search);
  }
  async regionAt(at: { part: string; face: number }): Promise<RegionHit | null> {
    await this.opened;
    return this.remote.regionAt(at);
  }
  close(): void {
    this.worker.terminate();
  }
}

export interface Regions {
  /** What the run would give another material; null while it is looked for, and while nobody wants to know. */
  misplaced: Region[] | null;
  /** The region of the face that was clicked. */
  chosen: RegionHit | null;
  error: string | null;
}

/** Regions of materials of the character at `url`, looked for in a worker while `wanted`, compared with the revision `reference` where one is given. */
export function useRegions(
  url: string | null,
  wanted: boolean,
  choices: readonly SlotChoice[],
  search: boolean,
  reference: string | null,
  face: { part: string; face: number } | null,
): Regions {
  const finder = useRef<RegionFinder | null>(null);
  const [misplaced, setMisplaced] = useState<Region[] | null>(null),
    [chosen, setChosen] = useState<RegionHit | null>(null),
    [error, setError] = useState<string | null>(null);
  const key = JSON.stringify([choices, search]);
  const open = (address: string): RegionFinder => {
    if (finder.current?.url !== address || finder.current.reference !== reference) {
      finder.current?.close();
      finder.current = new RegionFinder(address, reference);
      setMisplaced(null);
      setError(null);
    }
    return finder.current as RegionFinder;
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: `open` reads nothing but a ref
  useEffect(() => {
    if (!url || !wanted) return;
    let left = false;
    const [given, looking] = JSON.parse(key) as [SlotChoice[], boolean];
    open(url)
      .misplaced(given, looking)
      .then(
        (found) => {
          if (!left) {
            setMisplaced(found);
            setError(null);
          }
        },
        (failure: Error) => {
          if (!left) setError(`Regions can't be found: ${failure.message}`);
        },
      );
    return () => {
      left = true;
    };
  }, [url, wanted, key, reference]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: `open` reads nothing but a ref
  useEffect(() => {
    if (!url || !wanted || !face) {
      setChosen(null);
      return;
    }
    let left = false;
    open(url)
      .regionAt(face)
      .then(
        (hit) => {
          if (!left) setChosen(hit);
        },
        () => {},
      );
    return () => {
      left = true;
    };
  }, [url, wanted, face, reference]);
  useEffect(
    () => () => {
      finder.current?.close();
      finder.current = null;
    },
    [],
  );
  return { misplaced, chosen, error };
}

/** Faces by part, of one region or several. */
export function facesOf(regions: readonly Region[]): Map<string, readonly number[]> {
  const out = new Map<string, readonly number[]>();
  for (const region of regions)
    for (const { id, faces } of region.parts) out.set(id, [...(out.get(id) ?? []), ...faces]);
  return out;
}
