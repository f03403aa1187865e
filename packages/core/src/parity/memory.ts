/** What was measured before, by the content of what it was measured on. */
export interface Memory {
  /** A key of words and numbers: equal keys, equal content. */
  key(...content: (string | ArrayBufferView)[]): string;
  recall(key: string): Promise<unknown>;
  /** @param value as JSON has it */
  remember(key: string, value: unknown): Promise<void>;
}

/** How often 0 and 1 follow themselves, in turn, beginning with 0: marks that lie together take little room. */
export function runsOf(marks: Uint8Array): number[] {
  const out: number[] = [];
  let at = 0,
    mark = 0;
  while (at < marks.length) {
    const from = at;
    while (at < marks.length && marks[at] === mark) at++;
    out.push(at - from);
    mark ^= 1;
  }
  return out;
}

export function marksOf(runs: readonly number[], length: number): Uint8Array {
  const out = new Uint8Array(length);
  let at = 0;
  runs.forEach((run, i) => {
    if (i & 1) out.fill(1, at, at + run);
    at += run;
  });
  return out;
}
