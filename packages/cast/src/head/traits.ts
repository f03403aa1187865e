/** What makes one head differ from another: factors on measured forms (1 = average) and lengths in millimetres. */
export const AVERAGE = {
  eyeX: 31.5, eyeY: 114, eyeZ: 69.6, eyeR: 12, eyeW: 14.6, lidUp: 4.3, lidLo: 5.3, cantTilt: 1.8, crease: 4.0, creaseAmp: 1.2, hood: 0,
  brow: 1, browY: 0, glab: 1, socket: 1, cheekbone: 1, cheekFat: 0, jaw: 1, chin: 1, chinY: 0, nasolabial: 0.32, tear: 0.6, marion: 0.2, forehead: 0, temple: 1,
  noseW: 1, noseL: 1, noseP: 1, bridge: 1, tipUp: 0, lipFull: 1, mouthW: 25, philtrum: 1, larynx: 1, neckW: 1, scm: 1, jowl: 0, submental: 0, wrinkle: 0,
  faceW: 1, fbulge: 0, headW: 1, eyebag: 0, asym: 0.5, earScale: 1,
  blink: 0, jawOpen: 0, smile: 0,
};
export type Traits = typeof AVERAGE;
