import type { CharacterSummary, Check, Figure, Finding, Measure, Parity, Recipe, Target, Verdict } from '@dimetra/core';

export type RunState = 'queued' | 'running' | 'cancelling' | 'cancelled' | 'done' | 'failed';
export interface CharacterRow {
  id: string;
  name: string;
  createdAt: string;
  revisionId: string;
  revision: number;
  picture: string | null;
  triangles: number;
  heightCm: number;
  joints: number;
  morphs: number;
  materials: number;
  findings: number;
  conversions: { id: string; targetId: string; state: RunState | null; verdict: Verdict | null }[];
}
export interface CharacterDetail {
  id: string;
  name: string;
  revision: {
    id: string;
    number: number;
    files: { path: string; bytes: number; used: boolean }[];
    summary: CharacterSummary;
    findings: Finding[];
    createdAt: string;
  };
}
export interface Conversion {
  id: string;
  characterId: string;
  targetId: string;
  recipe: Recipe;
  version: number;
  updatedAt: string;
}
export interface StepSummary {
  key: string;
  id: string;
  station: string;
  title: string;
  cached: boolean;
  seconds: number;
  measures: Measure[];
  findings: Finding[];
}
export interface RunRow {
  id: string;
  conversionId: string;
  revisionId: string;
  state: RunState;
  progress: number;
  message: string;
  error: { code: string; message: string } | null;
  steps: StepSummary[];
  checks: Check[] | null;
  createdAt: string;
  startedAt: string | null;
  finishedAt: string | null;
  attempts: number;
  deliveryId: string | null;
  deliveryBytes: number | null;
  character?: string;
  characterId?: string;
  targetId?: string;
}
/** Waiting, at work or being stopped. */
export const underWay = ({ state }: { state: RunState }): boolean =>
  state === 'queued' || state === 'running' || state === 'cancelling';
export interface RunDetail extends RunRow {
  recipe: Recipe;
  target: Target;
  result: CharacterSummary | null;
  parity: Parity | null;
  deliveryFiles: { path: string; bytes: number }[] | null;
}
export type TargetRow = Target & { shipped: boolean };
export interface Problem {
  code: string;
  title: string;
  where?: string;
}
export type FigureRow = Figure & { shipped: boolean };
