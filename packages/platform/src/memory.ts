import { readFileSync } from 'node:fs';

/**
 * The most memory this process has had resident, bytes. Where the kernel tells it, since the program was loaded: what
 * getrusage says includes the process it was started from.
 */
export function peakMemory(): number {
  try {
    const [, kilobytes] = /^VmHWM:\s*(\d+) kB$/m.exec(readFileSync('/proc/self/status', 'utf8')) ?? [];
    if (kilobytes) return Number(kilobytes) * 1024;
  } catch {
    /* no such file elsewhere */
  }
  return process.resourceUsage().maxRSS * 1024;
}
