/** What some work gave, and the milliseconds it took. */
export async function timed<T>(work: () => Promise<T>): Promise<[T, number]> {
  const start = performance.now(),
    result = await work();
  return [result, performance.now() - start];
}

export const median = (values: readonly number[]): number =>
  [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)];
