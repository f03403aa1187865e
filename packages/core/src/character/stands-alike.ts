/** Whether a mesh stands in the character as it is: elsewhere outwards is another direction in it. */
export function standsAlike(own: Float32Array, there: Float32Array): boolean {
  for (let i = 0; i < own.length; i++) if (Math.abs(own[i] - there[i]) > 1e-5) return false;
  return true;
}
