import { bell, len, lerp, softMax, step, type Point } from './curves.ts';
import { browLine } from './brow-line.ts';
import type { Block, HeadLayout } from './layout.ts';
import { noseDistance, throwOntoNose } from './nose.ts';
import { facialStrokes, strokeHeight } from './strokes.ts';
import { baseSurface } from './surface.ts';
import { AVERAGE, type Traits } from './traits.ts';

/** What a vertex of the head belongs to. */
export const TAG = { skin: 0, lid: 1, lip: 2, mouth: 3 } as const;

export interface Head {
  positions: Point[];
  quads: [number, number, number, number][];
  tag: number[];
  /** 0 … 1: how much of the lip's red a vertex carries. */
  lip: number[];
  /** 0 … 1: how much lash line a vertex carries. */
  lash: number[];
  traits: Traits;
  /** Height of the eyeball's shell over the eye's plane. */
  lidShell: (dx: number, dy: number, radius: number) => number;
}

const MOUTH_Y = 47;
/** How far from its middle the cornea lifts a closed lid, millimetres. */
const CORNEA = 6.8;

/** One person's head: base surface, strokes, nose, lids on their eyeballs, lips and the bag behind them. Millimetres. */
export function buildHead(layout: HeadLayout, change: Partial<Traits> = {}): Head {
  const p: Traits = { ...AVERAGE, ...change };
  if (p.smile > 0) {
    p.nasolabial += 0.75 * p.smile;
    p.philtrum *= 1 - 0.5 * p.smile;
  }
  const base = baseSurface(p);
  const strokes = facialStrokes(p);
  const { eyeX: EX, eyeY: EY, eyeZ: EZ, eyeW: W } = p;
  const shell = p.eyeR + 1.35;
  const lidShell = (dx: number, dy: number, r: number): number => {
    const d2 = dx * dx + dy * dy,
      m = r * 0.9;
    let z: number;
    if (d2 < m * m) z = Math.sqrt(r * r - d2);
    else {
      const edge = Math.sqrt(r * r - m * m);
      z = edge - (Math.sqrt(d2) - m) * (m / edge) * 0.75;
    }
    return softMax(z, lerp(6.3, 2.4, step(-16, 16, dx)), 3.5);
  };
  const canthus = (dx: number) => lerp(-1.6, p.cantTilt - 1, (dx + W) / (2 * W));
  const upperOpen = (dx: number) => {
    const t = dx < -1.2 ? (dx + 1.2) / (W - 1.2) : (dx + 1.2) / (W + 1.2);
    return canthus(dx) + (p.lidUp + 0.6) * Math.max(0, 1 - Math.abs(t) ** 2.1) ** 0.78;
  };
  const lowerOpen = (dx: number) => {
    const t = dx < 2.5 ? (dx - 2.5) / (W + 2.5) : (dx - 2.5) / (W - 2.5);
    return canthus(dx) - (p.lidLo + 0.2) * Math.max(0, 1 - Math.abs(t) ** 2.2) ** 0.85;
  };
  const lower = (dx: number) => lowerOpen(dx) + p.smile * 1.1 * (1 - (dx / W) ** 2);
  const upper = (dx: number) => lerp(upperOpen(dx), lower(dx) - 0.15, p.blink);

  const skin = (u: number, v: number): Point => {
    const b = base.at(u, v),
      n = base.normal(u, v),
      h = strokeHeight(strokes, b);
    let x = b[0] + n[0] * h,
      y = b[1] + n[1] * h,
      z = b[2] + n[2] * h;
    const sign = x < 0 ? -1 : 1;
    if (z > 30) {
      const dx = Math.abs(x) - EX,
        dy = y - EY,
        out = len(dx / 24, dy / 19);
      if (out < 1) {
        const near = 1 - step(0.6, 1, out);
        const inside = Math.exp(-((dx / 15.5) ** 4 + ((dy + 0.5) / 11) ** 4));
        const ball = softMax(z, lerp(z - 6, EZ + lidShell(dx, dy, shell), Math.min(1, inside * 1.5)), 2.2);
        // Closed lids lie close to the white, and go over the cornea, which stands out before it.
        const over = Math.max(0, 1 - (dx * dx + dy * dy) / (CORNEA * CORNEA));
        z = lerp(z, ball + (1.6 * over - 0.9) * p.blink * inside, near);
        const c = Math.max(-W - 1, Math.min(W + 1, dx));
        const crease = upperOpen(c) + p.crease * (0.55 + 0.45 * Math.max(0, 1 - (dx / W) ** 2)) - p.blink;
        const width = step(-W - 3, -W + 6, dx) * (1 - step(W - 1, W + 6, dx));
        z -= p.creaseAmp * bell(dy - crease, 1.25 + 0.5 * p.blink) * width * (1 - 0.35 * p.blink);
        z += (0.8 + p.hood) * bell(dy - crease - 2.6, 2.4) * width;
        z -= 0.35 * bell(dy - (lowerOpen(c) - 4.6), 1.4) * width * bell(dx + 3, 9);
      }
      if (p.smile) {
        const cheek = bell(len((Math.abs(x) - 37) / 15, (y - 84) / 13), 1) * p.smile;
        z += 3.2 * cheek;
        y += 2.5 * cheek;
        x += sign * cheek;
        const corner = bell(len((Math.abs(x) - 30) / 9, (y - 52) / 14), 1) * p.smile;
        x += sign * 2 * corner;
        y += 2.2 * corner;
        z -= 1.2 * corner;
      }
    }
    if (p.asym && z > 0) {
      z += p.asym * 0.35 * Math.sin(x * 0.06 + y * 0.035 + 1);
      y += p.asym * 0.4 * Math.sin(x * 0.035 + 0.6) * step(40, 90, z);
    }
    return [x, y, z];
  };
  const surface = (u: number, v: number): Point => throwOntoNose(p, skin(u, v));

  const { columns, rows, blocks } = layout;
  const head: Head = { positions: [], quads: [], tag: [], lip: [], lash: [], traits: p, lidShell };
  const add = (q: Point, tag: number = TAG.skin): number => {
    head.positions.push(q);
    head.tag.push(tag);
    head.lip.push(0);
    head.lash.push(0);
    return head.positions.length - 1;
  };
  const inHole = (i: number, j: number) => blocks.some((b) => i > b.i0 && i < b.i1 && j > b.j0 && j < b.j1);
  const cellInHole = (i: number, j: number) => blocks.some((b) => i >= b.i0 && i < b.i1 && j >= b.j0 && j < b.j1);
  const grid = rows.map((v, j) => columns.map((u, i) => (inHole(i, j) ? -1 : add(surface(u, v)))));
  for (let j = 0; j < rows.length - 1; j++)
    for (let i = 0; i < columns.length; i++) {
      const next = (i + 1) % columns.length;
      if (next && cellInHole(i, j)) continue;
      head.quads.push([grid[j][i], grid[j][next], grid[j + 1][next], grid[j + 1][i]]);
    }
  const isLower = new Map<number, number>();
  for (const block of blocks) {
    const loop = blockLoop(block);
    const border = loop.map(([i, j]) => base.at(columns[i], rows[j]));
    const cx = block.kind === 'eye' ? block.side * EX : 0,
      cy = block.kind === 'eye' ? EY : MOUTH_Y;
    const half = (Math.max(...border.map((q) => q[0])) - Math.min(...border.map((q) => q[0]))) / 2;
    const angle = border.map((q) => Math.atan2((q[1] - cy) / (block.kind === 'eye' ? 11.2 : 14), (q[0] - cx) / half));
    let ring = loop.map(([i, j]) => grid[j][i]);
    const rings = [ring];
    const connect = (next: number[]) => {
      for (let a = 0; a < ring.length; a++) {
        const c = (a + 1) % ring.length;
        head.quads.push([ring[a], ring[c], next[c], next[a]]);
      }
      ring = next;
      rings.push(next);
    };
    const onSkin = (x: number, y: number, a: number): Point => {
      const [u, v] = base.find(x, y, columns[loop[a][0]], rows[loop[a][1]]);
      return surface(u, v);
    };
    if (block.kind === 'eye')
      eyeRings({ block, border, angle, rings, connect, onSkin, add, head, cx, upper, lower, shell });
    else mouthRings({ border, angle, rings, connect, onSkin, add, head, isLower });
  }
  shapeNose(head);
  if (p.jawOpen) openJaw(head, isLower);
  if (p.browLift) liftBrows(head);
  return head;
}

