/**
 * How far a mesh stands in the character from where its vertices have it, metres: the same for all of them, so that
 * directions are the same in both. Null where it is turned, scaled or bent too.
 */
export function standsOff(own: Float32Array, there: Float32Array): [number, number, number] | null {
  const off: [number, number, number] = [there[0] - own[0], there[1] - own[1], there[2] - own[2]];
  for (let i = 0; i < own.length; i++) if (Math.abs(there[i] - own[i] - off[i % 3]) > 1e-5) return null;
  return own.length ? off : [0, 0, 0];
}
