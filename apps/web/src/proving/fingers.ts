/** Travel of a finger that is all the way, pixels, and how far beyond its rim it runs. */
export const STICK = 60;
const RUNS = 1.6,
  /** How far a press may wander and still point, pixels: a finger is no pointer. */
  STILL = { touch: 12, pointer: 5 },
  /** How long a finger's press may last and still point, and how soon after another one it brings nearer with it, ms. */
  TAP = 350,
  TOGETHER = 250;

export interface Place {
  x: number;
  y: number;
}
export interface Press extends Place {
  id: number;
  /** Milliseconds since anything. */
  at: number;
  touch: boolean;
  /** On the half of the picture where a finger is a stick. */
  stickSide: boolean;
}
/** What pointers ask for. */
export interface Asked {
  turn(dx: number, dy: number): void;
  nearer(by: number): void;
  point(place: Place): void;
}

interface Finger extends Press {
  start: Place;
  stick: boolean;
  far: number;
}

/**
 * Pointers on the picture. The mouse turns and points. A finger on the stick's side is a stick, on the other it turns;
 * two that come down together, or two on the turning side, bring nearer wherever they are; a short press of either points.
 */
export class Fingers {
  private readonly held = new Map<number, Finger>();

  constructor(private readonly asked: Asked) {}

  down(press: Press): void {
    const finger: Finger = { ...press, start: press, stick: press.touch && press.stickSide, far: 0 };
    if (press.touch)
      for (const other of this.held.values())
        if (press.at - other.at < TOGETHER && other.far <= STILL.touch) {
          other.stick = false;
          finger.stick = false;
        }
    this.held.set(press.id, finger);
  }

  move(id: number, { x, y }: Place): void {
    const finger = this.held.get(id);
    if (!finger) return;
    const dx = x - finger.x,
      dy = y - finger.y;
    finger.far += Math.hypot(dx, dy);
    if (!finger.stick) {
      const other = [...this.held.values()].find((one) => one !== finger && !one.stick);
      if (other) {
        const before = Math.hypot(finger.x - other.x, finger.y - other.y),
          after = Math.hypot(x - other.x, y - other.y);
        if (after > 1 && before > 1) this.asked.nearer(before / after);
        // Neither of the two points when it is taken off.
        other.far = Number.POSITIVE_INFINITY;
        finger.far = Number.POSITIVE_INFINITY;
      } else this.asked.turn(dx, dy);
    }
    finger.x = x;
    finger.y = y;
  }

  /** @param at null: the press was taken away, by the browser or another window */
  up(id: number, at: number | null): void {
    const finger = this.held.get(id);
    this.held.delete(id);
    if (!finger || at === null) return;
    const short = !finger.touch || at - finger.at < TAP;
    if (short && finger.far <= (finger.touch ? STILL.touch : STILL.pointer)) this.asked.point(finger);
  }

  /** The stick: where it was taken hold of, and how far it is pushed, 1 at its rim. */
  stick(): { start: Place; right: number; back: number; run: boolean } | null {
    for (const { stick, start, x, y } of this.held.values()) {
      if (!stick) continue;
      const right = (x - start.x) / STICK,
        back = (y - start.y) / STICK;
      return { start, right, back, run: Math.hypot(right, back) > RUNS };
    }
    return null;
  }

  /** Whether a finger is on the picture: then what a browser does to a long press is not wanted. */
  touched(): boolean {
    return [...this.held.values()].some(({ touch }) => touch);
  }
}
