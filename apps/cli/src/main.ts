import { ProblemError } from '@dimetra/core';
import { parse } from './arguments.ts';
import { makeCells } from './cell-maker.ts';
import { checkCommand } from './check.ts';
import { compareCommand } from './compare.ts';
import { convertCommand } from './convert.ts';
import { inspectCommand } from './inspect.ts';
import { learnCommand } from './learn.ts';
import { HELP, UsageError } from './usage.ts';

/** Exit codes, a contract: 0 done, 2 wrong usage, 3 input can't be read, 4 done but a check blocks delivery, 5 internal. */
async function main(argv: string[]): Promise<number> {
  const [command, ...rest] = argv;
  // How a batch begins its own processes; nobody types it.
  if (command === 'cells' && process.send) return makeCells();
  const json = rest.includes('--json');
  try {
    const run = {
      convert: convertCommand,
      inspect: inspectCommand,
      compare: compareCommand,
      check: checkCommand,
      learn: learnCommand,
    }[command ?? ''];
    if (!run) throw new UsageError(command ? `There is no command “${command}”.` : 'Say which command.');
    if (rest.includes('--help') || rest.includes('-h')) {
      process.stdout.write(HELP[command as keyof typeof HELP]);
      return 0;
    }
    return await run(parse(rest));
  } catch (error) {
    if (error instanceof UsageError) {
      process.stderr.write(`${error.message}\n${HELP.all}`);
      return 2;
    }
    if (error instanceof ProblemError) {
      if (json) process.stdout.write(`${JSON.stringify({ schema: 1, error: error.toJSON() })}\n`);
      process.stderr.write(`${error.message}\n`);
      return 3;
    }
    process.stderr.write(`Something went wrong inside Dimetra: ${(error as Error).stack}\n`);
    return 5;
  }
}

// Exit once standard output has been taken, or a pipe loses its end.
main(process.argv.slice(2)).then((code) => {
  process.exitCode = code;
});
