import { describe, expect, it } from 'vitest';
import { EXPRESSIONS } from './expressions.ts';
import { buildPerson, FULL_HEAD, SMALL, type Figure } from './figure.ts';
import { bodyDistance } from './body/anatomy.ts';
import { alongArm, handDistance } from './body/garments.ts';
import { nailPlates } from './body/nails.ts';
import { garmentNet, GARMENTS, WARDROBE, type GarmentName } from './body/wardrobe.ts';
import { tesselJoints } from './body/joints.ts';
import { buildHead, TAG, type Head } from './head/build.ts';
import { headLayout } from './head/layout.ts';
import { bodyPart, garmentPart } from './parts/body-parts.ts';
import { headPart } from './parts/head-part.ts';
import type { FigurePart } from './parts/part.ts';
import { paintHand } from './paint/skin.ts';
import { fingerPoint, HAND } from './body/joints.ts';
import { cross, sub, unit } from '@dimetra/core';
import { PEOPLE, physiqueOf } from './people.ts';

const layout = headLayout(FULL_HEAD);
const people = PEOPLE.map((person) => [person.name, person] as const);
const changeOf = (name: string) => EXPRESSIONS.find((entry) => entry.name === name)?.change ?? {};
const built = new Map<string, Figure>();
const figureOf = (name: string): Figure => {
  let figure = built.get(name);
  if (!figure) {
    figure = buildPerson(people.find(([title]) => title === name)?.[1] as (typeof PEOPLE)[number], {
      coarse: SMALL,
      progress() {},
    });
    built.set(name, figure);
  }
  return figure;
};

/** The widest the lips stand apart, millimetres, at the same place across the mouth. */
function lipGap(head: Head): number {
  // The innermost lip ring is the one that the bag hangs on.
  const inner = new Set<number>();
  for (const quad of head.quads)
    if (quad.some((i) => head.tag[i] === TAG.mouth)) for (const i of quad) if (head.tag[i] === TAG.lip) inner.add(i);
  const points = [...inner].map((i) => head.positions[i]),
    rows = new Map<number, number[]>();
  for (const [x, y] of points) {
    const key = Math.round(x * 5) / 5;
    rows.set(key, [...(rows.get(key) ?? []), y]);
  }
  const spread = [...rows]
    .filter(([x, ys]) => Math.abs(x) < 20 && ys.length > 1)
    .map(([, ys]) => Math.max(...ys) - Math.min(...ys));
  return Math.max(...spread);
}

