/**
 * Carries values outward from known texels into unknown ones, ring by ring: each unknown texel takes the mean of its
 * known neighbours (of eight). What lies further than `reach` keeps what it has.
 * @param data `channels` bytes a texel, rows from the top; changed in place
 * @param known 1 where a texel's value counts; grows with the rings
 * @param reach rings, texels
 * @param carried how many of a texel's channels are written, from the first
 */
export function bleedOutward(
  data: Uint8Array,
  width: number,
  height: number,
  channels: number,
  known: Uint8Array,
  reach: number,
  carried = channels,
): void {
  let ring = frontier(known, width, height);
  const sums = new Float64Array(carried),
    values: number[] = [],
    near = new Int32Array(8);
  for (let step = 0; step < reach && ring.length; step++) {
    values.length = 0;
    for (const at of ring) {
      sums.fill(0);
      let n = 0;
      for (let i = neighbours(at, width, height, near) - 1; i >= 0; i--) {
        if (known[near[i]] !== 1) continue;
        n++;
        for (let c = 0; c < carried; c++) sums[c] += data[near[i] * channels + c];
      }
      for (let c = 0; c < carried; c++) values.push(Math.round(sums[c] / n));
    }
    for (let i = 0, v = 0; i < ring.length; i++) {
      for (let c = 0; c < carried; c++) data[ring[i] * channels + c] = values[v++];
      known[ring[i]] = 1;
    }
    const next: number[] = [];
    for (const at of ring)
      for (let i = neighbours(at, width, height, near) - 1; i >= 0; i--)
        if (known[near[i]] === 0) {
          known[near[i]] = 2;
          next.push(near[i]);
        }
    ring = next;
  }
  // Marks of a ring that was not reached any more.
  for (const at of ring) if (known[at] === 2) known[at] = 0;
}

/** Unknown texels beside known ones, marked 2 so that each is listed once. */
function frontier(known: Uint8Array, width: number, height: number): number[] {
  const out: number[] = [],
    near = new Int32Array(8);
  for (let y = 0, at = 0; y < height; y++)
    for (let x = 0; x < width; x++, at++) {
      if (known[at] !== 0) continue;
      const inside = x > 0 && y > 0 && x + 1 < width && y + 1 < height;
      if (inside ? !isBeside(known, at, width) : !isBesideOf(known, near, neighbours(at, width, height, near)))
        continue;
      known[at] = 2;
      out.push(at);
    }
  return out;
}

const isBeside = (known: Uint8Array, at: number, width: number): boolean =>
  known[at - 1] === 1 ||
  known[at + 1] === 1 ||
  known[at - width] === 1 ||
  known[at + width] === 1 ||
  known[at - width - 1] === 1 ||
  known[at - width + 1] === 1 ||
  known[at + width - 1] === 1 ||
  known[at + width + 1] === 1;

function isBesideOf(known: Uint8Array, near: Int32Array, n: number): boolean {
  for (let i = 0; i < n; i++) if (known[near[i]] === 1) return true;
  return false;
}

/** Places of a texel's up to eight neighbours; how many. Whole maps go through it: it makes nothing new. */
function neighbours(at: number, width: number, height: number, out: Int32Array): number {
  const x = at % width;
  let n = 0;
  for (let row = at - width; row <= at + width; row += width) {
    if (row - x < 0 || row - x >= width * height) continue;
    if (x > 0) out[n++] = row - 1;
    if (row !== at) out[n++] = row;
    if (x + 1 < width) out[n++] = row + 1;
  }
  return n;
}

/** Gives clear texels (alpha 0) of an RGBA image the colour of what is seen nearest to them, so that no filter mixes in black. */
export function bleedUnderClear(data: Uint8Array, width: number, height: number): void {
  const known = new Uint8Array(width * height);
  let clear = 0;
  for (let i = 0; i < known.length; i++)
    if (data[i * 4 + 3] > 0) known[i] = 1;
    else clear++;
  if (clear && clear < known.length) bleedOutward(data, width, height, 4, known, width + height, 3);
}
