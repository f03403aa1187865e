/** Value noise of integer lattice hashes: the same on every machine. */
function lattice(x: number, y: number, z: number): number {
  let h = Math.imul(x | 0, 374761393) ^ Math.imul(y | 0, 668265263) ^ Math.imul(z | 0, 2147483647 ^ 0x5bd1e995);
  h = Math.imul(h ^ (h >>> 13), 1274126177);
  return ((h ^ (h >>> 16)) >>> 0) / 4294967295;
}

/** 0 … 1, smooth, one feature per unit. */
export function noise(x: number, y: number, z = 0): number {
  const i = Math.floor(x), j = Math.floor(y), k = Math.floor(z);
  const u = x - i, v = y - j, w = z - k;
  const s = (t: number) => t * t * (3 - 2 * t);
  const [su, sv, sw] = [s(u), s(v), s(w)];
  const row = (b: number, c: number) => lattice(i, j + b, k + c) * (1 - su) + lattice(i + 1, j + b, k + c) * su;
  return (row(0, 0) * (1 - sv) + row(1, 0) * sv) * (1 - sw) + (row(0, 1) * (1 - sv) + row(1, 1) * sv) * sw;
}

/** Several octaves of {@link noise}, 0 … 1. */
export function fractal(x: number, y: number, z = 0, octaves = 4): number {
  let sum = 0, amount = 0.5, total = 0;
  for (let o = 0; o < octaves; o++) { sum += noise(x, y, z + o * 17) * amount; total += amount; amount /= 2; x *= 2; y *= 2; z *= 2; }
  return sum / total;
}
