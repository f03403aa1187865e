import { type RefObject, useEffect, useState } from 'react';
import { STICK_EVENT, type Stick } from './controls.ts';
import { STICK } from './fingers.ts';
import styles from './proving.module.css';

/** The ring under a finger that walks the figure, and how far it is pushed. */
export function StickRing({ canvas }: { canvas: RefObject<HTMLCanvasElement | null> }) {
  const [stick, setStick] = useState<Stick>(null);
  useEffect(() => {
    const element = canvas.current,
      told = (event: Event) => setStick((event as CustomEvent<Stick>).detail);
    element?.addEventListener(STICK_EVENT, told);
    return () => element?.removeEventListener(STICK_EVENT, told);
  }, [canvas]);
  if (!stick || !canvas.current) return null;
  const { left, top } = canvas.current.getBoundingClientRect(),
    far = Math.max(1, Math.hypot(stick.right, stick.back));
  return (
    <div
      className={styles.stick}
      data-stick={stick.run ? 'run' : 'walk'}
      aria-hidden="true"
      style={{ left: stick.start.x - left, top: stick.start.y - top, width: STICK * 2, height: STICK * 2 }}
    >
      <i
        style={{
          transform: `translate(${(stick.right / far) * STICK}px, ${(stick.back / far) * STICK}px)`,
        }}
      />
    </div>
  );
}
