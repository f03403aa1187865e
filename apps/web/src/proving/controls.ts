import { Fingers } from './fingers.ts';
import type { Wish } from './walk.ts';

/** Where the camera is round what it looks at. */
export interface Orbit {
  yaw: number;
  pitch: number;
  distance: number;
}
export const NEAREST = 0.55,
  FARTHEST = 24;

/** What somebody asks for by keys, pointer and touch. */
export interface Controls {
  orbit: Orbit;
  /** Along the ground, as seen from the camera. */
  wish(): Wish;
  dispose(): void;
}

/** Tells where a finger's stick is, or null: none is held. */
export const STICK_EVENT = 'stick';
export type Stick = ReturnType<Fingers['stick']>;

const WAYS: Record<string, [x: number, z: number]> = {
  ArrowUp: [0, -1],
  KeyW: [0, -1],
  ArrowDown: [0, 1],
  KeyS: [0, 1],
  ArrowLeft: [-1, 0],
  KeyA: [-1, 0],
  ArrowRight: [1, 0],
  KeyD: [1, 0],
};

/**
 * Keys walk (arrows or W A S D, Shift runs), Q and E turn the camera, + and − bring it nearer; dragging turns it, the wheel
 * brings it nearer, a press points at where to go. What fingers do stands in `fingers.ts`; the canvas tells of their stick.
 * @param point told of a press: place on the canvas, −1 … 1
 */
export function bindControls(canvas: HTMLCanvasElement, point: (x: number, y: number, run: boolean) => void): Controls {
  const orbit: Orbit = { yaw: 0.35, pitch: 0.13, distance: 4.3 },
    held = new Set<string>();
  let shift = false;
  const turn = (dx: number, dy: number) => {
    orbit.yaw -= dx * 0.006;
    orbit.pitch = Math.max(-0.25, Math.min(1.35, orbit.pitch + dy * 0.005));
  };
  const nearer = (by: number) => {
    orbit.distance = Math.max(NEAREST, Math.min(FARTHEST, orbit.distance * by));
  };
  const onKey = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    shift = event.shiftKey;
    const down = event.type === 'keydown';
    if (event.code in WAYS) {
      if (down) held.add(event.code);
      else held.delete(event.code);
      event.preventDefault();
      return;
    }
    if (!down) return;
    if (event.code === 'KeyQ') turn(-18, 0);
    else if (event.code === 'KeyE') turn(18, 0);
    else if (event.key === '+' || event.key === '=') nearer(0.85);
    else if (event.key === '-') nearer(1.18);
  };
  const fingers = new Fingers({
    turn,
    nearer,
    point({ x, y }) {
      const { left, top, width, height } = canvas.getBoundingClientRect();
      point(((x - left) / width) * 2 - 1, 1 - ((y - top) / height) * 2, shift);
    },
  });
  const tellStick = () => canvas.dispatchEvent(new CustomEvent<Stick>(STICK_EVENT, { detail: fingers.stick() }));
  const onDown = (event: PointerEvent) => {
    canvas.focus({ preventScroll: true });
    const { left, width } = canvas.getBoundingClientRect(),
      { clientX: x, clientY: y, pointerId: id } = event;
    canvas.setPointerCapture(id);
    const touch = event.pointerType === 'touch';
    fingers.down({ id, x, y, at: event.timeStamp, touch, stickSide: x - left < width / 2 });
    tellStick();
  };
  const onMove = (event: PointerEvent) => {
    fingers.move(event.pointerId, { x: event.clientX, y: event.clientY });
    if (event.pointerType === 'touch') tellStick();
  };
  const onUp = (event: PointerEvent) => {
    shift = event.shiftKey;
    fingers.up(event.pointerId, event.type === 'pointerup' ? event.timeStamp : null);
    tellStick();
  };
  /** A finger that rests on its stick asks for no menu. */
  const onMenu = (event: Event) => {
    if (fingers.touched()) event.preventDefault();
  };
  const onWheel = (event: WheelEvent) => {
    event.preventDefault();
    nearer(Math.exp(event.deltaY * 0.0012));
  };
  const release = () => {
    held.clear();
    shift = false;
  };
  const listeners: [string, EventListener, AddEventListenerOptions?][] = [
    ['keydown', onKey as EventListener],
    ['keyup', onKey as EventListener],
    ['blur', release],
    ['pointerdown', onDown as EventListener],
    ['pointermove', onMove as EventListener],
    ['pointerup', onUp as EventListener],
    ['pointercancel', onUp as EventListener],
    ['contextmenu', onMenu],
    ['wheel', onWheel as EventListener, { passive: false }],
  ];
  for (const [name, listener, options] of listeners) canvas.addEventListener(name, listener, options);
  return {
    orbit,
    wish() {
      let right = 0,
        back = 0;
      for (const code of held) {
        right += WAYS[code][0];
        back += WAYS[code][1];
      }
      const stick = fingers.stick();
      if (stick) {
        right += stick.right;
        back += stick.back;
      }
      return { ...turned(right, back, orbit.yaw), run: shift || !!stick?.run };
    },
    dispose() {
      for (const [name, listener] of listeners) canvas.removeEventListener(name, listener);
    },
  };
}

/** A way as seen from the camera, along the ground, at most 1 long. */
export function turned(right: number, back: number, yaw: number): { x: number; z: number } {
  const far = Math.hypot(right, back);
  if (far < 0.05) return { x: 0, z: 0 };
  const by = 1 / Math.max(1, far),
    s = Math.sin(yaw),
    c = Math.cos(yaw);
  return { x: (right * c + back * s) * by, z: (back * c - right * s) * by };
}
