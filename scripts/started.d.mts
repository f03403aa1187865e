import type { ChildProcess } from 'node:child_process';

export function startApplication(
  args: readonly string[],
  options?: { env?: Record<string, string>; quiet?: boolean; patienceMs?: number; script?: string },
): Promise<{ address: string; app: ChildProcess; stop(): Promise<void> }>;
