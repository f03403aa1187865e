import { Document } from '@gltf-transform/core';

/** A ball that stands on the floor: how far each direction leads from its middle, and how finely it is made. */
export interface Ball {
  columns: number;
  rows: number;
  /** Metres from the middle, by longitude and by the way from pole to pole (0 … 1). */
  radius(longitude: number, down: number): number;
  /** The right half lies on the left half's texture places. */
  mirrored?: boolean;
  /** The map over and over. */
  repeats?: number;
  /** Turned and scaled as it is put into the file. */
  place?: (p: number[]) => number[];
  material?: string;
}
const MIDDLE = 1;

/** Where a ball's surface is, in a ball of its own function; caps are left open. */
export function ballPoint({ radius }: Pick<Ball, 'radius'>, s: number, down: number): number[] {
  const a = s * 2 * Math.PI,
    b = 0.25 + down * (Math.PI - 0.5),
    r = radius(a, down);
  return [r * Math.sin(b) * Math.cos(a), MIDDLE + r * Math.cos(b), -r * Math.sin(b) * Math.sin(a)];
}

/** The direction there, from differences of the function itself. */
export function ballNormal(ball: Pick<Ball, 'radius'>, s: number, down: number): number[] {
  const e = 1e-5,
    along = (ds: number, dt: number) => {
      const p = ballPoint(ball, s + ds, down + dt),
        q = ballPoint(ball, s - ds, down - dt);
      return p.map((x, k) => x - q[k]);
    },
    [ux, uy, uz] = along(e, 0),
    [vx, vy, vz] = along(0, e),
    n = [vy * uz - vz * uy, vz * ux - vx * uz, vx * uy - vy * ux],
    l = Math.hypot(...n);
  return n.map((x) => x / l);
}

export function ballDocument(ball: Ball): Document {
  const { columns, rows, mirrored = false, repeats = 1, place = (p: number[]) => p, material = 'skin' } = ball,
    document = new Document(),
    positions = new Float32Array((columns + 1) * (rows + 1) * 3),
    normals = new Float32Array(positions.length),
    uv = new Float32Array((columns + 1) * (rows + 1) * 2),
    indices = new Uint32Array(columns * rows * 6),
    origin = place([0, 0, 0]);
  for (let y = 0, v = 0, t = 0; y <= rows; y++)
    for (let x = 0; x <= columns; x++, v++) {
      const s = x / columns,
        down = y / rows,
        d = place(ballNormal(ball, s, down)).map((value, k) => value - origin[k]),
        l = Math.hypot(...d);
      positions.set(place(ballPoint(ball, s, down)), v * 3);
      normals.set(
        d.map((value) => value / l),
        v * 3,
      );
      uv.set([(mirrored ? Math.abs(s - 0.5) * 2 : s) * repeats, down * repeats], v * 2);
      if (x === columns || y === rows) continue;
      const below = v + columns + 1;
      indices.set([v, below, v + 1, v + 1, below, below + 1], t);
      t += 6;
    }
  const buffer = document.createBuffer(),
    put = (type: 'VEC2' | 'VEC3' | 'SCALAR', array: Float32Array | Uint32Array) =>
      document
        .createAccessor()
        .setType(type)
        .setArray(array as Float32Array<ArrayBuffer>)
        .setBuffer(buffer),
    prim = document
      .createPrimitive()
      .setAttribute('POSITION', put('VEC3', positions))
      .setAttribute('NORMAL', put('VEC3', normals))
      .setAttribute('TEXCOORD_0', put('VEC2', uv))
      .setIndices(put('SCALAR', indices))
      .setMaterial(document.createMaterial(material));
  document.createScene().addChild(document.createNode('ball').setMesh(document.createMesh('ball').addPrimitive(prim)));
  return document;
}