const blockLoop = (b: Block): [number, number][] => {
  const out: [number, number][] = [];
  for (let i = b.i0; i < b.i1; i++) out.push([i, b.j0]);
  for (let j = b.j0; j < b.j1; j++) out.push([b.i1, j]);
  for (let i = b.i1; i > b.i0; i--) out.push([i, b.j1]);
  for (let j = b.j1; j > b.j0; j--) out.push([b.i0, j]);
  return out;
};

interface RingWork {
  border: Point[];
  angle: number[];
  rings: number[][];
  connect(next: number[]): void;
  onSkin(x: number, y: number, a: number): Point;
  add(q: Point, tag?: number): number;
  head: Head;
}

/** Rings from the socket to the lid margin, over its thickness onto the eyeball. */
function eyeRings(
  work: RingWork & {
    block: Block;
    cx: number;
    upper: (dx: number) => number;
    lower: (dx: number) => number;
    shell: number;
  },
): void {
  const { block, border, angle, rings, connect, onSkin, add, head, cx, upper, lower, shell } = work;
  const p = head.traits,
    { eyeY: EY, eyeZ: EZ, eyeW: W } = p;
  const margin = angle.map((f) => {
    const sx = Math.cos(f) * block.side;
    const dx = W * Math.sign(sx) * Math.abs(Math.sin((Math.PI / 2) * Math.abs(sx))) ** 0.95;
    return { dx, dy: Math.sin(f) > 0 ? upper(dx) : lower(dx) };
  });
  const count = 13;
  for (let k = 1; k <= count; k++) {
    const t = k / count;
    connect(
      border.map((b, a) => {
        const { dx, dy } = margin[a];
        const q = onSkin(lerp(b[0], cx + block.side * dx, t), lerp(b[1], EY + dy, t), a);
        const z = EZ + head.lidShell(dx, dy, shell);
        if (k === count) q[2] = lerp(q[2], z, lerp(0.75, 0.2, p.blink * step(-5, -11, dx)));
        else if (k >= count - 2) q[2] = lerp(q[2], Math.max(q[2], z - 0.6), 0.4);
        return add(q, k > count - 2 ? TAG.lid : TAG.skin);
      }),
    );
  }
  const outer = rings[rings.length - 1].map((i) => head.positions[i]);
  for (const [radius, pull] of [
    [shell - 0.15, 0.04],
    [p.eyeR + 0.55, 0.5],
    [p.eyeR + 0.1, 1],
    [p.eyeR - 0.1, 1.6],
    [p.eyeR - 0.6, 3.2],
  ]) {
    connect(
      outer.map((q, a) => {
        const { dx, dy } = margin[a],
          s = radius / shell,
          within = Math.max(0, pull - 1),
          up = Math.sin(angle[a]) > 0;
        const narrow = lerp(s, 1, p.blink);
        const y = dy * narrow + (up ? 1 : -1) * within * lerp(1.2, -0.3, p.blink),
          x = dx * lerp(1, narrow, 0.6) * (1 + within * 0.02);
        const z = EZ + Math.max(-2, head.lidShell(x, y, radius)) - (shell - radius) * 0.1 - within * 0.2;
        const off = q[2] - (EZ + head.lidShell(dx, dy, shell));
        return add([cx + block.side * x, EY + y + (q[1] - EY - dy), z + off * (1 - Math.min(1, pull))], TAG.lid);
      }),
    );
  }
  for (const [ring, amount] of [
    [13, 0.55],
    [14, 0.9],
    [15, 0.6],
  ])
    rings[ring].forEach((i, a) => {
      head.lash[i] = amount * (Math.sin(angle[a]) > 0 ? 1 : 0.32);
    });
}

