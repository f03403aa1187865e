import { type LeftRegion, type Pin, type Placeable, type PlaceOn, placeableSkin, whereOn } from '@dimetra/core';
import type { Document } from '@gltf-transform/core';
import { useCallback, useMemo, useState } from 'react';
import type { PinDraft, PinMark, PinsAtWork, PinSide } from '../figure/pins.ts';
import { useSettings } from '../store/use-settings.ts';

/** How far around a region that is left alone, before somebody says otherwise, millimetres. */
const AROUND = 20;

/** @param wanted whether the station is open
 * @param stands who stands on the stage: where pinned places lie on them is shown, as far as they can be found */
export function usePins(wanted: boolean, stands: Record<PinSide, Document | undefined>): PinsAtWork {
  const [settings, set] = useSettings('fit.pins'),
    [draft, setDraft] = useState<PinDraft | null>(null),
    [chosen, choose] = useState<string | null>(null),
    pins = (settings.pins ?? NONE) as readonly Pin[],
    leave = (settings.leave ?? NONE) as readonly LeftRegion[];
  const source = useSkin(stands.source, wanted),
    result = useSkin(stands.result, wanted);
  const put = useCallback(
    (list: 'pins' | 'leave', next: readonly (Pin | LeftRegion)[]) =>
      set(list, (next.length ? [...next] : undefined) as never),
    [set],
  );
  const take = useCallback(
    (side: PinSide, place: PlaceOn) => {
      if (!draft) return;
      const key = side === 'result' ? 'of' : 'to';
      if (draft.kind === 'leave') {
        if (side !== 'result') return;
        put('leave', [...leave, { at: place, around: AROUND }]);
        return setDraft(null);
      }
      const next = { ...draft, [key]: draft.kind === 'curve' ? [...draft[key], place] : [place] };
      if (draft.kind === 'pin' && next.of.length && next.to.length) {
        put('pins', [...pins, { of: next.of, to: next.to }]);
        return setDraft(null);
      }
      setDraft(next);
    },
    [draft, pins, leave, put],
  );
  const canFinish = draft?.kind === 'curve' && draft.of.length > 1 && draft.to.length > 1;
  return useMemo(() => {
    const pointed = wanted ? draft : null;
    return {
      pins,
      leave,
      draft: pointed,
      asked: pointed && pointed.kind !== 'curve' ? (pointed.of.length ? 'source' : 'result') : null,
      nextSide: pointed && pointed.of.length > pointed.to.length ? 'source' : 'result',
      canFinish,
      begin: (kind) => setDraft({ kind, of: [], to: [] }),
      take,
      finish() {
        if (!draft || !canFinish) return;
        put('pins', [...pins, { of: draft.of, to: draft.to }]);
        setDraft(null);
      },
      cancel: () => setDraft(null),
      putAround(list, number, around) {
        put(list, (list === 'pins' ? pins : leave).map((one, i) => (i === number ? { ...one, around } : one)) as never);
      },
      remove(list, number) {
        put(
          list,
          (list === 'pins' ? pins : leave).filter((_, i) => i !== number),
        );
      },
      chosen,
      choose,
      marks: wanted ? marksOf({ pins, leave, draft: pointed, chosen }, { source, result }) : null,
    } satisfies PinsAtWork;
  }, [wanted, draft, pins, leave, canFinish, take, put, chosen, source, result]);
}

const useSkin = (document: Document | undefined, wanted: boolean): Placeable | null =>
  useMemo(() => (document && wanted ? placeableSkin(document) : null), [document, wanted]);
const NONE: readonly never[] = Object.freeze([]);

function marksOf(
  { pins, leave, draft, chosen }: Pick<PinsAtWork, 'pins' | 'leave' | 'draft' | 'chosen'>,
  skins: Record<PinSide, Placeable | null>,
): NonNullable<PinsAtWork['marks']> {
  const on = (side: PinSide, places: readonly PlaceOn[]) =>
      places.map((place) => {
        const skin = skins[side];
        return (skin && whereOn(skin, place)?.at) ?? place.at;
      }),
    kindOf = (key: string, kind: PinMark['kind']) => (chosen === key ? 'chosen' : kind),
    drafted = (places: readonly PlaceOn[]): PinMark[] =>
      places.length ? [{ places: places.map(({ at }) => at), kind: 'draft' }] : [];
  return {
    result: [
      ...pins.map(({ of }, i) => ({ places: on('result', of), kind: kindOf(`pins ${i}`, 'pin') })),
      ...leave.map(({ at }, i) => ({ places: on('result', [at]), kind: kindOf(`leave ${i}`, 'region') })),
      ...drafted(draft?.of ?? []),
    ],
    source: [
      ...pins.map(({ to }, i) => ({ places: on('source', to), kind: kindOf(`pins ${i}`, 'pin') })),
      ...drafted(draft?.to ?? []),
    ],
  };
}
