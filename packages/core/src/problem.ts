import * as v from 'valibot';

/** What a user can cause and mend, as data: a stable code, one sentence, and where it is. */
export interface Problem {
  /** Stable, dotted, lower case: `gltf.truncated`. */
  code: string;
  /** Says what is wrong and what to do about it. */
  message: string;
  /** File, part, joint … it is about. */
  where?: string;
}

/** Carries a {@link Problem} to the edge (HTTP, command line, job), where it becomes data again. */
export class ProblemError extends Error implements Problem {
  readonly code: string;
  readonly where?: string;
  constructor(code: string, message: string, where?: string) {
    super(message);
    this.name = 'ProblemError';
    this.code = code;
    this.where = where;
  }
  toJSON(): Problem {
    return { code: this.code, message: this.message, where: this.where };
  }
}

/**
 * What came from outside, as its schema has it.
 * @param what begins the sentence where it isn't: “The treatment”
 * @param where what it is about where no field can be named
 * @throws ProblemError with `code`, naming the field
 */
export function parseOrTell<S extends v.GenericSchema>(
  schema: S,
  value: unknown,
  { code, what, where = 'the whole' }: { code: string; what: string; where?: string },
): v.InferOutput<S> {
  const parsed = v.safeParse(schema, value);
  if (parsed.success) return parsed.output;
  const [issue] = parsed.issues,
    path = issue.path?.map((item) => String(item.key)).join('.');
  throw new ProblemError(
    code,
    `${what} can't be used: ${path || 'the whole'} should be ${issue.expected ?? issue.message}${issue.received && !/^(Object|Array)$/.test(issue.received) ? `, and is ${issue.received}` : ''}.`,
    path || where,
  );
}

/** Thrown by {@link throwIfAborted}; never shown as an error. */
export class AbortedError extends Error {
  constructor() {
    super('stopped on request');
    this.name = 'AbortedError';
  }
}

/** Just the part of AbortSignal that a kernel reads, so that a shared-memory flag can stand in for it. */
export interface StopSignal {
  readonly aborted: boolean;
}

export function throwIfAborted(signal: StopSignal | undefined): void {
  if (signal?.aborted) throw new AbortedError();
}

export type Severity = 'info' | 'warning' | 'error';

/** One thing found out about a character or a step's result. */
export interface Finding {
  code: string;
  severity: Severity;
  message: string;
  where?: string;
  measured?: number | string;
  limit?: number | string;
  /** What else the sentence names, for readers that act on it: a pose, a morph, a map. */
  names?: Readonly<Record<string, string>>;
  /** Id of the step or setting that mends it. */
  repair?: string;
}
