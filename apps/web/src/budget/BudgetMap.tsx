import { useRef, useState } from 'react';
import type { PartBudget } from '@dimetra/core';
import { count } from '../shared/format.ts';
import { treemap } from './treemap.ts';

const WIDTH = 372,
  HEIGHT = 250;

/** Where triangles go, part by part. Drag the handle of a part to give it more or fewer; its share is then fixed. */
export function BudgetMap({
  rows,
  picked,
  onPick,
  onChange,
}: {
  rows: readonly PartBudget[];
  picked: string | null;
  onPick: (id: string) => void;
  onChange: (id: string, triangles: number) => void;
}) {
  const tiles = treemap(
    rows.map((row) => ({ id: row.id, value: row.to })),
    WIDTH,
    HEIGHT,
  );
  const [drag, setDrag] = useState<{ id: string; to: number } | null>(null);
  const start = useRef<{ x: number; y: number; to: number; area: number } | null>(null);
  const row = (id: string) => rows.find((entry) => entry.id === id) as PartBudget;
  return (
    <svg
      className="treemap"
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      role="group"
      aria-label="Budget map: area is triangles in the result"
    >
      {tiles.map((tile) => {
        const entry = row(tile.id),
          kept = entry.from ? entry.to / entry.from : 1,
          chosen = picked === tile.id;
        const shown = drag?.id === tile.id ? drag.to : entry.to;
        return (
          // biome-ignore lint/a11y/useSemanticElements: an SVG tile can't be a button element
          <g
            key={tile.id}
            role="button"
            tabIndex={0}
            aria-label={`${tile.id}: ${count(entry.from)} to ${count(entry.to)} triangles. Plus and minus change it.`}
            data-budget={tile.id}
            onClick={() => onPick(tile.id)}
            onKeyDown={(event) => {
              if (event.key === '+' || event.key === '=')
                onChange(tile.id, Math.min(entry.from, Math.round(entry.to * 1.1) + 1));
              if (event.key === '-') onChange(tile.id, Math.max(0, Math.round(entry.to / 1.1) - 1));
              if (event.key === 'Enter') onPick(tile.id);
            }}
          >
            <rect
              x={tile.x + 1}
              y={tile.y + 1}
              width={Math.max(0, tile.width - 2)}
              height={Math.max(0, tile.height - 2)}
              rx="4"
              fill={`color-mix(in srgb, var(--result-2) ${Math.round(35 + 60 * kept)}%, var(--raised))`}
              stroke={chosen ? 'var(--ink)' : 'none'}
              strokeWidth="1.5"
            />
            {tile.width > 62 && tile.height > 32 && (
              <>
                <text x={tile.x + 8} y={tile.y + 17} fontWeight="600">
                  {tile.id.length * 6.4 > tile.width - 14
                    ? `${tile.id.slice(0, Math.floor((tile.width - 20) / 6.4))}…`
                    : tile.id}
                </text>
                <text x={tile.x + 8} y={tile.y + 31} className="num">
                  {count(shown)}
                  {entry.fixed ? ' fixed' : ''}
                </text>
              </>
            )}
            {tile.width > 20 && tile.height > 16 && (
              <rect
                x={tile.x + tile.width - 13}
                y={tile.y + tile.height - 13}
                width="9"
                height="9"
                rx="2"
                fill="var(--ink-2)"
                opacity={chosen ? 0.95 : 0.35}
                className="resize"
                onPointerDown={(event) => {
                  event.stopPropagation();
                  event.currentTarget.setPointerCapture(event.pointerId);
                  start.current = {
                    x: event.clientX,
                    y: event.clientY,
                    to: entry.to,
                    area: Math.max(20, Math.sqrt(tile.width * tile.height)),
                  };
                }}
                onPointerMove={(event) => {
                  const s = start.current;
                  if (!s) return;
                  const grow = (event.clientX - s.x + event.clientY - s.y) / s.area;
                  setDrag({
                    id: tile.id,
                    to: Math.max(0, Math.min(entry.from, Math.round(s.to * Math.max(0, 1 + grow)))),
                  });
                }}
                onPointerUp={() => {
                  if (drag) onChange(drag.id, drag.to);
                  start.current = null;
                  setDrag(null);
                }}
              />
            )}
          </g>
        );
      })}
    </svg>
  );
}
