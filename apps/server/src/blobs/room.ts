import { statfs } from 'node:fs/promises';
import { ProblemError } from '@dimetra/core';

const MB = 1024 * 1024;
/** Rows, their index and the database's own log take more than the bytes themselves. */
const OVERHEAD = 2;

/**
 * Room on the disk under the database. PostgreSQL stops altogether when it can't write its log, so what would fill
 * the disk is refused before it is written.
 */
export class DiskRoom {
  /** @param folder where the database lies; null where it is another machine's and can't be asked */
  constructor(
    private readonly folder: string | null,
    private readonly reserveBytes: number,
  ) {}

  static fromEnvironment(): DiskRoom {
    return new DiskRoom(process.env.DIMETRA_STORAGE || null, Number(process.env.DIMETRA_RESERVE_MB ?? 384) * MB);
  }

  /** @throws ProblemError storage.full where `bytes` more would go into the reserve */
  async ask(bytes: number): Promise<void> {
    if (!this.folder) return;
    let free: number;
    try {
      const disk = await statfs(this.folder);
      free = disk.bavail * disk.bsize;
    } catch {
      return;
    }
    if (free - bytes * OVERHEAD >= this.reserveBytes) return;
    throw new ProblemError(
      'storage.full',
      `The disk that Dimetra keeps its data on is full: ${Math.round(free / MB)} MB are free, ${Math.round(this.reserveBytes / MB)} MB of them are kept for the database itself. Nothing was changed. Free some space or start with --data on another disk.`,
    );
  }
}
