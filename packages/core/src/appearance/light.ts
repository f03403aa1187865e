import { expOf, turnOf } from '../geometry/index.ts';

/** Set-ups of light. All hang on the camera, so that every view is lit alike. */
export const LIGHTS = ['front', 'side', 'behind', 'flat'] as const;
export type Light = (typeof LIGHTS)[number];
/** Numbers a pixel: red, green and blue for each light. */
export const CHANNELS = LIGHTS.length * 3;

interface Setup {
  /** Where the light comes from, to the right, up and towards the viewer; null where nothing is shaded. */
  from: readonly [number, number, number] | null;
  power: number;
  ambient: number;
}

/** From so many degrees to the right of the camera and above it. */
function from(yaw: number, pitch: number): readonly [number, number, number] {
  const turn = turnOf(yaw),
    rise = turnOf(pitch);
  return [turn.sin * rise.cos, rise.sin, turn.cos * rise.cos];
}

/** The side light stands high enough to throw a nose's shade, the one behind to draw a rim of hair. */
export const SETUPS: Readonly<Record<Light, Setup>> = {
  front: { from: from(6, 14), power: 2.6, ambient: 0.18 },
  side: { from: from(35, 30), power: 2.8, ambient: 0.12 },
  behind: { from: from(-140, 28), power: 3.2, ambient: 0.22 },
  flat: { from: null, power: 0, ambient: 1 },
};

/** Scale and shift of the reflection straight on that a sky all around gives (Karis' fit of the split sum, 2014). */
export function environment(out: Float64Array, roughness: number, facing: number): void {
  const smooth = 1 - roughness,
    grazing = expOf(-9.28 * 0.6931471805599453 * facing),
    k = Math.min(smooth * smooth, grazing) * smooth + (0.0425 - 0.0275 * roughness);
  out[0] = -1.04 * k + (1.04 - 0.572 * roughness);
  out[1] = 1.04 * k + (-0.04 + 0.022 * roughness);
}
