import type { Document } from '@gltf-transform/core';
import type * as v from 'valibot';
import type { Measure } from './measures.ts';
import { type Finding, ProblemError, type StopSignal } from './problem.ts';
import type { Stance } from './rig/index.ts';
import type { Target } from './targets/index.ts';
import type { ImageCodec } from './pixels/index.ts';

export interface StepContext {
  /** @param station where the character is on the line; the caller of a step adds it */
  progress(fraction: number, message: string, station?: Station): void;
  signal?: StopSignal;
  log(message: string): void;
  images: ImageCodec;
  /** Another character, by the name that a setting gives it: a revision in the application, a path on the command line. */
  character?(name: string): Promise<{ document: Document; name: string }>;
  /** A file that a figure names by its SHA-256; null where it isn't here. */
  piece?(sha256: string): Promise<Uint8Array | null>;
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

export interface StepDefinition<S extends v.GenericSchema = v.GenericSchema, Id extends string = string> {
  id: Id;
  station: Station;
  title: string;
  /** What it does, in a sentence or two, for its card. */
  says?: string;
  /** Needs it serves, by id. */
  needs: readonly string[];
  settings: S;
  /** All that the step reads of a target: a change elsewhere in the target leaves its result as it was. */
  reads(target: Target): unknown;
  /** Whether there is anything to do; asked with the settings of the run, or without any for what the step would do by itself. */
  applies(document: Document, target: Target, settings?: v.InferOutput<S>): boolean;
  /**
   * What the step means for parity. Said here, the source undergoes it too before the result is held against it: what it
   * does is no loss. Where it isn't said, what the step changes is measured.
   */
  reference?: {
    /** @param stance how the source stood when it came */
    needed(document: Document, settings: v.InferOutput<S>, stance: Stance, target: Target): boolean;
    /** Changes `document`, a copy of the source, as the step does. */
    undergo(document: Document, settings: v.InferOutput<S>, target: Target, context: StepContext): void | Promise<void>;
  };
  /** Whether another step of the same recipe does what this one is for: then it isn't run. */
  givesWay?(settingsOf: (id: string) => Readonly<Record<string, unknown>>): boolean;
  /** Gives weights to what had none: in poses the result is held against the source as it is with them. */
  givesWeights?: true;
  /** Works on a copy of the previous step's document, which it may change and returns by changing. */
  run(
    document: Document,
    settings: v.InferOutput<S>,
    target: Target,
    context: StepContext,
  ): Promise<{ measures: Measure[]; findings: Finding[] }>;
}

/** Ties the settings' type to their schema, and keeps the id's. */
export const defineStep = <const Id extends string, S extends v.GenericSchema>(
  step: StepDefinition<S, Id>,
): StepDefinition<S, Id> => step;

/**
 * What steps share that do only what somebody asks for, by the recipe or the target: they apply where something is asked, and
 * the source undergoes it too, since what is meant is no loss.
 * @param byTarget whether the target asks by itself, where nothing is set
 */
export const meant = <S>(
  asked: (settings: S, target: Target, document: Document) => boolean,
  carryOut: (document: Document, settings: S, target: Target, context: StepContext) => unknown,
  byTarget: (target: Target, document: Document) => boolean = () => false,
) => ({
  applies: (document: Document, target: Target, settings?: S): boolean =>
    settings === undefined ? byTarget(target, document) : asked(settings, target, document),
  reference: {
    needed: (document: Document, settings: S, _stance: unknown, target: Target): boolean =>
      asked(settings, target, document),
    undergo: async (document: Document, settings: S, target: Target, context: StepContext): Promise<void> =>
      void (await carryOut(document, settings, target, context)),
  },
});

/**
 * Another character that a setting names.
 * @param wanted begins the sentence where others can't be reached: “Weights should come from another character”
 * @param who begins it where this one can't be opened: “The character that weights should come from”
 * @throws ProblemError with `code`
 */
export async function otherCharacter(
  { character }: Pick<StepContext, 'character'>,
  name: string,
  { code, wanted, who }: { code: string; wanted: string; who: string },
): Promise<{ document: Document; name: string }> {
  if (!character) throw new ProblemError(code, `${wanted}, and others can't be reached from here.`, name);
  return character(name).catch((error: Error) => {
    throw new ProblemError(
      code,
      `${who} can't be opened: ${error.message.replace(/[.\s]+$/, '')}. Choose another.`,
      name,
    );
  });
}
