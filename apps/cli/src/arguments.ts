import { parseArgs } from 'node:util';
import { UsageError } from './usage.ts';

/** Options of all commands. @throws UsageError */
export function parse(args: string[]) {
  try {
    return parseArgs({
      args,
      allowPositionals: true,
      options: {
        target: { type: 'string' },
        recipe: { type: 'string' },
        out: { type: 'string' },
        figure: { type: 'string', multiple: true },
        json: { type: 'boolean' },
        landmarks: { type: 'boolean' },
        samples: { type: 'string' },
        title: { type: 'string' },
        id: { type: 'string' },
      },
    });
  } catch (error) {
    throw new UsageError((error as Error).message);
  }
}
export type Parsed = ReturnType<typeof parse>;
