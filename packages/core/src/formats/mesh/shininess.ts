/**
 * glTF roughness of a Blinn–Phong exponent n: α = √(2/(n + 2)) (Walter et al. 2007, eq. 5 by way of Blinn–Phong), and
 * glTF's roughness is the root of α (glTF 2.0, appendix B.2.3).
 * @param shininess 0 and up
 * @returns 0 … 1
 */
export const roughnessOfShininess = (shininess: number): number => (2 / (Math.max(0, shininess) + 2)) ** 0.25;

/** The exponent back: n = 2/r⁴ − 2. Roughness below 0.05 is taken as 0.05, since mirrors have no finite exponent. */
export const shininessOfRoughness = (roughness: number): number => 2 / Math.max(0.05, Math.min(1, roughness)) ** 4 - 2;