describe.each(people)('the head of the %s', (_name, person) => {
  const head = buildHead(layout, person.traits);
  it('keeps its lips together at rest, and parts them when the jaw opens', () => {
    expect(lipGap(head)).toBeLessThan(0.6);
    expect(lipGap(buildHead(layout, { ...person.traits, ...changeOf('jaw_open') }))).toBeGreaterThan(12);
  });
  it('closes its lids within half a millimetre', () => {
    const shut = buildHead(layout, { ...person.traits, ...changeOf('blink') });
    for (const side of [1, -1]) {
      const edge = (lash: number) =>
        shut.positions.filter((p, i) => p[0] * side > 0 && Math.abs(shut.lash[i] - lash) < 1e-6);
      const upper = edge(0.9),
        lower = edge(0.9 * 0.32),
        middle = lower.filter((p) => Math.abs(Math.abs(p[0]) - shut.traits.eyeX) < 11);
      expect(middle.length).toBeGreaterThan(6);
      for (const p of middle)
        expect(Math.min(...upper.map((q) => Math.hypot(q[0] - p[0], q[1] - p[1])))).toBeLessThan(1.2);
      // Height of the gap where both lids have a point at one place across.
      const gaps = middle.map((p) => {
        const above = upper.filter((q) => Math.abs(q[0] - p[0]) < 0.4);
        return above.length ? Math.min(...above.map((q) => q[1] - p[1])) : 0;
      });
      expect(Math.max(...gaps)).toBeLessThan(0.5);
    }
  });
  it('has no face without an area and few slivers', () => {
    let slivers = 0;
    for (const quad of head.quads) {
      const [a, b, c] = [0, 1, 2].map((k) => head.positions[quad[k]]),
        u = b.map((x, k) => x - a[k]),
        v = c.map((x, k) => x - a[k]);
      const area = Math.hypot(u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]) / 2,
        longest = Math.max(Math.hypot(...u), Math.hypot(...v), Math.hypot(...b.map((x, k) => x - c[k])));
      if (area < 0.01 * longest ** 2) slivers++;
    }
    expect(slivers / head.quads.length).toBeLessThan(0.02);
  });
  it('is closed but for the neck: every inner edge has two faces', () => {
    const edges = new Map<string, number>();
    for (const quad of head.quads)
      for (let k = 0; k < 4; k++) {
        const [a, b] = [quad[k], quad[(k + 1) % 4]];
        if (a !== b) {
          const name = a < b ? `${a} ${b}` : `${b} ${a}`;
          edges.set(name, (edges.get(name) ?? 0) + 1);
        }
      }
    expect([...edges.values()].filter((n) => n > 2).length).toBe(0);
    const open = [...edges].filter(([, n]) => n === 1).flatMap(([name]) => name.split(' ').map(Number));
    // What is open lies at the foot of the neck, under the eyelids, or is a point: the crown, where all columns meet.
    const crown = Math.max(...head.positions.map((p) => p[1]));
    const stray = open.filter(
      (i) =>
        head.positions[i][1] > -40 &&
        head.positions[i][1] < crown - 0.5 &&
        head.tag[i] !== TAG.lid &&
        head.lash[i] === 0 &&
        Math.abs(head.positions[i][1] - 112) > 25,
    );
    expect(stray.map((i) => head.positions[i].map(Math.round)).slice(0, 3)).toEqual([]);
  });
});

describe.each(people)('the texture places of the %s', (name) => {
  it('keep the inside of the mouth away from the face: a ring of free texels lies between them', () => {
    const {
        surface: { uv, indices },
        extra,
      } = figureOf(name).parts[0],
      mouth = extra[2],
      size = 512,
      owner = new Uint8Array(size * size);
    let inside = 0,
      touching = 0;
    const eachTexel = (t: number, room: number, visit: (texel: number) => void) => {
      const at = (k: number, axis: number) => uv[indices[t + k] * 2 + axis] * size,
        [x0, x1, y0, y1] = [0, 1].flatMap((axis) => [
          Math.floor(Math.min(at(0, axis), at(1, axis), at(2, axis))) - room,
          Math.ceil(Math.max(at(0, axis), at(1, axis), at(2, axis))) + room,
        ]);
      for (let y = Math.max(0, y0); y < Math.min(size, y1); y++)
        for (let x = Math.max(0, x0); x < Math.min(size, x1); x++) visit(y * size + x);
    };
    const shows = (t: number) => [0, 1, 2].some((k) => mouth[indices[t + k]] > 0);
    for (let t = 0; t < indices.length; t += 3)
      if (shows(t)) {
        inside++;
        eachTexel(t, 0, (texel) => {
          owner[texel] = 1;
        });
      }
    for (let t = 0; t < indices.length; t += 3)
      if (!shows(t))
        eachTexel(t, 1, (texel) => {
          touching += owner[texel];
        });
    expect(touching).toBe(0);
    expect(inside).toBeGreaterThan(20);
  });
  it('stay within their tile, and both sides of a seam are one place with one normal', () => {
    for (const part of figureOf(name).parts) {
      const { uv, positions, normals, origin } = part.surface as typeof part.surface & { normals?: Float32Array };
      // Counted here and asked once: asking is slow.
      expect(uv.filter((value) => !(value >= -1e-6 && value <= 1 + 1e-6)).length, part.name).toBe(0);
      const first = new Map<number, number>();
      const torn = { place: 0, normal: 0, morph: 0 },
        deltas = [...part.morphs.values()];
      origin.forEach((point, v) => {
        const other = first.get(point);
        if (other === undefined) {
          first.set(point, v);
          return;
        }
        for (let k = 0; k < 3; k++) {
          const [a, b] = [v * 3 + k, other * 3 + k];
          if (positions[a] !== positions[b]) torn.place++;
          if (normals && !(Math.abs(normals[a] - normals[b]) < 5e-6)) torn.normal++;
          for (const delta of deltas) if (delta[a] !== delta[b]) torn.morph++;
        }
      });
      expect(torn, part.name).toEqual({ place: 0, normal: 0, morph: 0 });
    }
  });
});

