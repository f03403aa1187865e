import { describe, expect, it } from 'vitest';
import { type Mesh, meshOf } from './mesh.ts';
import { register } from './register.ts';
import { GivingSurface } from './register-solver.ts';

/** A ball of unit radius: a cube's sides, cut into squares and blown up. */
function ball(cuts: number): { positions: Float32Array; indices: Uint32Array } {
  const positions: number[] = [],
    indices: number[] = [];
  for (let side = 0; side < 6; side++) {
    const axis = side >> 1,
      sign = side & 1 ? 1 : -1,
      first = positions.length / 3;
    for (let i = 0; i <= cuts; i++)
      for (let j = 0; j <= cuts; j++) {
        const p = [0, 0, 0];
        p[axis] = sign;
        p[(axis + 1) % 3] = sign * ((2 * i) / cuts - 1);
        p[(axis + 2) % 3] = (2 * j) / cuts - 1;
        const l = Math.hypot(...p);
        positions.push(...p.map((x) => x / l));
      }
    for (let i = 0; i < cuts; i++)
      for (let j = 0; j < cuts; j++) {
        const a = first + i * (cuts + 1) + j,
          b = a + cuts + 1;
        indices.push(a, b, b + 1, a, b + 1, a + 1);
      }
  }
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
}

const moved = (positions: Float32Array, to: (p: number[]) => number[]): Float32Array =>
  Float32Array.from(
    Array.from({ length: positions.length / 3 }, (_, v) => to([...positions.subarray(v * 3, v * 3 + 3)])).flat(),
  );

const shear = ([x, y, z]: number[]) => [1.3 * x + 0.2 * y + 0.4, 0.9 * y - 0.1 * z, 1.1 * z + 0.3 * x - 0.2];
/** An affine map and a bump on top of it. */
const bumpy = (p: number[]) => {
  const l = 1 + 0.06 * p[0] * p[1] + 0.04 * p[2] * p[2] * p[0];
  return p.map((x) => 0.1 * x * l);
};

const everywhere = ({ points }: Mesh) => new Float32Array(points).fill(1);

describe('a surface that gives way', () => {
  it('takes an affine map of a few of its points on as a whole, at no cost', () => {
    const { positions, indices } = ball(6),
      mesh = meshOf(positions, indices),
      to = new Float64Array(mesh.points * 3),
      weight = new Float64Array(mesh.points),
      solver = new GivingSurface(mesh.places, mesh);
    for (let p = 0; p < mesh.points; p += 9) {
      weight[p] = 1;
      to.set(shear([...mesh.places.subarray(p * 3, p * 3 + 3)]), p * 3);
    }
    solver.solve({ to, weight }, 1, 3000, 1e-9);
    const places = new Float64Array(mesh.points * 3);
    solver.places(places);
    let worst = 0;
    for (let p = 0; p < mesh.points; p++)
      shear([...mesh.places.subarray(p * 3, p * 3 + 3)]).forEach((x, k) => {
        worst = Math.max(worst, Math.abs(x - places[p * 3 + k]));
      });
    expect(worst).toBeLessThan(1e-5);
  });
  it('stays where it is when nothing pulls', () => {
    const { positions, indices } = ball(4),
      mesh = meshOf(positions, indices),
      solver = new GivingSurface(mesh.places, mesh),
      places = new Float32Array(mesh.points * 3);
    solver.solve({ to: new Float64Array(mesh.points * 3), weight: new Float64Array(mesh.points) }, 1, 50);
    solver.places(places);
    expect(places).toEqual(mesh.places);
  });
});

describe('registration', () => {
  const fine = ball(24),
    coarse = ball(13),
    surface = meshOf(moved(fine.positions, bumpy), fine.indices),
    mesh = meshOf(
      moved(coarse.positions, (p) => p.map((x) => 0.095 * x)),
      coarse.indices,
    );
  it('brings a ball onto a bumpy one, with all faces the right way round', () => {
    const places = register(mesh, everywhere(mesh), surface, []),
      // Where a point of the ball's own direction lies on the bumpy one.
      off = Array.from({ length: mesh.points }, (_, p) => {
        const d = [...places.subarray(p * 3, p * 3 + 3)],
          l = Math.hypot(...d);
        return Math.abs(l - Math.hypot(...bumpy(d.map((x) => x / l))));
      });
    expect(Math.max(...off)).toBeLessThan(3e-4);
    for (let t = 0; t < mesh.corners.length; t += 3) {
      const [a, b, c] = [0, 1, 2].map((k) => [
          ...places.subarray(mesh.corners[t + k] * 3, mesh.corners[t + k] * 3 + 3),
        ]),
        u = b.map((x, k) => x - a[k]),
        v = c.map((x, k) => x - a[k]);
      expect(
        a[0] * (u[1] * v[2] - u[2] * v[1]) + a[1] * (u[2] * v[0] - u[0] * v[2]) + a[2] * (u[0] * v[1] - u[1] * v[0]),
      ).toBeGreaterThan(0);
    }
  });
  it('gives the same numbers twice', () => {
    expect(register(mesh, everywhere(mesh), surface, [])).toEqual(register(mesh, everywhere(mesh), surface, []));
  });
  it('lets what is not trusted go along with its neighbours, wherever the surface lies', () => {
    // A dent in the surface that only untrusted points lie over: they don't follow it.
    const dented = meshOf(
        moved(fine.positions, (p) => p.map((x) => 0.1 * x * (p[2] > 0.8 ? 0.8 : 1))),
        fine.indices,
      ),
      trust = everywhere(mesh);
    for (let p = 0; p < mesh.points; p++) if (mesh.places[p * 3 + 2] > 0.06) trust[p] = 0;
    const places = register(mesh, trust, dented, []),
      top = Math.max(...Array.from({ length: mesh.points }, (_, p) => places[p * 3 + 2]));
    expect(top).toBeGreaterThan(0.095);
  });
  it('brings anchored points where they should be along a surface that doesn’t tell', () => {
    const far = meshOf(
        moved(fine.positions, (p) => p.map((x) => 0.1 * x)),
        fine.indices,
      ),
      anchors = [0, 40, 90].map((point) => {
        const [x, y, z] = mesh.places.subarray(point * 3, point * 3 + 3),
          // A tenth of a turn about z: along a ball nothing but anchors can tell.
          [c, s] = [Math.cos(0.3), Math.sin(0.3)];
        return { point, to: [(c * x - s * y) / 0.95, (s * x + c * y) / 0.95, z / 0.95] as const };
      }),
      off = (places: Float32Array) =>
        Math.max(...anchors.map(({ point, to }) => Math.hypot(...to.map((x, k) => x - places[point * 3 + k])))),
      without = off(register(mesh, everywhere(mesh), far, [])),
      held = off(register(mesh, everywhere(mesh), far, anchors));
    expect(without).toBeGreaterThan(0.02);
    expect(held).toBeLessThan(0.6 * without);
  });
  it('stops when it is told to', () => {
    expect(() =>
      register(mesh, everywhere(mesh), surface, [], {
        stop() {
          throw new Error('stopped');
        },
      }),
    ).toThrow('stopped');
  });
});