/** Rings from the muzzle over the lips to where they meet, then inward into a bag. */
function mouthRings(work: RingWork & { isLower: Map<number, number> }): void {
  const { border, angle, rings, connect, onSkin, add, head, isLower } = work;
  const p = head.traits;
  const width = p.mouthW * (1 + 0.13 * p.smile),
    lift = p.smile * 4.2;
  const upperEdge = (x: number) => {
    const a = Math.abs(x) / width,
      cup = 55.2 + 1.3 * bell(Math.abs(x) - (5.8 * width) / 25, 4.2) - 0.5 * bell(x, 2.8);
    return MOUTH_Y + lift * a * a + (cup - MOUTH_Y) * (0.5 + 0.5 * p.lipFull) * Math.max(0, 1 - a ** 1.75) ** 0.85;
  };
  const lowerEdge = (x: number) => {
    const a = Math.abs(x) / width;
    return MOUTH_Y + lift * a * a - 8.9 * (0.35 + 0.65 * p.lipFull) * Math.max(0, 1 - a ** 2.3) ** 0.8;
  };
  const contact = (x: number) => {
    const a = Math.abs(x) / width;
    return MOUTH_Y + lift * a * a + 0.1 - 0.81 * bell(x, 4.5) + 0.5 * bell(Math.abs(x) - 10, 6) - 0.6 * a ** 3;
  };
  const along = angle.map((f) => ({ x: width * Math.sin((Math.PI / 2) * Math.cos(f) * 0.999), up: Math.sin(f) > 0 }));
  const fade = (x: number) => Math.max(0, 1 - (Math.abs(x) / width) ** 2.2) ** 0.6;
  const count = 9;
  for (let k = 1; k <= count; k++) {
    const t = k / count;
    connect(
      border.map((b, a) => {
        const { x, up } = along[a];
        const q = onSkin(lerp(b[0], x, t), lerp(b[1], up ? upperEdge(x) : lowerEdge(x), t), a);
        q[2] += fade(x) * (up ? 1.1 : 1.4) * t * t * (0.6 + 0.4 * p.lipFull);
        const i = add(q);
        head.lip[i] = step(6.5, 9, k) * 0.45;
        return i;
      }),
    );
  }
  const edge = rings[rings.length - 1].map((i) => {
    head.lip[i] = 0.7;
    return head.positions[i];
  });
  const meet = along.map((q, a) => onSkin(q.x, contact(q.x), a)[2]);
  const body = 12;
  for (let k = 1; k <= body; k++) {
    const t = k / body;
    connect(
      along.map(({ x, up }, a) => {
        const T = fade(x),
          top = up ? upperEdge(x) : lowerEdge(x);
        const y = lerp(top, contact(x) + (up ? -0.2 : 0.2) * T, t);
        const z = lerp(edge[a][2], meet[a] + 0.5 * T - 0.2, step(0.1, 1, t));
        const roll = up
          ? p.lipFull *
            (1 + 0.3 * bell(x, 4.5) - 0.1 * bell(Math.abs(x) - 8, 4)) *
            2.6 *
            Math.sin(Math.PI * 0.93 * t ** 0.92) ** 0.85
          : p.lipFull *
            (1 + 0.16 * bell(Math.abs(x) - 6.5, 5) - 0.05 * bell(x, 3)) *
            3 *
            Math.sin(Math.PI * 0.93 * t ** 0.9) ** 0.9;
        const i = add([x, y + edge[a][1] - top, z + roll * T ** 1.7], TAG.lip);
        head.lip[i] = 1;
        return i;
      }),
    );
  }
  const inner = rings[rings.length - 1].map((i) => head.positions[i]);
  for (const [depth, open] of [
    [2, 0.4],
    [6, 2.4],
    [14, 7.5],
    [26, 11.5],
    [40, 10],
  ]) {
    connect(
      inner.map((q, a) =>
        add(
          [q[0] * (1 - depth * 0.006), q[1] + (along[a].up ? open : -open) * fade(along[a].x), q[2] - depth],
          TAG.mouth,
        ),
      ),
    );
  }
  const last = rings[rings.length - 1];
  const centre: Point = [0, 0, 0];
  for (const i of last) for (let k = 0; k < 3; k++) centre[k] += head.positions[i][k] / last.length;
  const middle = add([centre[0], centre[1], centre[2] - 4], TAG.mouth);
  for (let a = 0; a < last.length; a++) head.quads.push([last[a], last[(a + 1) % last.length], middle, middle]);
  // How far each ring follows the lower jaw.
  rings.forEach((ring, r) => {
    if (!r) return;
    ring.forEach((i, a) => {
      const q = Math.min(1, Math.abs(head.positions[i][0]) / p.mouthW);
      const own = along[a].up ? 0.02 + 0.4 * q ** 4 : 1 - 0.58 * q ** 4;
      isLower.set(i, r < 10 ? lerp(1 - step(30, 64, head.positions[i][1]), own, step(0, 1, r / 9)) : own);
    });
  });
}

