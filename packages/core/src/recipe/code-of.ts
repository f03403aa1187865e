/** Put in by builds and tests: see `scripts/step-code.mjs`. */
declare const __STEP_CODE__: Readonly<Record<string, string>> | undefined;

/** Stands for all of it: two programs that say the same make the same of everything. @throws as {@link codeOf} */
export function wholeCode(): string {
  if (typeof __STEP_CODE__ === 'undefined') throw new Error('What this program is made of is not known.');
  return Object.entries(__STEP_CODE__)
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([id, code]) => `${id} ${code}`)
    .join('\n');
}

/**
 * Stands for the code that a step runs, by the step's id, and under `conclusion` for what follows the steps. Part of
 * the keys under which results are kept, so that none outlives the code that made it.
 * @throws where this was not built with it: a result kept without would be taken for what later code makes
 */
export function codeOf(id: string): string {
  const code = typeof __STEP_CODE__ === 'undefined' ? undefined : __STEP_CODE__[id];
  if (!code) throw new Error(`What “${id}” is made of is not known: nothing can be kept of it.`);
  return code;
}
