import { BRIDGE, LADDER, POSTS, QUAY, START, type Area } from './plan.ts';

export type Doing = 'idle' | 'turn' | 'walk' | 'run' | 'climb';
export interface Walker {
  x: number;
  y: number;
  z: number;
  /** Radians about +Y; 0 looks along +Z. */
  heading: number;
  doing: Doing;
  /** How fast the motion plays: of a climb also backwards, or not at all. */
  rate: number;
}
/** Where somebody wants to go, along the ground: at most 1 long. */
export interface Wish {
  x: number;
  z: number;
  run: boolean;
}
/** Metres a second, as the motions stride. */
export interface Pace {
  walk: number;
  run: number;
  climb: number;
}

const TURNS = 7,
  /** From here on it turns before it goes, radians. */
  TURNS_FIRST = 1.2,
  /** How near to the ladder hands reach it. */
  REACH = 0.5,
  /** Who climbs stands off the ladder by this. */
  OFF = 0.34,
  BODY = 0.25;
const NORTH = Math.PI;

export const atStart = (): Walker => ({ x: START.x, y: 0, z: START.z, heading: 0, doing: 'idle', rate: 1 });

/** One moment further: walks, runs, turns on the spot, climbs the ladder; stays off edges and things. */
export function step(walker: Walker, wish: Wish, seconds: number, pace: Pace): Walker {
  const strength = Math.min(1, Math.hypot(wish.x, wish.z));
  if (walker.doing === 'climb') return climbOn(walker, wish, seconds, pace);
  const climbs = strength > 0.2 && takesLadder(walker, wish);
  if (climbs) return climbs;
  if (strength < 0.05) return { ...walker, doing: 'idle', rate: 1 };
  const wanted = Math.atan2(wish.x, wish.z),
    off = around(wanted - walker.heading),
    turn = Math.sign(off) * Math.min(Math.abs(off), TURNS * seconds),
    heading = around(walker.heading + turn);
  if (Math.abs(off) > TURNS_FIRST) return { ...walker, heading, doing: 'turn', rate: 0.7 };
  const speed = (wish.run ? pace.run : pace.walk) * strength,
    area = walker.y > 0 ? BRIDGE : QUAY,
    { x, z } = clear(
      walker.x + Math.sin(heading) * speed * seconds,
      walker.z + Math.cos(heading) * speed * seconds,
      area,
      walker.y > 0,
    );
  return { ...walker, x, z, heading, doing: wish.run ? 'run' : 'walk', rate: strength };
}

/** The shorter way round, −π … π. */
export const around = (angle: number): number => {
  const a = (angle + Math.PI) % (2 * Math.PI);
  return (a < 0 ? a + 2 * Math.PI : a) - Math.PI;
};

function clear(x: number, z: number, area: Area, above: boolean): { x: number; z: number } {
  let cx = Math.max(area.west + BODY, Math.min(area.east - BODY, x)),
    cz = Math.max(area.north + BODY, Math.min(area.south - BODY, z));
  if (!above)
    for (const post of POSTS) {
      const dx = cx - post.x,
        dz = cz - post.z,
        far = Math.hypot(dx, dz),
        least = post.radius + BODY;
      if (far < least && far > 1e-6) {
        cx = post.x + (dx / far) * least;
        cz = post.z + (dz / far) * least;
      }
    }
  return { x: cx, z: cz };
}

/** Up from its foot, down from its head, when somebody walks at it. */
function takesLadder(walker: Walker, wish: Wish): Walker | null {
  if (Math.abs(walker.x - LADDER.x) > LADDER.halfWidth + 0.2) return null;
  const on = { ...walker, x: LADDER.x, z: LADDER.z + OFF, heading: NORTH, doing: 'climb' as const };
  if (walker.y === 0 && wish.z < -0.3 && walker.z - LADDER.z < OFF + REACH) return { ...on, y: 0.001, rate: 1 };
  if (walker.y > 0 && wish.z > 0.3 && BRIDGE.south - walker.z < REACH) return { ...on, y: BRIDGE.height, rate: -1 };
  return null;
}

function climbOn(walker: Walker, wish: Wish, seconds: number, pace: Pace): Walker {
  const way = Math.abs(wish.z) < 0.2 ? 0 : -Math.sign(wish.z),
    y = walker.y + way * pace.climb * seconds;
  if (way > 0 && y >= BRIDGE.height)
    return { ...walker, y: BRIDGE.height, z: BRIDGE.south - BODY - REACH, doing: 'idle', rate: 1 };
  if (way < 0 && y <= 0) return { ...walker, y: 0, z: LADDER.z + OFF + REACH + 0.05, doing: 'idle', rate: 1 };
  return { ...walker, y, rate: way };
}

/** What brings somebody to a place that was pointed at; null once it is reached. */
export function towards(walker: Walker, goal: { x: number; z: number }, run: boolean): Wish | null {
  const x = goal.x - walker.x,
    z = goal.z - walker.z,
    far = Math.hypot(x, z);
  if (far < 0.15) return null;
  const strength = Math.min(1, far / 0.4);
  return { x: (x / far) * strength, z: (z / far) * strength, run };
}
