import type { HumanoidRole, PlaceOn } from '@dimetra/core';
import { type PointerEvent, useRef } from 'react';
import { useAppDispatch } from '../store/store.ts';
import { facePicked, jointPicked, jointTurned, partPicked } from '../store/view-slice.ts';
import type { SeatHandle } from '../figure/seats.ts';
import type { Picking } from './picking.ts';
import type { StageRenderer } from './renderer.ts';
import type { Side } from './state.ts';

/** Farther than this a press is a drag, pixels. */
const STILL = 4;

interface Ways {
  joints: boolean;
  /** A click chooses a triangle, not a part. */
  faces: boolean;
  /** A click on the source is told by its triangle too, where something is to be chosen by place. */
  onFace?: (at: { part: string; face: number }) => void;
  /** A click tells the place of the skin under it. */
  onPlace?: (side: Side, place: PlaceOn) => void;
  sourceName: (joint: string) => string;
  /** Joints found in the shape can be chosen and put elsewhere. */
  marks?: {
    choose(role: HumanoidRole): void;
    hold(role: HumanoidRole, at: [number, number, number]): void;
    put(role: HumanoidRole, at: [number, number, number]): void;
  };
  /** Dots of eyes and bite can be dragged. */
  seats?: {
    hold(id: SeatHandle['id'], at: [number, number, number]): void;
    put(id: SeatHandle['id'], at: [number, number, number]): void;
  };
}

/** What a pointer does on the stage: a drag that starts on a joint turns it, a click chooses; all else turns the camera. */
export function usePointer(
  renderer: StageRenderer | null,
  { joints, faces, onFace, onPlace, sourceName, marks, seats }: Ways,
) {
  const dispatch = useAppDispatch(),
    press = useRef<[number, number] | null>(null),
    grip = useRef<ReturnType<Picking['jointAt']>>(null),
    mark = useRef<HumanoidRole | null>(null),
    seat = useRef<SeatHandle['id'] | null>(null);
  const placeOf = (event: PointerEvent<HTMLCanvasElement>): [number, number] => {
    const box = event.currentTarget.getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  };
  const dragged = (event: PointerEvent, [x, y]: readonly [number, number]) =>
    Math.hypot(event.clientX - x, event.clientY - y);
  return {
    onPointerDown(event: PointerEvent<HTMLCanvasElement>) {
      press.current = [event.clientX, event.clientY];
      grip.current = event.button === 0 && !onPlace ? (renderer?.picking.jointAt(...placeOf(event)) ?? null) : null;
      mark.current = marks && event.button === 0 ? (renderer?.picking.markAt(...placeOf(event)) ?? null) : null;
      seat.current = seats && event.button === 0 ? (renderer?.picking.seatAt(...placeOf(event)) ?? null) : null;
      if (mark.current || seat.current) grip.current = null;
      if (!renderer || !(grip.current || mark.current || seat.current)) return;
      renderer.controls.enabled = false;
      event.currentTarget.setPointerCapture(event.pointerId);
    },
    onPointerMove(event: PointerEvent<HTMLCanvasElement>) {
      if (!renderer) return;
      if (mark.current && press.current) {
        const at = renderer.picking.markTo(mark.current, ...placeOf(event));
        if (at && dragged(event, press.current) >= STILL) marks?.hold(mark.current, at);
        return;
      }
      if (seat.current && press.current) {
        const at = renderer.picking.seatTo(seat.current, ...placeOf(event));
        if (at && dragged(event, press.current) >= STILL) seats?.hold(seat.current, at);
        return;
      }
      if (!grip.current || !press.current) {
        event.currentTarget.style.cursor =
          (seats && renderer.picking.seatAt(...placeOf(event))) ||
          (marks && renderer.picking.markAt(...placeOf(event))) ||
          (joints && renderer.picking.jointAt(...placeOf(event)))
            ? 'grab'
            : '';
        return;
      }
      if (dragged(event, press.current) < STILL) return;
      const moved = renderer.picking.follow(grip.current, ...placeOf(event));
      if (!moved) return;
      const joint = grip.current.side === 'source' ? moved.joint : sourceName(moved.joint);
      dispatch(jointTurned({ joint, turn: moved.turn }));
    },
    onPointerUp(event: PointerEvent<HTMLCanvasElement>) {
      const start = press.current,
        held = grip.current,
        role = mark.current,
        moved = seat.current;
      press.current = grip.current = mark.current = seat.current = null;
      if (renderer) renderer.controls.enabled = true;
      if (renderer && start && moved) {
        const at = dragged(event, start) > STILL && renderer.picking.seatTo(moved, ...placeOf(event));
        if (at) seats?.put(moved, at);
        return;
      }
      if (renderer && start && role) {
        const at = dragged(event, start) > STILL && renderer.picking.markTo(role, ...placeOf(event));
        if (at) marks?.put(role, at);
        marks?.choose(role);
        return;
      }
      if (!renderer || !start || dragged(event, start) > STILL) return;
      if (held) dispatch(jointPicked(held.side === 'source' ? held.name : sourceName(held.name)));
      const at = placeOf(event);
      if (onPlace) {
        const found = renderer.picking.placeAt(...at);
        if (found) onPlace(found.side, found.place);
        return;
      }
      const face = faces || onFace ? renderer.picking.pickFace(...at) : null;
      if (onFace && face) onFace(face);
      else if (faces) dispatch(facePicked(face));
      else dispatch(partPicked(renderer.picking.pick(...at)?.part ?? null));
    },
  };
}