/** Texels that more than one face lies on, of 1024 × 1024. */
function overlap({ uv, indices }: { uv: Float32Array; indices: Uint32Array }): number {
  const size = 1024,
    owners = new Uint8Array(size * size);
  for (let t = 0; t < indices.length; t += 3) {
    const [ax, ay, bx, by, cx, cy] = [0, 1, 2].flatMap((k) => [
        uv[indices[t + k] * 2] * size,
        uv[indices[t + k] * 2 + 1] * size,
      ]),
      twice = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay);
    if (Math.abs(twice) < 1e-9) continue;
    for (let y = Math.max(0, Math.floor(Math.min(ay, by, cy))); y <= Math.min(size - 1, Math.max(ay, by, cy)); y++)
      for (let x = Math.max(0, Math.floor(Math.min(ax, bx, cx))); x <= Math.min(size - 1, Math.max(ax, bx, cx)); x++) {
        const wb = ((x + 0.5 - ax) * (cy - ay) - (cx - ax) * (y + 0.5 - ay)) / twice,
          wc = ((bx - ax) * (y + 0.5 - ay) - (x + 0.5 - ax) * (by - ay)) / twice;
        if (wb > 1e-4 && wc > 1e-4 && wb + wc < 1 - 1e-4 && owners[y * size + x] < 255) owners[y * size + x]++;
      }
  }
  return owners.filter((count) => count > 1).length;
}

/** Share of a surface whose faces have no room in the texture, or are turned over there against most of the others. */
function badlyPlaced({ positions, uv, indices }: { positions: Float32Array; uv: Float32Array; indices: Uint32Array }): {
  flat: number;
  turned: number;
} {
  const faces = Array.from({ length: indices.length / 3 }, (_, t) => {
    const [a, b, c] = indices.subarray(t * 3, t * 3 + 3),
      d = (p: ArrayLike<number>, n: number, from: number, to: number) =>
        Array.from({ length: n }, (__, k) => p[to * n + k] - p[from * n + k]);
    const [u, v] = [d(uv, 2, a, b), d(uv, 2, a, c)],
      [e, f] = [d(positions, 3, a, b), d(positions, 3, a, c)];
    return {
      flat: u[0] * v[1] - u[1] * v[0],
      solid: Math.hypot(e[1] * f[2] - e[2] * f[1], e[2] * f[0] - e[0] * f[2], e[0] * f[1] - e[1] * f[0]),
    };
  });
  const sum = (of: (face: (typeof faces)[number]) => number) => faces.reduce((total, face) => total + of(face), 0),
    whole = sum((face) => face.solid),
    forward = Math.sign(sum((face) => face.flat)),
    density = Math.abs(sum((face) => face.flat)) / whole;
  return {
    flat: sum((face) => (Math.abs(face.flat) < 0.01 * density * face.solid ? face.solid : 0)) / whole,
    turned: sum((face) => (face.flat * forward < -0.01 * density * face.solid ? face.solid : 0)) / whole,
  };
}

/** Cards and the two eyes share their places on purpose. */
const SHARING = /Eyes|Corneas|Tear|Lashes|Brows|Hair|Nails/;

