import { type KeyboardEvent, type PointerEvent, useRef } from 'react';
import styles from './Mix.module.css';

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

type Corner = readonly [x: number, y: number];
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
const STEP = 0.05;

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

/** Shares of the corners at a point, brought onto the line or into the triangle. */
export function sharesAt(corners: readonly Corner[], [x, y]: Corner): number[] {
  const [a, b, c] = corners;
  if (!c) {
    const t = ((x - a[0]) * (b[0] - a[0]) + (y - a[1]) * (b[1] - a[1])) / ((b[0] - a[0]) ** 2 + (b[1] - a[1]) ** 2);
    return [1 - clamp(t), clamp(t)];
  }
  const det = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]),
    v = ((x - a[0]) * (c[1] - a[1]) - (y - a[1]) * (c[0] - a[0])) / det,
    w = ((b[0] - a[0]) * (y - a[1]) - (b[1] - a[1]) * (x - a[0])) / det,
    raw = [1 - v - w, v, w];
  if (raw.every((share) => share >= 0)) return raw;
  // Outside: the nearest point of the nearest side.
  let best = [1, 0, 0],
    least = Infinity;
  for (const [i, j] of [
    [0, 1],
    [1, 2],
    [2, 0],
  ]) {
    const [p, q] = sharesAt([corners[i], corners[j]], [x, y]),
      d = Math.hypot(x - p * corners[i][0] - q * corners[j][0], y - p * corners[i][1] - q * corners[j][1]);
    if (d >= least) continue;
    least = d;
    best = [0, 0, 0];
    best[i] = p;
    best[j] = q;
  }
  return best;
}
const clamp = (value: number): number => Math.min(1, Math.max(0, value));

/** Shares of the others after a key; null for one that does nothing here. */
export function keyed(key: string, [first, second]: readonly number[]): number[] | null {
  if (second === undefined) {
    const by = { ArrowRight: STEP, ArrowUp: STEP, ArrowLeft: -STEP, ArrowDown: -STEP }[key];
    if (by !== undefined) return [clamp(first + by)];
    return key === 'Home' ? [0] : key === 'End' ? [1] : null;
  }
  const sum = first + second;
  switch (key) {
    case 'ArrowLeft':
      return [Math.min(1, first + STEP), Math.max(0, Math.min(second - (sum >= 1 ? STEP : 0), 1 - first - STEP))];
    case 'ArrowRight':
      return [Math.max(0, Math.min(first - (sum >= 1 ? STEP : 0), 1 - second - STEP)), Math.min(1, second + STEP)];
    case 'ArrowUp': {
      const left = Math.max(0, sum - STEP);
      return sum > 0 ? [(first / sum) * left, (second / sum) * left] : [0, 0];
    }
    case 'ArrowDown': {
      const more = Math.min(1, sum + STEP);
      return sum > 0 ? [(first / sum) * more, (second / sum) * more] : [more / 2, more / 2];
    }
    case 'Home':
      return [0, 0];
    case 'End':
      return [0.5, 0.5];
    default:
      return null;
  }
}
