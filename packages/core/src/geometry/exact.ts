// Roots, exponentials and angles that come out alike on every machine: made of + − × ÷ and square roots, which IEEE 754
// rounds exactly. `Math.pow`, `cbrt`, `atan2` and the like may differ in the last bit from engine to engine, and a
// rounded picture would differ with them.

/** ∛x of a number from 0 up, by Newton's steps on a value brought to ⅛ … 1. */
export function cubeRoot(x: number): number {
  if (!(x > 0)) return 0;
  let scale = 1;
  for (; x > 1; x /= 8) scale *= 2;
  for (; x < 0.125; x *= 8) scale /= 2;
  let y = 0.4 + 0.6 * x;
  for (let i = 0; i < 5; i++) y = (2 * y + x / (y * y)) / 3;
  return y * scale;
}

/** The fifth root of a number from 0 up. */
function fifthRoot(x: number): number {
  if (!(x > 0)) return 0;
  let scale = 1;
  for (; x > 1; x /= 32) scale *= 2;
  for (; x < 1 / 32; x *= 32) scale /= 2;
  let y = 0.5 + 0.5 * x;
  for (let i = 0; i < 7; i++) y = (4 * y + x / (y * y * y * y)) / 5;
  return y * scale;
}

/** x to the power of 2.4. */
export function power24(x: number): number {
  const square = x * x;
  return square * fifthRoot(square);
}

/** x to the power of 1 ÷ 2.4. */
export function root24(x: number): number {
  const twelfth = Math.sqrt(Math.sqrt(cubeRoot(x))),
    square = twelfth * twelfth;
  return square * square * twelfth;
}

const LN2 = 0.6931471805599453;
/** e to the power of x, for x up to 0; relative error under 1e-12. */
export function expOf(x: number): number {
  const halvings = Math.floor(-x / LN2);
  if (halvings > 1000) return 0;
  const r = x + halvings * LN2;
  let sum = 1;
  for (let n = 14; n > 0; n--) sum = 1 + (r * sum) / n;
  for (let i = 0; i < halvings; i++) sum /= 2;
  return sum;
}

/** Sine of −1.2 … 1.2 radians by its series. */
export function sineOfSmall(x: number): number {
  const square = x * x;
  let sum = 1;
  for (let n = 8; n > 0; n--) sum = 1 - (square * sum) / (2 * n * (2 * n + 1));
  return x * sum;
}

/** Cosine and sine of an angle in degrees. */
export function turnOf(degrees: number): { cos: number; sin: number } {
  const quarter = Math.round(degrees / 90),
    x = ((degrees - quarter * 90) * Math.PI) / 180,
    sin = sineOfSmall(x),
    cos = Math.sqrt(1 - sin * sin);
  switch (((quarter % 4) + 4) % 4) {
    case 0:
      return { cos, sin };
    case 1:
      return { cos: -sin, sin: cos };
    case 2:
      return { cos: -cos, sin: -sin };
    default:
      return { cos: sin, sin: -cos };
  }
}

/** Angle of a direction in degrees, 0 … 360; within 2e-6° (Abramowitz & Stegun 1964, 4.4.49). */
export function degreesOf(y: number, x: number): number {
  const ax = Math.abs(x),
    ay = Math.abs(y);
  if (ax === 0 && ay === 0) return 0;
  const t = ay > ax ? ax / ay : ay / ax,
    z = t * t;
  let sum = 0.0028662257;
  for (const c of ATAN) sum = c + z * sum;
  let angle = (t * sum * 180) / Math.PI;
  if (ay > ax) angle = 90 - angle;
  if (x < 0) angle = 180 - angle;
  return y < 0 ? 360 - angle : angle;
}
const ATAN = [-0.0161657367, 0.0429096138, -0.07528964, 0.1065626393, -0.1420889944, 0.1999355085, -0.3333314528, 1];
