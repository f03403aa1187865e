import { type KeyboardEvent, type PointerEvent, useRef } from 'react';
import styles from './Mix.module.css';
import { type Corner, keyed, sharesAt } from './pad-shares.ts';

interface MixPadProps {
  /** Who is mixed: the own figure first, then one or two others. */
  names: readonly string[];
  /** As many shares, adding up to one. */
  shares: readonly number[];
  label: string;
  /** Shares of the others, while a hand moves. */
  onDrag(others: number[]): void;
  onSettle(): void;
  /** Shares of the others, at once. */
  onPut(others: number[]): void;
}

/** Corners of the pad: a line for two, a triangle for three. */
const LINE: readonly Corner[] = [
    [16, 20],
    [164, 20],
  ],
  TRIANGLE: readonly Corner[] = [
    [90, 14],
    [14, 116],
    [166, 116],
  ];

/**
 * How much of each person there is: a handle between one corner for each. Dragged, or moved with the arrows: towards the
 * other on the left or right, back to the own figure, Home and End to the ends.
 */
export function MixPad({ names, shares, label, onDrag, onSettle, onPut }: MixPadProps) {
  const svg = useRef<SVGSVGElement>(null),
    corners = names.length === 2 ? LINE : TRIANGLE,
    height = names.length === 2 ? 40 : 132,
    [x, y] = [0, 1].map((axis) => corners.reduce((sum, corner, i) => sum + corner[axis] * (shares[i] ?? 0), 0));
  const at = (event: PointerEvent): number[] => {
    const box = (svg.current as SVGSVGElement).getBoundingClientRect();
    return sharesAt(corners, [
      ((event.clientX - box.left) / box.width) * 180,
      ((event.clientY - box.top) / box.height) * height,
    ]).slice(1);
  };
  const held = useRef(false);
  const key = (event: KeyboardEvent) => {
    const others = keyed(event.key, shares.slice(1));
    if (!others) return;
    event.preventDefault();
    onPut(others);
  };
  const said = names.map((name, i) => `${name} ${Math.round((shares[i] ?? 0) * 100)} %`).join(', ');
  return (
    <div
      className={styles.pad}
      tabIndex={0}
      role="slider"
      aria-label={label}
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={Math.round((1 - (shares[0] ?? 1)) * 100)}
      aria-valuetext={said}
      onKeyDown={key}
      onPointerDown={(event) => {
        held.current = true;
        event.currentTarget.setPointerCapture(event.pointerId);
        onDrag(at(event));
      }}
      onPointerMove={(event) => held.current && onDrag(at(event))}
      onPointerUp={() => {
        held.current = false;
        onSettle();
      }}
    >
      <svg ref={svg} viewBox={`0 0 180 ${height}`} aria-hidden="true">
        <polygon points={corners.map((corner) => corner.join()).join(' ')} className={styles.field} />
        {corners.map(([cx, cy], i) => (
          <circle key={names[i] + String(i)} cx={cx} cy={cy} r={5} className={styles[`person${i}`]} />
        ))}
        <circle cx={x} cy={y} r={8} className={styles.handle} />
      </svg>
    </div>
  );
}
