import type { Document } from '@gltf-transform/core';
import type * as v from 'valibot';
import type { Finding, StopSignal } from './problem.ts';
import type { Target } from './targets/index.ts';
import type { ImageCodec } from './pixels/index.ts';

/** A number that a step changed: source beside result. */
export interface Measure {
  name: string;
  unit: string;
  source: number;
  result: number;
}

export interface StepContext {
  progress(fraction: number, message: string): void;
  signal?: StopSignal;
  log(message: string): void;
  images: ImageCodec;
  /** Another character, by the name that a setting gives it: a revision in the application, a path on the command line. */
  character?(name: string): Promise<{ document: Document; name: string }>;
  /** SHA-256 as lower-case hex. */
  hash(bytes: Uint8Array): string;
}

/** Stations of the line, in the order people work. */
export const STATIONS = [
  'intake',
  'skeleton',
  'rest-pose',
  'weights',
  'morphs',
  'fit',
  'materials',
  'textures',
  'reduce',
  'motion',
  'check',
  'deliver',
] as const;
export type Station = (typeof STATIONS)[number];

export interface StepDefinition<S extends v.GenericSchema = v.GenericSchema> {
  id: string;
  station: Station;
  title: string;
  /** Needs it serves, by id. */
  needs: readonly string[];
  settings: S;
  /** All that the step reads of a target: a change elsewhere in the target leaves its result as it was. */
  reads(target: Target): unknown;
  /** Whether there is anything to do; asked with the settings of the run, or without any for what the step would do by itself. */
  applies(document: Document, target: Target, settings?: v.InferOutput<S>): boolean;
  /** Works on a copy of the previous step's document, which it may change and returns by changing. */
  run(
    document: Document,
    settings: v.InferOutput<S>,
    target: Target,
    context: StepContext,
  ): Promise<{ measures: Measure[]; findings: Finding[] }>;
}

/** Ties the settings' type to their schema. */
export const defineStep = <S extends v.GenericSchema>(step: StepDefinition<S>): StepDefinition<S> => step;