describe('texture places that lie on no others', () => {
  it.each(people)('are those of every part of the %s', (name) => {
    for (const { name: part, surface } of figureOf(name).parts)
      if (!SHARING.test(part)) expect(overlap(surface), part).toBe(0);
  });
  const joints = tesselJoints(),
    full = new Map<string, FigurePart>();
  const made = (name: GarmentName): FigurePart => {
    let part = full.get(name);
    if (!part) {
      part = name === 'body' ? bodyPart(PEOPLE[0], joints, 1, 0) : garmentPart(name, joints, 1, 0, 0);
      full.set(name, part);
    }
    return part;
  };
  it.each(GARMENTS)('are those of the %s at full size', (name) => {
    expect(overlap(made(name).surface)).toBe(0);
  });
  it.each(GARMENTS)('turn no face of the %s over, and give nearly all of them room', (name) => {
    const { flat, turned } = badlyPlaced(made(name).surface);
    expect(turned).toBeLessThan(0.0005);
    expect(flat).toBeLessThan(0.002);
  });
  it('are those of heads at full size', () => {
    const average = buildHead(layout, {});
    for (const person of PEOPLE)
      expect(
        overlap(
          headPart(
            buildHead(layout, person.traits),
            average,
            [],
            new Map(tesselJoints().map((joint, i) => [joint.name, i])),
            person,
          ).surface,
        ),
      ).toBe(0);
  });
});

describe('bodies of one figure format', () => {
  const joints = tesselJoints(),
    bodies = PEOPLE.map((person) => bodyPart(person, joints, 1.6, 0));
  it('share polygons, texture places and weights, as heads do', () => {
    for (const { surface, bound } of bodies) {
      expect(surface.indices).toEqual(bodies[0].surface.indices);
      expect(surface.uv).toEqual(bodies[0].surface.uv);
      expect(bound.weights).toEqual(bodies[0].bound.weights);
    }
    const heads = PEOPLE.filter((person) => person.figure === 'Tessel').map(
      (person) => figureOf(person.name).parts[0].surface,
    );
    for (const head of heads) {
      expect(head.indices).toEqual(heads[0].indices);
      expect(head.uv).toEqual(heads[0].uv);
    }
  });
  it.each(PEOPLE.map((person, i) => [person.name, person, i] as const))(
    'lie on the own form of the %s, no face turned over',
    (_, person, i) => {
      const {
          surface: { positions: p, indices },
        } = bodies[i],
        distance = bodyDistance(physiqueOf(person));
      // Girth is added after.
      if (!person.girth)
        for (let v = 0; v < p.length; v += 3) expect(Math.abs(distance(p[v], p[v + 1], p[v + 2]))).toBeLessThan(0.003);
      const first = bodies[0].surface.positions,
        normal = (q: Float32Array, t: number) => {
          const [a, b, c] = [0, 1, 2].map(
            (k) => Array.from(q.subarray(indices[t + k] * 3, indices[t + k] * 3 + 3)) as [number, number, number],
          );
          return cross(sub(b, a), sub(c, a));
        };
      let turned = 0;
      for (let t = 0; t < indices.length; t += 3) {
        const a = normal(p, t),
          b = normal(first, t);
        if (a[0] * b[0] + a[1] * b[1] + a[2] * b[2] <= 0) turned++;
      }
      expect(turned).toBe(0);
    },
  );
});

