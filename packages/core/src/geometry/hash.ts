/** Mixes three words into one of 32 bits (after Teschner et al. 2003). */
export function hashOf(x: number, y: number, z: number): number {
  let h = Math.imul(x, 73_856_093) ^ Math.imul(y, 19_349_663) ^ Math.imul(z, 83_492_791);
  // Round numbers end in zero bits, which a mask would keep: fold the high bits down.
  h = Math.imul(h ^ (h >>> 16), 0x45d9f3b);
  return (h ^ (h >>> 15)) >>> 0;
}
