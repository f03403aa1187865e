import fc from 'fast-check';
import { expect, it } from 'vitest';
import { treemap } from './treemap.ts';

it('treemap gives areas as values, inside the frame, without overlap', () => {
  fc.assert(
    fc.property(fc.array(fc.integer({ min: 0, max: 5000 }), { minLength: 1, maxLength: 30 }), (values) => {
      const tiles = treemap(
        values.map((value, i) => ({ id: String(i), value })),
        300,
        200,
      );
      const total = values.reduce((a, b) => a + b, 0);
      expect(tiles.length).toBe(values.filter((value) => value > 0).length);
      for (const tile of tiles) {
        expect(tile.width * tile.height).toBeCloseTo((tile.value / total) * 60_000, 4);
        expect(tile.x).toBeGreaterThanOrEqual(-1e-6);
        expect(tile.x + tile.width).toBeLessThanOrEqual(300 + 1e-6);
        expect(tile.y + tile.height).toBeLessThanOrEqual(200 + 1e-6);
      }
      for (const a of tiles)
        for (const b of tiles)
          if (a !== b)
            expect(
              Math.min(a.x + a.width, b.x + b.width) - Math.max(a.x, b.x) > 1e-6 &&
                Math.min(a.y + a.height, b.y + b.height) - Math.max(a.y, b.y) > 1e-6,
            ).toBe(false);
    }),
    { seed: 4, numRuns: 60 },
  );
});