describe('surfaces face outwards', () => {
  it.each(people)('of the %s: every closed part holds a volume, every nail looks away from its finger', (name) => {
    for (const {
      name: part,
      surface: { positions: p, indices },
    } of figureOf(name).parts) {
      if (/Tear|Lashes|Brows|Scalp|Hair|Nails|Gums|Teeth|Head|Cornea/.test(part)) continue;
      let volume = 0;
      for (let t = 0; t < indices.length; t += 3) {
        const [a, b, c] = [0, 1, 2].map((k) => Array.from(p.subarray(indices[t + k] * 3, indices[t + k] * 3 + 3))) as [
            number,
            number,
            number,
          ][],
          n = cross(b, c);
        volume += (a[0] * n[0] + a[1] * n[1] + a[2] * n[2]) / 6;
      }
      expect(volume, part).toBeGreaterThan(0);
    }
    const { cards } = nailPlates(),
      at = (i: number) => cards.positions.slice(i * 3, i * 3 + 3) as [number, number, number];
    for (let t = 0; t < cards.triangles.length; t += 3) {
      const [a, b, c] = [0, 1, 2].map((k) => at(cards.triangles[t + k])),
        n = unit(cross(sub(b, a), sub(c, a))),
        d = (s: number) => handDistance(a[0] + n[0] * s, a[1] + n[1] * s, a[2] + n[2] * s);
      expect(d(0.002)).toBeGreaterThan(d(-0.002));
    }
  });
});

describe('nails', () => {
  const paint = paintHand(PEOPLE[0].tone),
    at = (q: readonly number[]) => paint({ x: q[0], y: q[1], z: q[2], u: 0, v: 0, extra: [] });
  const bright = (c: readonly number[]) => c[0] + c[1] + c[2];
  it('lie on the backs of the finger tips of both hands and nowhere else', () => {
    for (const finger of ['index', 'middle', 'ring', 'little']) {
      const tip = fingerPoint(finger, 4),
        before = fingerPoint(finger, 3),
        on = (share: number, out: number) => tip.map((x, k) => x + (before[k] - x) * share - HAND.palm[k] * out);
      const nail = at(on(0.2, 0.006)),
        pad = at(on(0.2, -0.006)),
        knuckle = at(on(1.2, 0.006));
      expect(Math.abs(bright(nail) - bright(pad)), finger).toBeGreaterThan(0.01);
      expect(Math.abs(bright(knuckle) - bright(pad)), finger).toBeLessThan(0.2);
      const [x, ...rest] = on(0.2, 0.006);
      expect(Math.abs(bright(at([-x, ...rest])) - bright(nail))).toBeLessThan(0.08);
    }
  });
});

