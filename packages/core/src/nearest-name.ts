import { distance } from 'fastest-levenshtein';

/** The nearest name that exists, where no more than two letters in five differ (Levenshtein 1966), as the end of a sentence. */
export function nearestName(name: string, have: readonly string[]): string {
  let best = '',
    least = Math.max(2, Math.ceil(name.length * 0.4)) + 1;
  for (const other of have) {
    const off = distance(name.toLowerCase(), other.toLowerCase());
    if (off < least) {
      least = off;
      best = other;
    }
  }
  return best ? `; “${best}” is nearest` : '';
}
