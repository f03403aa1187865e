const HEADROOM = 1.1;

/** The next round number: two digits, so that a limit reads as one. */
export function roomy(value: number, headroom = HEADROOM): number {
  const wanted = Math.max(1, value * headroom),
    unit = 10 ** Math.max(0, Math.floor(Math.log10(wanted)) - 1);
  return Math.ceil(wanted / unit) * unit;
}