describe.each(people)('the body of the %s', (name, person) => {
  it('stays under the clothes', () => {
    const net = garmentNet('body', 2.4, 0, bodyDistance(physiqueOf(person))),
      worn = person.wears
        .filter((garment) => !['hands', 'headset', 'lanyard'].includes(garment))
        .map((garment) => WARDROBE[garment].distance);
    const through: number[][] = [];
    for (let v = 0; v < net.positions.length; v += 3) {
      const [x, y, z] = net.positions.subarray(v, v + 3);
      // Collar and cuffs are open.
      if (y > 1.42 || (Math.abs(x) > 0.3 && alongArm(Math.abs(x), y, z) > 0.9)) continue;
      const d = Math.min(...worn.map((distance) => distance(x, y, z)));
      if (d > -0.0015) through.push([x, y, z, d]);
    }
    expect(through.map((row) => row.map((n) => n.toFixed(3)).join(' ')).slice(0, 20)).toEqual([]);
  });
  it('wears the top over the trousers: nothing of them comes through it', () => {
    const top = person.wears.find((garment) => garment === 'jacket' || garment === 'sweater');
    if (!top || !person.wears.includes('trousers')) return;
    const net = garmentNet('trousers', 1.4),
      over = WARDROBE[top].distance,
      through: string[] = [];
    // Above the hem, where the top has fallen to its full width.
    for (let v = 0; v < net.positions.length; v += 3) {
      const [x, y, z] = net.positions.subarray(v, v + 3);
      if (y > 0.9 && over(x, y, z) > -0.001) through.push([x, y, z].map((n) => n.toFixed(3)).join(' '));
    }
    expect(through.slice(0, 10)).toEqual([]);
  });
  it('bends elbows and knees by 90 degrees without losing volume once the corrective is on', () => {
    const { parts, joints } = figureOf(name),
      body = parts.find((part) => part.name === 'Body') as (typeof parts)[number],
      at = new Map(joints.map((joint) => [joint.name, joint.at]));
    for (const [morph, joint, end, to] of [
      ['elbow_bent_l', 'elbow_l', 'wrist_l', [0, 0, 1]],
      ['knee_bent_r', 'knee_r', 'foot_r', [0, 0, -1]],
    ] as const) {
      const pivot = at.get(joint) as number[],
        axis = unit(cross(unit(sub(at.get(end) as number[], pivot)), to)),
        delta = body.morphs.get(morph) as Float32Array;
      const below = new Set<number>(),
        names = new Set<string>([joint]);
      tesselJoints().forEach((row, i) => {
        if (names.has(row.name) || (row.parent && names.has(row.parent))) {
          names.add(row.name);
          below.add(i);
        }
      });
      const away = (p: number[]) => Math.hypot(...cross(p, axis)),
        lost: number[] = [],
        kept: number[] = [];
      for (let v = 0; v < delta.length / 3; v++) {
        let w = 0;
        for (let k = v * body.bound.perVertex; k < (v + 1) * body.bound.perVertex; k++)
          if (below.has(body.bound.joints[k])) w += body.bound.weights[k];
        if (w < 0.3 || w > 0.7) continue;
        const rest = sub(body.surface.positions.subarray(v * 3, v * 3 + 3), pivot);
        const bend = (p: number[]) => {
          const along = p.reduce((sum, x, k) => sum + x * axis[k], 0),
            flat = p.map((x, k) => x - along * axis[k]),
            turned = cross(axis, flat);
          return p.map((x, k) => (1 - w) * x + w * (along * axis[k] + turned[k]));
        };
        lost.push(1 - away(bend(rest)) / away(rest));
        kept.push(1 - away(bend(rest.map((x, k) => x + delta[v * 3 + k]))) / away(rest));
      }
      expect(lost.length, morph).toBeGreaterThan(4);
      expect(Math.max(...lost), morph).toBeGreaterThan(0.15);
      expect(Math.max(...kept.map(Math.abs)), morph).toBeLessThan(0.001);
    }
  });
});

