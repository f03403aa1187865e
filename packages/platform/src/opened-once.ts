import type { Pixels } from '@dimetra/core';

type Open = (bytes: Uint8Array) => Promise<Pixels>;
export interface Opened {
  /** Opens an image at full size. */
  open: Open;
  /** What an image holds that was just written, where that is known to the last bit. */
  keep: (bytes: Uint8Array, pixels: Pixels) => void;
}

/**
 * Opens each image once while its pixels fit into `mostBytes` together; beyond that those go that were asked for longest
 * ago. An image is known by its bytes in memory, which steps share; one that can't be opened is asked again. Nobody may
 * write into what is handed out.
 */
export function openedOnce(open: Open, mostBytes: number): Opened {
  const known = new Map<Uint8Array, { pixels: Promise<Pixels>; bytes: number }>();
  let held = 0;
  const letGo = (bytes: Uint8Array): void => {
    held -= known.get(bytes)?.bytes ?? 0;
    known.delete(bytes);
  };
  const hold = (bytes: Uint8Array, pixels: Promise<Pixels>): Promise<Pixels> => {
    const entry = { pixels, bytes: 0 };
    known.set(bytes, entry);
    entry.pixels.then(
      ({ data }) => {
        if (known.get(bytes) !== entry) return;
        entry.bytes = data.length;
        held += data.length;
        for (const [oldest] of known) {
          if (held <= mostBytes) break;
          letGo(oldest);
        }
      },
      () => {
        if (known.get(bytes) === entry) letGo(bytes);
      },
    );
    return pixels;
  };
  return {
    open: (bytes) => {
      const before = known.get(bytes);
      if (!before) return hold(bytes, open(bytes));
      // Asked for last.
      known.delete(bytes);
      known.set(bytes, before);
      return before.pixels;
    },
    keep: (bytes, pixels) => {
      letGo(bytes);
      void hold(bytes, Promise.resolve(pixels));
    },
  };
}
