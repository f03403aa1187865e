import { describe, expect, it } from 'vitest';
import { cameraFor } from './camera-for.ts';

describe('cameraFor', () => {
  it('stands where as much is seen as in the picture, from the same side', () => {
    const { at, to } = cameraFor({ name: 'a', middle: [0.1, 1.5, 0], heightM: 0.4, yaw: 90, pitch: 0 });
    expect(to).toEqual([0.1, 1.5, 0]);
    // From the figure's left: 28° see 0.4 m from 0.8 m away.
    expect(at.map((x) => Math.round(x * 1000) / 1000)).toEqual([0.902, 1.5, 0]);
    const above = cameraFor({ name: 'b', middle: [0, 1, 0], heightM: 1, yaw: 0, pitch: 30 }).at;
    expect([above[1] > 1.9, above[2] > 1.7, above[0]]).toEqual([true, true, expect.closeTo(0, 9)]);
  });
});
