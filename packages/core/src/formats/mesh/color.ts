/** Display value to light, 0 … 1 (IEC 61966-2-1). */
export const srgbToLinear = (c: number): number => (c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4);
