import type { Target } from '@dimetra/core';
import type { Cost } from './faults.ts';
import type { Moment } from './world.ts';

export interface CostRow {
  name: string;
  measured: number;
  /** What the target allows, or a screen of sixty pictures a second. */
  limit?: number;
  unit: string;
  digits: number;
}

/** A screen of sixty pictures a second. */
export const FRAME_MS = 1000 / 60;

/** What the figure asks for against what its target allows; frame and draws are of all that is seen. */
export function costRows(cost: Cost, moment: Moment | null, target: Target | null): CostRow[] {
  return [
    { name: 'Triangles', measured: cost.triangles, limit: target?.triangles.max, unit: '', digits: 0 },
    { name: 'Materials', measured: cost.materials, limit: target?.materials.max, unit: '', digits: 0 },
    { name: 'Texture memory', measured: cost.textureMB, limit: target?.textures.maxMemoryMB, unit: 'MB', digits: 1 },
    ...(moment ? [{ name: 'Frame', measured: moment.frameMs, limit: FRAME_MS, unit: 'ms', digits: 1 }] : []),
    { name: 'Draws, figure', measured: cost.drawCalls, unit: '', digits: 0 },
    ...(moment
      ? [
          { name: 'Longest frame', measured: moment.longestMs, unit: 'ms', digits: 0 },
          { name: 'Draws, all seen', measured: moment.drawCalls, unit: '', digits: 0 },
          { name: 'Triangles, all seen', measured: moment.triangles, unit: '', digits: 0 },
        ]
      : []),
  ];
}
