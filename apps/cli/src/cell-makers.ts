import { type ChildProcess, fork } from 'node:child_process';
import type { CellAnswer, CellMade, CellOrder } from './cell-maker.ts';

/** A job is a core: helpers of one would only take turns with the others, and its engine's alone cost a fifth of all. */
const ONE_CORE = ['--single-threaded'];
/** A process that holds more than this makes no further cell: what it kept of earlier ones must not be why the next fails. */
const MOST_HELD = 1.5 * 2 ** 30;

/** One process that makes cells, begun when the first is asked for and begun again when it is gone. */
export class CellMaker {
  private child: ChildProcess | null = null;
  private made = 0;
  private said = '';

  constructor(
    private readonly onOneCore: boolean,
    private readonly signal: AbortSignal,
  ) {}

  async make(order: CellOrder): Promise<CellMade> {
    // A process that has made others may be gone with what it held of them: alone the cell may well do.
    const again = this.made > 0,
      made = await this.ask(order);
    if (made) return made;
    const second = again && !this.signal.aborted ? await this.ask(order) : null;
    return second ?? { problem: this.problem() };
  }

  close(): void {
    if (this.child?.connected) this.child.disconnect();
    this.child = null;
    this.made = 0;
  }

  /** Null where the process ended before it answered. */
  private ask(order: CellOrder): Promise<CellMade | null> {
    if (this.signal.aborted) return Promise.resolve(null);
    const child = (this.child ??= this.begin());
    return new Promise((done) => {
      const kill = () => child.kill('SIGTERM'),
        settle = (made: CellMade | null) => {
          this.signal.removeEventListener('abort', kill);
          child.off('message', answered).off('close', ended).off('error', failed);
          done(made);
        },
        answered = ({ heldBytes, ...made }: CellAnswer) => {
          this.made++;
          if (heldBytes > MOST_HELD) this.close();
          settle(made);
        },
        ended = () => {
          if (this.child === child) this.close();
          settle(null);
        },
        failed = (error: Error) => {
          this.said = error.message;
          ended();
        };
      child.on('message', answered).on('close', ended).on('error', failed);
      this.signal.addEventListener('abort', kill, { once: true });
      child.send(order, (error) => error && failed(error));
    });
  }

  private begin(): ChildProcess {
    const child = fork(process.argv[1], ['cells'], {
      execArgv: this.onOneCore ? ONE_CORE : [],
      stdio: ['ignore', 'ignore', 'pipe', 'ipc'],
      env: { ...process.env, ...(this.onOneCore && { DIMETRA_CORES: '1' }) },
    });
    this.said = '';
    child.stderr?.setEncoding('utf8').on('data', (text: string) => {
      this.said = (this.said + text).slice(-4000);
    });
    return child;
  }

  private problem(): string {
    return this.signal.aborted ? 'stopped' : this.said.trim().split('\n').at(-1) || 'the process that made it ended';
  }
}

/**
 * Hands what is to be done to so many at once: each goes on with the character it has, then takes one that nobody has
 * begun, then helps where most is left.
 * @param of what things share that are best done by one
 */
export async function dealt<Thing>(
  things: readonly Thing[],
  of: (thing: Thing) => string,
  at: number,
  each: (thing: Thing, by: number) => Promise<void>,
): Promise<void> {
  const left = new Map<string, Thing[]>(),
    begun = new Set<string>();
  for (const thing of things) left.set(of(thing), [...(left.get(of(thing)) ?? []), thing]);
  const next = (own: string | null): Thing | undefined => {
    const open = [...left.keys()],
      from =
        open.find((key) => key === own) ??
        open.find((key) => !begun.has(key)) ??
        open.reduce<string | undefined>(
          (most, key) => (most && (left.get(most)?.length ?? 0) >= (left.get(key)?.length ?? 0) ? most : key),
          undefined,
        );
    if (from === undefined) return undefined;
    begun.add(from);
    const rest = left.get(from) as Thing[],
      thing = rest.shift() as Thing;
    if (!rest.length) left.delete(from);
    return thing;
  };
  await Promise.all(
    Array.from({ length: Math.min(at, things.length) }, async (_, by) => {
      for (let thing = next(null); thing; thing = next(of(thing))) await each(thing, by);
    }),
  );
}
