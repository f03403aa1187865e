const A = 374761393,
  B = 668265263,
  C = 2147483647 ^ 0x5bd1e995;
/** Value noise of integer lattice hashes: the same on every machine. */
function finish(mixed: number): number {
  const h = Math.imul(mixed ^ (mixed >>> 13), 1274126177);
  return ((h ^ (h >>> 16)) >>> 0) / 4294967295;
}

/** 0 … 1, smooth, one feature per unit. Written out: a map asks for millions. */
export function noise(x: number, y: number, z = 0): number {
  const i = Math.floor(x),
    j = Math.floor(y),
    k = Math.floor(z);
  const u = x - i,
    v = y - j,
    w = z - k;
  const su = u * u * (3 - 2 * u),
    sv = v * v * (3 - 2 * v),
    sw = w * w * (3 - 2 * w);
  const x0 = Math.imul(i, A),
    x1 = Math.imul(i + 1, A),
    y0 = Math.imul(j, B),
    y1 = Math.imul(j + 1, B),
    z0 = Math.imul(k, C),
    z1 = Math.imul(k + 1, C);
  const a = finish(x0 ^ y0 ^ z0) * (1 - su) + finish(x1 ^ y0 ^ z0) * su,
    b = finish(x0 ^ y1 ^ z0) * (1 - su) + finish(x1 ^ y1 ^ z0) * su;
  const c = finish(x0 ^ y0 ^ z1) * (1 - su) + finish(x1 ^ y0 ^ z1) * su,
    d = finish(x0 ^ y1 ^ z1) * (1 - su) + finish(x1 ^ y1 ^ z1) * su;
  return (a * (1 - sv) + b * sv) * (1 - sw) + (c * (1 - sv) + d * sv) * sw;
}

/** Several octaves of {@link noise}, 0 … 1. */
export function fractal(x: number, y: number, z = 0, octaves = 4): number {
  let sum = 0,
    amount = 0.5,
    total = 0;
  for (let o = 0; o < octaves; o++) {
    sum += noise(x, y, z + o * 17) * amount;
    total += amount;
    amount /= 2;
    x *= 2;
    y *= 2;
    z *= 2;
  }
  return sum / total;
}