/** Evens the points on the nose, keeps them on it, and pushes the nostrils up. */
function shapeNose(head: Head): void {
  const { positions, tag, traits: p } = head;
  const neighbours: Set<number>[] = positions.map(() => new Set());
  for (const q of head.quads)
    for (let k = 0; k < 4; k++) {
      neighbours[q[k]].add(q[(k + 1) % 4]);
      neighbours[q[(k + 1) % 4]].add(q[k]);
    }
  const relax = (chosen: number[], amount: (i: number) => number, after: (q: Point, i: number) => Point = (q) => q) => {
    const next = chosen.map((i): Point => {
      const mean: Point = [0, 0, 0];
      for (const j of neighbours[i]) for (let c = 0; c < 3; c++) mean[c] += positions[j][c] / neighbours[i].size;
      return after(positions[i].map((c, k) => lerp(c, mean[k], amount(i))) as Point, i);
    });
    chosen.forEach((i, n) => {
      positions[i] = next[n];
    });
  };
  const region: number[] = [];
  positions.forEach((q, i) => {
    if (tag[i] === TAG.skin && Math.abs(q[0]) < 23 && q[1] > 64 && q[1] < 100 && q[2] > 86) region.push(i);
  });
  const gradient = (q: Point) => {
    const e = 0.05,
      f = noseDistance(p, q);
    return [
      (noseDistance(p, [q[0] + e, q[1], q[2]]) - f) / e,
      (noseDistance(p, [q[0], q[1] + e, q[2]]) - f) / e,
      (noseDistance(p, [q[0], q[1], q[2] + e]) - f) / e,
      f,
    ];
  };
  const first = new Map(region.map((i) => [i, noseDistance(p, positions[i])]));
  const amount = new Map(
    region.map((i) => {
      const q = positions[i];
      return [i, 0.5 * step(22, 17, Math.abs(q[0])) * step(99, 90, q[1]) * step(64.5, 68, q[1]) * step(86, 90, q[2])];
    }),
  );
  for (let round = 0; round < 24; round++)
    relax(
      region,
      (i) => amount.get(i) as number,
      (q, i) => {
        const d = first.get(i) as number,
          hold = step(2.2, 0.2, d);
        if (hold <= 0) return q;
        const g = gradient(q),
          e = (g[3] - Math.max(0, Math.min(d, 2.2))) * 0.9 * hold;
        return [q[0] - g[0] * e, q[1] - g[1] * e, q[2] - g[2] * e];
      },
    );
  const nostril = new Map<number, number>();
  for (const i of region) {
    if ((first.get(i) as number) >= 0.4) continue;
    const q = positions[i],
      g = gradient(q),
      under = -g[1] / (len(g[0], g[1], g[2]) || 1);
    const dx = Math.abs(q[0]) - 6.9 * p.noseW,
      dz = q[2] - (100.8 + (p.noseP - 1) * 12),
      c = Math.cos(0.5),
      n = Math.sin(0.5);
    const e = len((dx * c + dz * n) / 2.7 / p.noseW, (-dx * n + dz * c) / 5.4);
    if (e < 1.5) nostril.set(i, (1 - step(0.4, 1.4, e)) * step(0.15, 0.75, under));
  }
  const inside = [...nostril.keys()];
  for (let round = 0; round < 6; round++) {
    for (const i of inside) {
      const k = (nostril.get(i) as number) / 6,
        q = positions[i];
      q[1] += 6.6 * k;
      q[0] -= (q[0] < 0 ? -1 : 1) * 0.4 * k;
      q[2] -= 1.6 * k;
    }
    relax(inside, () => 0.3);
  }
  const base = 119 + (71 - 119) * p.noseL;
  const lowNose = region.filter((i) => positions[i][1] < base + 9 && positions[i][2] > 91);
  for (let round = 0; round < 3; round++) relax(lowNose, () => 0.45);
}

