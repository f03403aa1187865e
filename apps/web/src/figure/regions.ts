import { piecesOf, type SlotChoice } from '@dimetra/core';
import type { GLTF } from '@gltf-transform/core';
import { wrap, type Remote } from 'comlink';
import { useEffect, useRef, useState } from 'react';
import type { Region, RegionHit, RegionsWorker } from '../workers/regions.worker.ts';
import { fetchPieces } from './load.ts';

export type { Region, RegionHit } from '../workers/regions.worker.ts';

/** A worker that holds one character; opened when first asked, closed with the page that asked. */
class RegionFinder {
  private readonly worker = new Worker(new URL('../workers/regions.worker.ts', import.meta.url), { type: 'module' });
  private readonly remote: Remote<RegionsWorker> = wrap<RegionsWorker>(this.worker);
  private readonly opened: Promise<void>;
  constructor(url: string) {
    this.opened = (async () => {
      const manifest = (await (await fetch(url)).json()) as GLTF.IGLTF;
      await this.remote.open(manifest, await fetchPieces(piecesOf({ ...manifest, images: [] })));
    })();
    this.opened.catch(() => {});
  }
  async misplaced(choices: readonly SlotChoice[], search: boolean): Promise<Region[]> { await this.opened; return this.remote.misplaced(choices, search); }
  async regionAt(at: { part: string; face: number }): Promise<RegionHit | null> { await this.opened; return this.remote.regionAt(at); }
  close(): void { this.worker.terminate(); }
}

/** Regions that the run would give another material, and a way to ask for the region of a face; only while `wanted`. */
export function useRegions(url: string | null, wanted: boolean, choices: readonly SlotChoice[], search: boolean): { regions: Region[] | null; error: string | null; regionAt(at: { part: string; face: number }): Promise<RegionHit | null> } {
  const finder = useRef<{ url: string; made: RegionFinder } | null>(null);
  const [regions, setRegions] = useState<Region[] | null>(null), [error, setError] = useState<string | null>(null);
  const key = JSON.stringify([choices, search]);
  useEffect(() => {
    if (!url || !wanted) return;
    if (finder.current?.url !== url) { finder.current?.made.close(); finder.current = { url, made: new RegionFinder(url) }; setRegions(null); }
    let left = false;
    const [chosen, looking] = JSON.parse(key) as [SlotChoice[], boolean];
    finder.current.made.misplaced(chosen, looking).then((found) => { if (!left) { setRegions(found); setError(null); } }, (failure: Error) => { if (!left) setError(`Regions can't be found: ${failure.message}`); });
    return () => { left = true; };
  }, [url, wanted, key]);
  useEffect(() => () => { finder.current?.made.close(); finder.current = null; }, []);
  return { regions, error, regionAt: async (at) => finder.current?.made.regionAt(at) ?? null };
}
