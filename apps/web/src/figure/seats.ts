import type { SeatPlaces } from '@dimetra/core';

/** How a figure's eyes and bite are nudged: millimetres, and times as large. */
export interface SeatNudge {
  eyesLarger: number;
  eyesForward: number;
  biteLarger: number;
  biteForward: number;
  biteUp: number;
}
type Point = readonly [x: number, y: number, z: number];
type What = 'eyes forward' | 'eyes larger' | 'bite moved' | 'bite larger';
/** A dot on the stage that is dragged. */
export interface SeatHandle {
  id: `${What} ${number}`;
  what: What;
  /** Which eye. */
  of: number;
  at: Point;
}
export interface SeatsShown {
  /** Pairs of places: outlines of what would stand there. */
  lines: readonly Point[];
  handles: readonly SeatHandle[];
}
/** Eyes and bite on the stage, where they would stand, and what their handles do. */
export interface SeatsAtWork {
  shown: SeatsShown | null;
  /** Shows it elsewhere while a handle is dragged. */
  hold(id: SeatHandle['id'], at: Point): void;
  put(id: SeatHandle['id'], at: Point): void;
}

export const AS_SEATED: SeatNudge = { eyesLarger: 1, eyesForward: 0, biteLarger: 1, biteForward: 0, biteUp: 0 };
const SEGMENTS = 28;
/** What goes this many times further one way than the other goes that way alone: nobody looks exactly from the front. */
const STRAIGHT = 2;
/** As far as the step goes. */
const clampMm = (mm: number) => Math.round(Math.max(-20, Math.min(20, mm)) * 10) / 10,
  clampTimes = (times: number) => Math.round(Math.max(0.5, Math.min(2, times)) * 100) / 100;

const eyeNow = ({ at: [x, y, z], radius }: SeatPlaces['eyes'][number], then: SeatNudge, now: SeatNudge) => ({
  at: [x, y, z + (now.eyesForward - then.eyesForward) / 1000] as Point,
  radius: (radius * now.eyesLarger) / then.eyesLarger,
});
const biteNow = ({ middle: [x, y, z], half }: NonNullable<SeatPlaces['bite']>, then: SeatNudge, now: SeatNudge) => ({
  middle: [x, y + (now.biteUp - then.biteUp) / 1000, z + (now.biteForward - then.biteForward) / 1000] as Point,
  half: half.map((h) => (h * now.biteLarger) / then.biteLarger) as unknown as Point,
});

/**
 * What stands where, and the dots that move it: one before each eye and before the teeth, one at the rim of each.
 * @param places of the figure that stands there @param then how it was nudged in that run @param now how it would be in the next
 */
export function shownSeats({ eyes, bite }: SeatPlaces, then: SeatNudge, now: SeatNudge): SeatsShown {
  const lines: Point[] = [],
    handles: SeatHandle[] = [],
    put = (what: What, of: number, at: Point) => handles.push({ id: `${what} ${of}`, what, of, at });
  eyes.forEach((eye, i) => {
    const {
      at: [x, y, z],
      radius: r,
    } = eyeNow(eye, then, now);
    for (let k = 0; k < SEGMENTS; k++)
      for (const across of [true, false])
        for (const step of [k, k + 1]) {
          const c = r * Math.cos((2 * Math.PI * step) / SEGMENTS),
            s = r * Math.sin((2 * Math.PI * step) / SEGMENTS);
          lines.push(across ? [x + c, y + s, z] : [x, y + s, z + c]);
        }
    put('eyes forward', i, [x, y, z + r]);
    put('eyes larger', i, [x + (x < 0 ? -r : r), y, z]);
  });
  if (bite) {
    const {
        middle: [x, y, z],
        half: [a, b, c],
      } = biteNow(bite, then, now),
      corner = (i: number): Point => [x + (i & 1 ? a : -a), y + (i & 2 ? b : -b), z + (i & 4 ? c : -c)];
    for (let i = 0; i < 8; i++) for (const bit of [1, 2, 4]) if (!(i & bit)) lines.push(corner(i), corner(i | bit));
    put('bite moved', 0, [x, y, z + c]);
    put('bite larger', 0, [x + a, y, z]);
  }
  return { lines, handles };
}

/** What of the nudge changes where a handle is dragged somewhere: along what it moves alone, as far as the step goes. */
export function draggedSeat(
  places: SeatPlaces,
  then: SeatNudge,
  now: SeatNudge,
  id: SeatHandle['id'],
  to: Point,
): Partial<SeatNudge> {
  const handle = shownSeats(places, then, now).handles.find((one) => one.id === id);
  if (!handle) return {};
  const { what, of, at } = handle;
  if (what === 'eyes forward') return { eyesForward: clampMm(now.eyesForward + (to[2] - at[2]) * 1000) };
  if (what === 'bite moved') {
    const up = to[1] - at[1],
      forward = to[2] - at[2],
      along = (far: number, other: number) => (Math.abs(other) > STRAIGHT * Math.abs(far) ? 0 : far * 1000);
    return {
      biteUp: clampMm(now.biteUp + along(up, forward)),
      biteForward: clampMm(now.biteForward + along(forward, up)),
    };
  }
  if (what === 'eyes larger') {
    const { at: middle } = eyeNow(places.eyes[of], then, now);
    return { eyesLarger: clampTimes((then.eyesLarger * Math.abs(to[0] - middle[0])) / places.eyes[of].radius) };
  }
  const { bite } = places;
  return bite ? { biteLarger: clampTimes((then.biteLarger * Math.abs(to[0] - bite.middle[0])) / bite.half[0]) } : {};
}