/** Skin of the brows slides up or down over the skull, and takes the forehead along; lids and temples stay. */
function liftBrows({ positions, tag, traits: p }: Head): void {
  const line = browLine(p.browY),
    from = line[0][0],
    to = line[line.length - 1][0];
  positions.forEach((q, i) => {
    if (tag[i] !== TAG.skin || q[2] < 35) return;
    const x = Math.abs(q[0]),
      n = Math.max(0, Math.min(line.length - 1.001, ((x - from) / (to - from)) * (line.length - 1))),
      k = Math.floor(n),
      above = q[1] - lerp(line[k][1], line[k + 1][1], n - k),
      share = above > 0 ? 1 - step(4, 38, above) : 1 - step(2.5, 14, -above);
    q[1] += p.browLift * share * step(35, 62, q[2]) * (1 - step(48, 64, x));
  });
}

/** Turns the lower jaw about the line through both condyles. */
function openJaw(head: Head, isLower: ReadonlyMap<number, number>): void {
  const angle = head.traits.jawOpen * 0.3,
    c = Math.cos(angle),
    n = Math.sin(angle);
  head.positions.forEach((q, i) => {
    const own = isLower.get(i);
    let w = own ?? 1 - step(30, 64, q[1]);
    if (own === undefined) {
      w *= step(-6, 26, q[2] - (q[1] < -6 ? (-6 - q[1]) * 1.2 : 0));
      w *= step(-42, -4, q[1]);
    }
    const y = q[1] - 92,
      z = q[2] - 8;
    q[1] = lerp(q[1], 92 + y * c - z * n, w);
    q[2] = lerp(q[2], 8 + y * n + z * c, w);
  });
}
