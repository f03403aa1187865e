import { parseArgs } from 'node:util';
import { UsageError } from './usage.ts';

/** Options of all commands. @throws UsageError */
export function parse(args: string[]) {
  try {
    return parseArgs({
      args,
      allowPositionals: true,
      options: {
        target: { type: 'string', multiple: true },
        main: { type: 'string' },
        jobs: { type: 'string' },
        junit: { type: 'string' },
        baseline: { type: 'string' },
        recipe: { type: 'string' },
        by: { type: 'string' },
        out: { type: 'string' },
        figure: { type: 'string', multiple: true },
        json: { type: 'boolean' },
        landmarks: { type: 'boolean' },
        samples: { type: 'string' },
        title: { type: 'string' },
        as: { type: 'string' },
        id: { type: 'string' },
      },
    });
  } catch (error) {
    throw new UsageError((error as Error).message);
  }
}
export type Parsed = ReturnType<typeof parse>;

/** The one target of a command that takes one. @throws UsageError */
export function oneTarget({ values: { target = [] } }: Parsed, command: string): string {
  if (target.length !== 1)
    throw new UsageError(target.length ? `${command} takes one --target.` : `${command} needs --target.`);
  return target[0];
}
