import { type MeasureCode, measureOf, type Station, verdictOf } from '@dimetra/core';
import type { CharacterDetail, RunDetail } from '@dimetra/contract';
import { short } from '../shared/format.ts';

export const STATION_NAMES: Record<Station, string> = {
  intake: 'Intake',
  skeleton: 'Skeleton',
  'rest-pose': 'Rest pose',
  weights: 'Weights',
  morphs: 'Morphs',
  fit: 'Fit',
  materials: 'Materials',
  textures: 'Textures',
  reduce: 'Reduce',
  motion: 'Motion',
  check: 'Check',
  deliver: 'Deliver',
};
export type StationState = 'quiet' | 'waiting' | 'running' | 'done' | 'findings' | 'blocks';
export interface StationView {
  id: Station;
  name: string;
  pair: string;
  state: StationState;
  says: string;
}

const STATE_WORDS: Record<StationState, string> = {
  quiet: 'nothing to do for this character',
  waiting: 'not run yet',
  running: 'running',
  done: 'done',
  findings: 'done, with findings',
  blocks: 'blocks delivery',
};

/** Check and Deliver say the same: the verdict. */
const VERDICT_STATES = { holds: 'done', noted: 'findings', blocks: 'blocks' } as const;

/** The line as it stands: each station's telling pair of numbers and its state. */
export function stationViews(character: CharacterDetail, run: RunDetail | undefined): StationView[] {
  const { summary } = character.revision;
  const done = run?.state === 'done',
    result = run?.result ?? null;
  const measured = (step: string, code: MeasureCode) =>
    measureOf(run?.steps.find((entry) => entry.id === step)?.measures, code);
  const pair = (a: string, b: string) => (result ? `${a} → ${b}` : a);
  const placed = measured('fit.skeleton', 'joints'),
    wrapped = measured('fit.wrap', 'off-the-surface'),
    unrigged =
      !summary.joints.length && !character.revision.findings.some((finding) => finding.repair === 'weights.bind');
  const arms = measured('rest.convert', 'arms-below-straight-out');
  const pairs: Record<Station, string> = {
    intake: `${summary.heightCm.toFixed(1)} cm`,
    skeleton: pair(String(summary.joints.length), String(result?.joints.length)),
    'rest-pose': arms ? pair(`${arms.source.toFixed(0)}°`, `${arms.result.toFixed(0)}°`) : '–',
    fit: placed ? `0 → ${placed.result}` : wrapped ? `${wrapped.result.toFixed(2)} mm off` : '–',
    weights: pair(String(summary.influencesMax), String(result?.influencesMax)),
    morphs: pair(String(summary.morphTargets.length), String(result?.morphTargets.length)),
    materials: pair(String(summary.materials.length), String(result?.materials.length)),
    textures: `${pair((summary.textureMemoryBytes / 1048576).toFixed(0), ((result?.textureMemoryBytes ?? 0) / 1048576).toFixed(0))} MB`,
    reduce: pair(
      short(summary.triangles),
      short(measured('reduce.simplify', 'triangles')?.result ?? result?.triangles ?? 0),
    ),
    motion: summary.clips.length ? `${summary.clips.length} ${summary.clips.length === 1 ? 'clip' : 'clips'}` : '–',
    check: run?.checks ? `${run.checks.filter((check) => check.ok).length} of ${run.checks.length}` : '–',
    deliver: run?.deliveryBytes ? `${(run.deliveryBytes / 1048576).toFixed(1)} MB` : '–',
  };
  const quiet = new Set<Station>([
    ...(placed || wrapped || unrigged ? [] : ['fit' as const]),
    ...(arms || run === undefined ? [] : ['rest-pose' as const]),
    ...(summary.morphTargets.length ? [] : ['morphs' as const]),
  ]);
  const order = Object.keys(STATION_NAMES) as Station[],
    active = run && ['running', 'cancelling'].includes(run.state),
    now = active ? order.indexOf(run.station ?? 'intake') : -1,
    atTheEnd = (id: Station) => id === 'check' || id === 'deliver';
  return order.map((id, i) => {
    const step = run?.steps.find((entry) => entry.station === id);
    const broken = run?.checks?.filter((check) => !check.ok && check.station === id) ?? [];
    let state: StationState = 'waiting';
    if (quiet.has(id)) state = 'quiet';
    else if (active && i >= now) state = i === now ? 'running' : 'waiting';
    else if (atTheEnd(id)) state = !done ? 'waiting' : VERDICT_STATES[verdictOf(run.checks ?? []).state];
    else if (broken.some((check) => check.blocking)) state = 'blocks';
    else if (id === 'intake')
      state = character.revision.findings.some((finding) => finding.severity !== 'info') ? 'findings' : 'done';
    else if (step || done || active)
      state = step?.findings.some((finding) => finding.severity !== 'info') ? 'findings' : 'done';
    return { id, name: STATION_NAMES[id], pair: pairs[id], state, says: STATE_WORDS[state] };
  });
}
