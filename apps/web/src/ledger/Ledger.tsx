import type { Station } from '@dimetra/core';
import type { CharacterDetail, RunDetail, TargetRow } from '@dimetra/contract';
import { count, megabytes } from '../shared/format.ts';

interface Row {
  name: string;
  source: number;
  result: number | null;
  limit: number | null;
  unit: string;
  station: Station;
  show: (value: number) => string;
}

/** Budgets as paired bars: source behind, result in front, the target's limit as a tick. */
export function Ledger({
  character,
  target,
  run,
  onOpen,
}: {
  character: CharacterDetail;
  target: TargetRow;
  run: RunDetail | undefined;
  onOpen: (station: Station) => void;
}) {
  const s = character.revision.summary,
    r = run?.result ?? null;
  const sourceBytes = character.revision.files.reduce((sum, file) => sum + file.bytes, 0);
  const rows: Row[] = [
    {
      name: 'Triangles',
      source: s.triangles,
      result: r?.triangles ?? null,
      limit: target.triangles.max,
      unit: '',
      station: 'reduce',
      show: count,
    },
    {
      name: 'Vertices',
      source: s.vertices,
      result: r?.vertices ?? null,
      limit: null,
      unit: '',
      station: 'reduce',
      show: count,
    },
    {
      name: 'Joints',
      source: s.joints.length,
      result: r?.joints.length ?? null,
      limit: target.joints.max ?? null,
      unit: '',
      station: 'skeleton',
      show: count,
    },
    {
      name: 'Influences',
      source: s.influencesMax,
      result: r?.influencesMax ?? null,
      limit: target.influences.max,
      unit: '',
      station: 'weights',
      show: count,
    },
    {
      name: 'Materials',
      source: s.materials.length,
      result: r?.materials.length ?? null,
      limit: target.materials.max,
      unit: '',
      station: 'materials',
      show: count,
    },
    {
      name: 'Texture mem.',
      source: s.textureMemoryBytes,
      result: r?.textureMemoryBytes ?? null,
      limit: target.textures.maxMemoryMB ? target.textures.maxMemoryMB * 1048576 : null,
      unit: ' MB',
      station: 'textures',
      show: megabytes,
    },
    {
      name: 'Morph targets',
      source: s.morphTargets.length,
      result: r?.morphTargets.length ?? null,
      limit: target.morphs.max,
      unit: '',
      station: 'morphs',
      show: count,
    },
    {
      name: 'Package',
      source: sourceBytes,
      result: run?.deliveryBytes ?? null,
      limit: target.package.maxMB ? target.package.maxMB * 1048576 : null,
      unit: ' MB',
      station: 'deliver',
      show: megabytes,
    },
  ];
  return (
    <div className="ledger" role="group" aria-label="Budgets">
      {rows.map((row) => {
        const full =
          Math.max(row.source, row.result ?? 0, row.limit && row.limit < row.source * 3 ? row.limit : 0) * 1.04 || 1;
        const over = row.limit !== null && (row.result ?? row.source) > row.limit;
        const says = `${row.name}: source ${row.show(row.source)}${row.unit}${row.result === null ? '' : `, result ${row.show(row.result)}${row.unit}`}${row.limit === null ? '' : `, limit ${row.show(row.limit)}${row.unit}`}`;
        return (
          <button key={row.name} type="button" onClick={() => onOpen(row.station)} aria-label={says} title={says}>
            <span className="top">
              <span>{row.name}</span>
              {row.limit !== null && (
                <span className="num" style={over && row.result !== null ? { color: 'var(--blocked)' } : undefined}>
                  ≤ {row.show(row.limit)}
                </span>
              )}
            </span>
            <span className="figures num">
              <span className="source">{row.show(row.source)}</span>
              {row.result !== null && (
                <>
                  {' '}
                  <span className="quiet">→</span> <span className="result">{row.show(row.result)}</span>
                </>
              )}
              <span className="quiet">{row.unit}</span>
            </span>
            <svg className="bars" viewBox="0 0 100 11" preserveAspectRatio="none" aria-hidden="true">
              <rect x="0" y="2" width={(100 * row.source) / full} height="3" fill="var(--source-2)" />
              {row.result !== null && (
                <rect
                  x="0"
                  y="6"
                  width={(100 * row.result) / full}
                  height="3"
                  fill={over ? 'var(--blocked)' : 'var(--result)'}
                />
              )}
              {row.limit !== null && row.limit <= full && (
                <rect x={(100 * row.limit) / full} y="0" width="0.8" height="11" fill="var(--ink)" />
              )}
            </svg>
          </button>
        );
      })}
    </div>
  );
}
