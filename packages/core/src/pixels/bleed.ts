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
    values: number[] = [];
  for (let step = 0; step < reach && ring.length; step++) {
    values.length = 0;
    for (const at of ring) {
      sums.fill(0);
      let n = 0;
      eachNeighbour(at, width, height, (other) => {
        if (known[other] !== 1) return;
        n++;
        for (let c = 0; c < carried; c++) sums[c] += data[other * channels + c];
      });
      for (let c = 0; c < carried; c++) values.push(Math.round(sums[c] / n));
    }
    ring.forEach((at, i) => {
      for (let c = 0; c < carried; c++) data[at * channels + c] = values[i * carried + c];
      known[at] = 1;
    });
    const next: number[] = [];
    for (const at of ring)
      eachNeighbour(at, width, height, (other) => {
        if (known[other] === 0) {
          known[other] = 2;
          next.push(other);
        }
      });
    ring = next;
  }
  // Marks of a ring that was not reached any more.
  for (const at of ring) if (known[at] === 2) known[at] = 0;
}

/** Unknown texels beside known ones, marked 2 so that each is listed once. */
function frontier(known: Uint8Array, width: number, height: number): number[] {
  const out: number[] = [];
  for (let at = 0; at < known.length; at++) {
    if (known[at] !== 0) continue;
    let beside = false;
    eachNeighbour(at, width, height, (other) => {
      if (known[other] === 1) beside = true;
    });
    if (beside) {
      known[at] = 2;
      out.push(at);
    }
  }
  return out;
}

function eachNeighbour(at: number, width: number, height: number, see: (other: number) => void): void {
  const x = at % width,
    y = (at - x) / width;
  for (let v = Math.max(0, y - 1); v <= Math.min(height - 1, y + 1); v++)
    for (let u = Math.max(0, x - 1); u <= Math.min(width - 1, x + 1); u++) if (u !== x || v !== y) see(v * width + u);
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