describe.each(people)('the small parts of the face of the %s', (name) => {
  const { parts } = figureOf(name),
    of = (wanted: string) => parts.find((part) => part.name === wanted) as (typeof parts)[number];
  /** How far a part moves otherwise than the skin beside it, and how far from it it lies at rest; metres. */
  const beside = (part: (typeof parts)[number], morph: string) => {
    const head = of('Head'),
      own = part.morphs.get(morph),
      skin = head.morphs.get(morph) as Float32Array,
      at = head.surface.positions;
    let moved = 0,
      off = 0;
    for (let v = 0; v < part.surface.positions.length; v += 3 * 7) {
      const p = part.surface.positions.subarray(v, v + 3);
      let best = Infinity,
        near = 0;
      for (let k = 0; k < at.length; k += 3) {
        const d = (p[0] - at[k]) ** 2 + (p[1] - at[k + 1]) ** 2 + (p[2] - at[k + 2]) ** 2;
        if (d < best) {
          best = d;
          near = k;
        }
      }
      off = Math.max(off, Math.sqrt(best));
      moved = Math.max(moved, Math.hypot(...[0, 1, 2].map((k) => (own ? own[v + k] : 0) - skin[near + k])));
    }
    return { moved, off };
  };
  it('brows and tear line stay on the skin in every expression', () => {
    for (const morph of ['blink', 'brow_up', 'brow_down', 'smile', 'surprise', 'age']) {
      // The points of the small figure's head lie up to 9 mm apart.
      const brows = beside(of('Brows'), morph),
        tears = beside(of('Tear_Line'), morph);
      expect(brows.off, `Brows ${morph}`).toBeLessThan(0.01);
      expect(brows.moved, `Brows ${morph}`).toBeLessThan(0.0025);
      expect(tears.off, `Tear_Line ${morph}`).toBeLessThan(0.003);
      expect(tears.moved, `Tear_Line ${morph}`).toBeLessThan(0.0025);
    }
  });
  it('eyes turn where a gaze says, about their middles, and the corneas with them', () => {
    const eyes = of('Eyes'),
      corneas = of('Corneas'),
      middle = [0, 1, 2].map((k) => {
        let sum = 0,
          n = 0;
        for (let v = 0; v < eyes.surface.positions.length; v += 3)
          if (eyes.surface.positions[v] > 0) {
            sum += eyes.surface.positions[v + k];
            n++;
          }
        return sum / n;
      });
    const front = (part: typeof eyes, delta: Float32Array | undefined) => {
      let best = -1,
        z = -Infinity;
      for (let v = 0; v < part.surface.positions.length; v += 3)
        if (part.surface.positions[v] > 0 && part.surface.positions[v + 2] > z) {
          z = part.surface.positions[v + 2];
          best = v;
        }
      return [0, 1, 2].map((k) => part.surface.positions[best + k] - middle[k] + (delta?.[best + k] ?? 0));
    };
    for (const part of [eyes, corneas]) {
      const rest = front(part, undefined),
        moved = (morph: string) => front(part, part.morphs.get(morph)).map((x, k) => x - rest[k]);
      expect(moved('gaze_left')[0]).toBeGreaterThan(0.004);
      expect(moved('gaze_right')[0]).toBeLessThan(-0.004);
      expect(moved('gaze_up')[1]).toBeGreaterThan(0.003);
      expect(moved('gaze_down')[1]).toBeLessThan(-0.003);
      expect(Math.abs(moved('gaze_up')[0])).toBeLessThan(1e-5);
    }
    // An eyeball stays an eyeball: no point comes nearer to another.
    const { positions } = eyes.surface,
      delta = eyes.morphs.get('gaze_left') as Float32Array,
      apart = (a: number, b: number, w: number) =>
        Math.hypot(...[0, 1, 2].map((k) => positions[a + k] + w * delta[a + k] - positions[b + k] - w * delta[b + k]));
    for (let v = 0; v + 60 < positions.length / 2; v += 57)
      if (positions[v] * positions[v + 60] > 0) expect(apart(v, v + 60, 1)).toBeCloseTo(apart(v, v + 60, 0), 6);
  });
  it('tongue, lower teeth and gums open with the jaw, the upper ones stay', () => {
    for (const part of ['Tongue', 'Teeth_Lower', 'Gums_Lower'])
      expect(
        Math.min(...Array.from(of(part).morphs.get('jaw_open') as Float32Array).filter((_, i) => i % 3 === 1)),
        part,
      ).toBeLessThan(-0.006);
    // The whole figure grows with its teeth; nothing else moves the upper ones.
    expect([...of('Teeth_Upper').morphs.keys(), ...of('Gums_Upper').morphs.keys()]).toEqual([
      'build_tall',
      'build_tall',
    ]);
  });
  it('nails lie on the fingers of both hands', () => {
    const { cards, joints } = nailPlates();
    // The free edge reaches past the flesh; the rest lies on it.
    for (let v = 0; v < cards.positions.length; v += 3)
      expect(
        Math.abs(handDistance(cards.positions[v], cards.positions[v + 1], cards.positions[v + 2]) - 0.0006),
      ).toBeLessThan(cards.uv[(v / 3) * 2 + 1] < 0.4 ? 0.003 : 0.0012);
    expect(new Set(joints).size).toBe(10);
    expect(new Set(of('Nails').bound.joints.filter((_, i) => i % 4 === 0)).size).toBe(10);
  });
});
