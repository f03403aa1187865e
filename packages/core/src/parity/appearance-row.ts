import type { Light, View } from '../appearance/index.ts';

/** A connected place where two pictures of a view differ. */
export interface AppearanceRegion {
  pixels: number;
  mm2: number;
  deltaE: number;
  /** Σ (ΔE − 8) over its pixels. */
  weight: number;
  /** World metres, and the joint of the source nearest to it. */
  at: [number, number, number];
  joint?: string;
  /** Materials that show there most on either side; nothing where the ground does. */
  from: string | null;
  to: string | null;
  /** Share of the region where that is so. */
  share: number;
  /** Step with which most of it came, where it was worth finding out. */
  came?: { step: string; title: string };
  /** Step that says it meant this change: no loss. */
  meant?: string;
  /** Pictures of the place, as PNG in a data URI: of the heaviest of all views. */
  crops?: { source: string; result: string };
}

export interface AppearanceLoss {
  deltaE: { mean: number; p99: number };
  structure: number;
  /** Under which it is largest. */
  light: Light;
  regions: AppearanceRegion[];
}

export interface AppearanceCover {
  material: string;
  /** Pixels that it shows on. */
  source: number;
  result: number;
  /** The result as a usual engine draws it. */
  drawn: number;
  /** Of the source's pixels, those that are missed: gone where anybody sees a difference. As the result means it, and as it is drawn. */
  missed: { result: number; drawn: number };
  /** How far its surface is another where both show it, on the average: roughness, 0 … 1, and degrees between normals. */
  surface: { roughness: number; degrees: number };
}

/** How source and result look from one side, under the worst light. */
export interface AppearanceRow {
  view: View;
  /** The whole of it in the light from ahead, as JPEG in data URIs, of few views. */
  pictures?: { source: string; result: string };
  /** Source as meant against result as meant: what converting changed. */
  converted: AppearanceLoss;
  /** Result as meant against result as a usual engine draws it: what delivering it there loses. */
  drawn: AppearanceLoss;
  coverage: AppearanceCover[];
}

/** A material that a step put in the place of another. */
export interface MeantChange {
  from: string;
  to: string;
  step: string;
}
