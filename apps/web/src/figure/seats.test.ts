import type { SeatPlaces } from '@dimetra/core';
import { describe, expect, it } from 'vitest';
import { AS_SEATED, draggedSeat, shownSeats } from './seats.ts';

const PLACES: SeatPlaces = {
  eyes: [
    { at: [0.03, 1.6, 0.1], radius: 0.012 },
    { at: [-0.03, 1.6, 0.1], radius: 0.012 },
  ],
  bite: { middle: [0, 1.53, 0.09], half: [0.02, 0.006, 0.015] },
};
const handle = (now = AS_SEATED, then = AS_SEATED) =>
  Object.fromEntries(
    shownSeats(PLACES, then, now).handles.map(({ id, at }) => [id, at.map((x) => Math.round(x * 1e5) / 1e5)]),
  );
const dragged = (
  id: Parameters<typeof draggedSeat>[3],
  to: [number, number, number],
  now = AS_SEATED,
  then = AS_SEATED,
) => draggedSeat(PLACES, then, now, id, to);

describe('handles of eyes and bite', () => {
  it('stand before what they move and at its rim, where the next run would put it', () => {
    expect(handle()).toEqual({
      'eyes forward 0': [0.03, 1.6, 0.112],
      'eyes larger 0': [0.042, 1.6, 0.1],
      'eyes forward 1': [-0.03, 1.6, 0.112],
      'eyes larger 1': [-0.042, 1.6, 0.1],
      'bite moved 0': [0, 1.53, 0.105],
      'bite larger 0': [0.02, 1.53, 0.09],
    });
    // What stands there was moved by 2 mm already, and is to be moved by 5.
    const then = { ...AS_SEATED, eyesForward: 2, eyesLarger: 1.2, biteUp: 1 },
      now = { ...AS_SEATED, eyesForward: 5, eyesLarger: 1.5, biteUp: -1 };
    expect(handle(now, then)['eyes forward 0']).toEqual([0.03, 1.6, 0.118]);
    expect(handle(now, then)['bite moved 0']).toEqual([0, 1.528, 0.105]);
  });
  it('move along what they move alone, in tenths of a millimetre', () => {
    expect(dragged('eyes forward 0', [0.5, 1.9, 0.1142])).toEqual({ eyesForward: 2.2 });
    expect(dragged('bite moved 0', [0.3, 1.5277, 0.1063])).toEqual({ biteUp: -2.3, biteForward: 1.3 });
    // Seen from a little above, up is a little back.
    expect(dragged('bite moved 0', [0, 1.535, 0.103])).toEqual({ biteUp: 5, biteForward: 0 });
    expect(dragged('bite moved 0', [0, 1.531, 0.1])).toEqual({ biteUp: 0, biteForward: -5 });
    expect(dragged('eyes larger 1', [-0.0432, 1, 0])).toEqual({ eyesLarger: 1.1 });
    expect(dragged('bite larger 0', [0.019, 1, 0])).toEqual({ biteLarger: 0.95 });
  });
  it('go on from where they are, and no further than the step does', () => {
    const now = { ...AS_SEATED, eyesForward: 3 };
    expect(dragged('eyes forward 1', [0, 0, 0.116], now)).toEqual({ eyesForward: 4 });
    expect(dragged('eyes forward 0', [0, 0, 9])).toEqual({ eyesForward: 20 });
    expect(dragged('bite larger 0', [0, 0, 0])).toEqual({ biteLarger: 0.5 });
    expect(dragged('eyes larger 0', [5, 0, 0])).toEqual({ eyesLarger: 2 });
    // What was larger in that run stays the measure.
    const then = { ...AS_SEATED, eyesLarger: 1.5 };
    expect(dragged('eyes larger 0', [0.042, 0, 0], then, then)).toEqual({ eyesLarger: 1.5 });
  });
  it('are none where there is nothing to be moved', () => {
    expect(shownSeats({ eyes: [], bite: null }, AS_SEATED, AS_SEATED)).toEqual({ lines: [], handles: [] });
    expect(draggedSeat({ eyes: [], bite: null }, AS_SEATED, AS_SEATED, 'eyes forward 0', [0, 0, 0])).toEqual({});
  });
});
