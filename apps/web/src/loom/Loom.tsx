import { isHumanoidRole, roleLabel, type JointPlan, type Skeleton } from '@dimetra/core';
import { useRef, useState } from 'react';
import { besideSources, depthOf } from './layout.ts';

interface LoomProps {
  plans: readonly JointPlan[];
  visible: readonly JointPlan[];
  skeleton: Skeleton;
  shares: Float64Array;
  targets: readonly { role: string; name: string }[];
  /** Joints of the figure that the character lacks. */
  putIn?: readonly string[];
  picked: string | null;
  onPick: (joint: string) => void;
  /** `name` undefined puts a joint back to what was found; empty lets it go. */
  onTie: (joint: string, name: string | undefined) => void;
  byHand: Readonly<Record<string, string>>;
}
const ROW = 20,
  WIDTH = 680,
  LEFT = 236,
  RIGHT = 452;

/**
 * Two joint trees face each other, joined by ribbons: width is the weight carried, dashes a doubtful match. What
 * has no counterpart hangs loose. Drag a ribbon's end to another joint; with the keyboard, Enter opens the list.
 */
export function Loom({
  plans,
  visible,
  skeleton,
  shares,
  targets,
  putIn = [],
  picked,
  onPick,
  onTie,
  byHand,
}: LoomProps) {
  const svg = useRef<SVGSVGElement>(null);
  const [drag, setDrag] = useState<{ joint: string; x: number; y: number; from: number } | null>(null);
  const [choosing, setChoosing] = useState<string | null>(null);
  // Right side: the target's joints that something on the left is tied to or could be, then joints kept by their own name.
  const shownRoles = new Set(visible.map((plan) => plan.found.role as string));
  const whole = visible.length === plans.length;
  const right: { key: string; label: string; role: string | null; depth: number }[] = [];
  for (const entry of targets)
    if (whole || shownRoles.has(entry.role))
      right.push({
        key: entry.name,
        label: entry.name === entry.role ? roleLabel(entry.role) : entry.name,
        role: entry.role,
        depth: 0,
      });
  for (const plan of visible)
    if (plan.target !== null && !right.some((row) => row.key === plan.target))
      right.push({ key: plan.target, label: plan.target, role: null, depth: 1 });
  const order = new Map(visible.map((plan, i) => [plan.target, i]));
  right.sort((a, b) => (order.get(a.key) ?? 1e6) - (order.get(b.key) ?? 1e6));
  const y = (i: number) => i * ROW + 14;
  const rightY = besideSources(
    right.map((row) => order.get(row.key)),
    y,
  );
  const rightAt = new Map(right.map((row, i) => [row.key, rightY[i]]));
  const height = Math.max(y(visible.length), (rightY.at(-1) ?? 0) + ROW);
  const point = (event: React.PointerEvent) => {
    const box = (svg.current as SVGSVGElement).getBoundingClientRect();
    return {
      x: ((event.clientX - box.left) / box.width) * WIDTH,
      y: ((event.clientY - box.top) / box.height) * height,
    };
  };
  const drop = (at: { x: number; y: number }, joint: string) => {
    if (at.x < LEFT + 70) return;
    const nearest = rightY.reduce(
      (best, place, i) => (Math.abs(place - at.y) < Math.abs(rightY[best] - at.y) ? i : best),
      0,
    );
    const row = Math.abs((rightY[nearest] ?? Infinity) - at.y) <= ROW ? right[nearest] : undefined;
    onTie(joint, at.x > RIGHT - 40 && row ? row.key : '');
  };
  return (
    <div className="loom">
      {/* biome-ignore lint/a11y/noSvgWithoutTitle: labelled by aria-label */}
      <svg
        ref={svg}
        viewBox={`0 0 ${WIDTH} ${height}`}
        role="group"
        aria-label="Loom: source joints left, target joints right"
        onPointerMove={(event) => {
          if (drag) setDrag({ ...drag, ...point(event) });
        }}
        onPointerUp={(event) => {
          if (drag) {
            drop(point(event), drag.joint);
            setDrag(null);
          }
        }}
      >
        {visible.map((plan, i) => {
          const name = skeleton.joints[plan.joint].getName(),
            to = plan.target === null ? undefined : rightAt.get(plan.target);
          const thick = 1 + 8 * Math.sqrt(shares[plan.joint]),
            chosen = picked === name,
            doubtful = plan.found.confidence < 0.6 && isHumanoidRole(plan.found.role);
          const end = to ?? null;
          return (
            <g key={plan.joint}>
              {end !== null && (
                <path
                  d={`M${LEFT + 8} ${y(i)}C${LEFT + 95} ${y(i)} ${RIGHT - 95} ${end} ${RIGHT - 8} ${end}`}
                  fill="none"
                  stroke="url(#ribbon)"
                  strokeWidth={chosen ? thick + 2 : thick}
                  strokeDasharray={doubtful ? '5 4' : undefined}
                  opacity={picked && !chosen ? 0.35 : 0.85}
                />
              )}
              {plan.target === null && (
                <path d={`M${LEFT + 8} ${y(i)}q22 0 30 10`} fill="none" stroke="var(--source)" strokeWidth="1.6" />
              )}
              {plan.target === null && <circle cx={LEFT + 38} cy={y(i) + 10} r="3.2" fill="var(--source)" />}
              {/* biome-ignore lint/a11y/useSemanticElements: a row of an SVG can't be a button element */}
              <g
                role="button"
                tabIndex={0}
                data-joint={name}
                aria-label={`${name}, ${plan.target === null ? 'let go' : `tied to ${plan.target}`}, confidence ${plan.found.confidence.toFixed(2)}`}
                aria-pressed={chosen}
                onClick={() => onPick(name)}
                onKeyDown={(event) => {
                  if (event.key === 'Enter') {
                    onPick(name);
                    setChoosing(name);
                  }
                  if (event.key === 'Delete') onTie(name, '');
                  if (event.key === 'Backspace') onTie(name, undefined);
                  if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
                    event.preventDefault();
                    const rows = [...(svg.current?.querySelectorAll<SVGGElement>('[data-joint]') ?? [])];
                    rows[rows.indexOf(event.currentTarget) + (event.key === 'ArrowDown' ? 1 : -1)]?.focus();
                  }
                }}
                onPointerDown={(event) => {
                  if (event.button === 0) setDrag({ joint: name, from: i, ...point(event) });
                }}
              >
                <rect
                  className="hit"
                  x="0"
                  y={y(i) - 10}
                  width={LEFT + 14}
                  height={ROW}
                  rx="4"
                  fill={chosen ? 'var(--raised-more)' : 'transparent'}
                />
                <text
                  className="src"
                  x={4 + Math.min(depthOf(skeleton, plan.joint), 11) * 9}
                  y={y(i) + 4}
                  fontWeight={chosen ? 700 : 400}
                >
                  {name}
                  {byHand[name] !== undefined ? ' ✎' : ''}
                </text>
                <rect
                  x={LEFT}
                  y={y(i) - 4}
                  width="8"
                  height="8"
                  rx="2"
                  fill={plan.target === null ? 'var(--source-2)' : 'var(--source)'}
                />
              </g>
            </g>
          );
        })}
        {right.map((row, i) => {
          const tied = order.has(row.key);
          return (
            <g key={row.key} data-target={row.key}>
              <rect
                x={RIGHT - 8}
                y={rightY[i] - 4}
                width="8"
                height="8"
                rx="2"
                fill={tied ? 'var(--result)' : 'none'}
                stroke="var(--result)"
              />
              <text
                x={RIGHT + 8}
                y={rightY[i] + 4}
                opacity={tied ? 1 : 0.6}
                fontStyle={row.role ? undefined : 'italic'}
              >
                {row.label}
                {tied ? '' : putIn.includes(row.key) ? ' · put in' : ' · loose'}
              </text>
            </g>
          );
        })}
        {drag && (
          <path
            d={`M${LEFT + 8} ${y(drag.from)}C${LEFT + 80} ${y(drag.from)} ${drag.x - 60} ${drag.y} ${drag.x} ${drag.y}`}
            fill="none"
            stroke="var(--ink)"
            strokeWidth="2"
            pointerEvents="none"
          />
        )}
        <defs>
          <linearGradient id="ribbon" gradientUnits="userSpaceOnUse" x1={LEFT} x2={RIGHT} y1="0" y2="0">
            <stop offset="0" stopColor="var(--source)" stopOpacity="0.75" />
            <stop offset="1" stopColor="var(--result)" stopOpacity="0.75" />
          </linearGradient>
        </defs>
      </svg>
      {visible.length === 0 && <p className="quiet">No joint is called that.</p>}
      {choosing && (
        <div className="card below">
          <label>
            Tie <b className="num">{choosing}</b> to{' '}
            <select
              // biome-ignore lint/a11y/noAutofocus: opened by the keyboard, which goes on here
              autoFocus
              defaultValue={plans.find((plan) => skeleton.joints[plan.joint].getName() === choosing)?.target ?? ''}
              onChange={(event) => {
                onTie(choosing, event.target.value === '*' ? undefined : event.target.value);
                setChoosing(null);
              }}
              onKeyDown={(event) => {
                if (event.key === 'Escape') setChoosing(null);
              }}
            >
              <option value="*">what was found</option>
              <option value="">nothing, let it go</option>
              {targets.map((entry) => (
                <option key={entry.name} value={entry.name}>
                  {entry.name}
                </option>
              ))}
            </select>
          </label>
        </div>
      )}
    </div>
  );
}
