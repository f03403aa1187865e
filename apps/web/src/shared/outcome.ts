import type { CharacterRow } from '@dimetra/contract';

/** What became of the newest run for a target: a sign and few words; a dash where there was none. */
export function outcomeOf(entry: CharacterRow['conversions'][number] | null): string {
  const verdict = entry?.verdict;
  switch (entry?.state) {
    case 'queued':
      return '○ waiting';
    case 'running':
      return `◌ ${Math.round((entry.progress ?? 0) * 100)} %`;
    case 'cancelling':
      return '◌ stopping';
    case 'cancelled':
      return '○ stopped';
    case 'failed':
      return '■ failed';
    case 'done':
      if (!verdict) return '● done';
      if (verdict.state === 'blocks') return `■ ${verdict.blocking} ${verdict.blocking === 1 ? 'blocks' : 'block'}`;
      return verdict.state === 'noted' ? `◐ deliverable, ${verdict.noted} noted` : '● deliverable';
    default:
      return '–';
  }
}
