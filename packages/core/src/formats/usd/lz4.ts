/**
 * Opens one LZ4 block (LZ4 block format description 1.6). Reads and writes stay inside both arrays whatever the bytes say.
 * @returns how many bytes were written, −1 where the block is damaged
 */
export function openLz4(input: Uint8Array, from: number, end: number, output: Uint8Array, to: number): number {
  let i = from,
    o = to;
  const length = (base: number): number => {
    if (base < 15) return base;
    let sum = 15,
      byte = 255;
    while (byte === 255) {
      if (i >= end) return -1;
      byte = input[i++];
      sum += byte;
    }
    return sum;
  };
  while (i < end) {
    const token = input[i++];
    const literals = length(token >> 4);
    if (literals < 0 || i + literals > end || o + literals > output.length) return -1;
    output.set(input.subarray(i, i + literals), o);
    i += literals;
    o += literals;
    if (i >= end) return o - to;
    if (i + 2 > end) return -1;
    const back = input[i] | (input[i + 1] << 8);
    i += 2;
    const rest = length(token & 15);
    const match = rest + 4;
    if (rest < 0 || back === 0 || back > o - to || o + match > output.length) return -1;
    for (let k = 0; k < match; k++, o++) output[o] = output[o - back];
  }
  return o - to;
}
