import { tmpdir } from 'node:os';
import { describe, expect, it } from 'vitest';
import { DiskRoom } from './room.ts';

describe('DiskRoom', () => {
  it('lets through what fits, and refuses what would go into the reserve with a sentence', async () => {
    await new DiskRoom(tmpdir(), 0).ask(1000);
    await expect(new DiskRoom(tmpdir(), 0).ask(1e18)).rejects.toMatchObject({
      code: 'storage.full',
      message: expect.stringMatching(/MB are free/),
    });
    await expect(new DiskRoom(tmpdir(), 1e18).ask(0)).rejects.toMatchObject({ code: 'storage.full' });
  });
  it('says nothing of a database that lies elsewhere, or of a folder that is gone', async () => {
    await new DiskRoom(null, 1e18).ask(1e18);
    await new DiskRoom('/no/such/folder', 1e18).ask(1e18);
  });
});
