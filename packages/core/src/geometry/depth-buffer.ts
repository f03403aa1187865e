/**
 * Directions to look along: three of the sides and four of the corners. Each is looked along both ways at once, so that
 * seven drawings give fourteen views.
 */
export const AROUND: readonly (readonly [number, number, number])[] = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
  [1, 1, 1],
  [1, 1, -1],
  [1, -1, 1],
  [1, -1, -1],
];

/** What rounding may take from a pixel that lies on the edge of two faces: it must belong to one of them. */
const EDGE = 1e-9;

/** Nearest and furthest surface of every pixel, and whose it is: parallel projection of all vertices along one direction, seen from both of its ends. */
export class DepthBuffer {
  /** two per pixel, side by side since both are asked for together: the nearest depth, and the furthest with its sign changed */
  readonly depth: Float32Array;
  /** whose those two are; empty where nobody asks */
  private readonly owners: Int32Array;
  /** 1 at pixels that are asked for, where somebody said which */
  private wanted = new Uint8Array(0);
  private wanting = false;
  private place = new Float32Array(0);
  /** Side of a pixel in the caller's unit; depths are in pixels too. */
  pixel = 1;
  /** Pixels of a row, and rows: what the vertices take up in this view, and no more of the arrays is in use. */
  wide: number;
  high: number;

  /**
   * @param size pixels along the longer side of a view
   * @param owned false keeps depths alone
   */
  constructor(
    private readonly size: number,
    owned = true,
  ) {
    this.wide = size;
    this.high = size;
    this.depth = new Float32Array(size * size * 2);
    this.owners = new Int32Array(owned ? size * size * 2 : 0);
  }

  lookAlong(direction: readonly [number, number, number], positions: Float32Array): void {
    const { size } = this,
      n = Math.hypot(...direction),
      [dx, dy, dz] = direction.map((c) => c / n);
    // Any two axes at right angles to the view.
    const flat = Math.hypot(dx, dz),
      [rx, rz] = flat > 1e-6 ? [-dz / flat, dx / flat] : [1, 0];
    const ux = flat > 1e-6 ? -dy * rz : 0,
      uy = flat > 1e-6 ? dx * rz - dz * rx : 0,
      uz = dy * rx;
    if (this.place.length !== positions.length) this.place = new Float32Array(positions.length);
    const { place } = this;
    let left = Infinity,
      right = -Infinity,
      low = Infinity,
      high = -Infinity;
    for (let v = 0; v < positions.length; v += 3) {
      const x = positions[v],
        y = positions[v + 1],
        z = positions[v + 2],
        a = x * rx + z * rz,
        b = x * ux + y * uy + z * uz;
      place[v] = a;
      place[v + 1] = b;
      place[v + 2] = x * dx + y * dy + z * dz;
      if (a < left) left = a;
      if (a > right) right = a;
      if (b < low) low = b;
      if (b > high) high = b;
    }
    const scale = (size - 2) / (Math.max(right - left, high - low) || 1);
    this.pixel = 1 / scale;
    const taken = (extent: number) => Math.max(1, Math.min(size, Math.ceil(extent * scale) + 2));
    this.wide = taken(right - left);
    this.high = taken(high - low);
    for (let v = 0; v < place.length; v += 3) {
      place[v] = (place[v] - left) * scale + 1;
      place[v + 1] = (place[v + 1] - low) * scale + 1;
      place[v + 2] *= scale;
    }
    this.clear();
  }

  /** Looks as another buffer of the same size does, at the same vertices. */
  lookWith(other: DepthBuffer): void {
    this.place = other.place;
    this.pixel = other.pixel;
    this.wide = other.wide;
    this.high = other.high;
    this.clear();
  }

  private clear(): void {
    this.wanting = false;
    this.depth.fill(Infinity, 0, this.used);
    this.owners.fill(-1, 0, this.used);
  }

  /** Entries of {@link depth} in use: two a pixel. */
  get used(): number {
    return this.wide * this.high * 2;
  }

  /** Until the next look {@link sees} is asked of these vertices alone: faces before none of their pixels need not be drawn. */
  wantOnly(vertices: Uint32Array): void {
    const pixels = this.used / 2;
    if (this.wanted.length < pixels) this.wanted = new Uint8Array(pixels);
    this.wanted.fill(0, 0, pixels);
    for (const vertex of vertices) this.wanted[this.pixelOf(vertex)] = 1;
    this.wanting = true;
  }

  private pixelOf(vertex: number): number {
    const { place, wide, high } = this,
      x = Math.max(0, Math.min(wide - 1, Math.floor(place[vertex * 3]))),
      y = Math.max(0, Math.min(high - 1, Math.floor(place[vertex * 3 + 1])));
    return y * wide + x;
  }

  /** The rectangle of pixels that vertices lie in, in whole pixels: left, right, low, high. */
  frameOf(first: number, count: number): [number, number, number, number] {
    const { place, wide, high: rows } = this;
    let left = Infinity,
      right = -Infinity,
      low = Infinity,
      high = -Infinity;
    for (let o = first * 3; o < (first + count) * 3; o += 3) {
      const x = place[o],
        y = place[o + 1];
      if (x < left) left = x;
      if (x > right) right = x;
      if (y < low) low = y;
      if (y > high) high = y;
    }
    return [
      Math.max(0, Math.floor(left)),
      Math.min(wide - 1, Math.ceil(right)),
      Math.max(0, Math.floor(low)),
      Math.min(rows - 1, Math.ceil(high)),
    ];
  }

  /** Draws triangles; with `owner` −1 they are only tested, and `passed` hears how many pixels are seen. Returns the area that faces either viewer, in pixels. */
  draw(indices: Uint32Array, first: number, count: number, owner: number, passed: (pixels: number) => void): number {
    const { place, depth, owners, wide, high, wanted, wanting } = this,
      owned = owners.length > 0;
    let area = 0,
      pixels = 0;
    for (let t = first * 3; t < (first + count) * 3; t += 3) {
      const a = indices[t] * 3,
        b = indices[t + 1] * 3,
        c = indices[t + 2] * 3;
      const ax = place[a],
        ay = place[a + 1],
        bx = place[b],
        by = place[b + 1],
        cx = place[c],
        cy = place[c + 1];
      const twice = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay);
      if (!(Math.abs(twice) > 1e-9)) continue;
      const front = twice > 0;
      area += Math.abs(twice) / 2;
      // Most faces are a pixel or two: what is worked out once a face counts for more than what is done a pixel.
      const lowX = ax < bx ? (ax < cx ? ax : cx) : bx < cx ? bx : cx,
        highX = ax > bx ? (ax > cx ? ax : cx) : bx > cx ? bx : cx;
      const x0 = (lowX > 0.5 ? Math.ceil(lowX - 0.5) : 0) | 0,
        x1 = (highX < wide - 0.5 ? Math.floor(highX - 0.5) : wide - 1) | 0;
      if (x0 > x1) continue;
      const lowY = ay < by ? (ay < cy ? ay : cy) : by < cy ? by : cy,
        highY = ay > by ? (ay > cy ? ay : cy) : by > cy ? by : cy;
      const y0 = (lowY > 0.5 ? Math.ceil(lowY - 0.5) : 0) | 0,
        y1 = (highY < high - 0.5 ? Math.floor(highY - 0.5) : high - 1) | 0;
      if (y0 > y1 || (wanting && !anyIn(wanted, wide, x0, x1, y0, y1))) continue;
      const inverse = 1 / twice,
        bX = (cy - ay) * inverse,
        bY = (ax - cx) * inverse,
        cX = (ay - by) * inverse,
        cY = (bx - ax) * inverse;
      const az = place[a + 2],
        bz = place[b + 2] - az,
        cz = place[c + 2] - az,
        toX = x0 + 0.5 - ax;
      for (let y = y0; y <= y1; y++) {
        const toY = y + 0.5 - ay;
        let wb = toX * bX + toY * bY,
          wc = toX * cX + toY * cY;
        for (let x = x0, at = (y * wide + x0) * 2; x <= x1; x++, at += 2, wb += bX, wc += cX) {
          if (wb < -EDGE || wc < -EDGE || wb + wc > 1 + EDGE) continue;
          const z = az + bz * wb + cz * wc;
          if (owner < 0) {
            if (front ? z < depth[at] : -z < depth[at + 1]) pixels++;
            continue;
          }
          if (z < depth[at]) {
            depth[at] = z;
            if (owned) owners[at] = front ? owner : -1;
          }
          if (-z < depth[at + 1]) {
            depth[at + 1] = -z;
            if (owned) owners[at + 1] = front ? -1 : owner;
          }
        }
      }
    }
    passed(pixels);
    return area;
  }

  /** Whether from one end at least nothing drawn so far lies in front of a vertex by more than `slack` pixels. */
  sees(vertex: number, slack: number): boolean {
    const z = this.place[vertex * 3 + 2],
      at = this.pixelOf(vertex) * 2;
    return z <= this.depth[at] + slack || -z <= this.depth[at + 1] + slack;
  }

  countInto(seen: Float64Array): void {
    const { owners, used } = this;
    for (let i = 0; i < used; i++) if (owners[i] >= 0) seen[owners[i]]++;
  }
}

/** Whether a mark stands in a rectangle of a picture whose rows are `wide` pixels. */
function anyIn(marks: Uint8Array, wide: number, x0: number, x1: number, y0: number, y1: number): boolean {
  for (let y = y0; y <= y1; y++)
    for (let at = y * wide + x0, end = y * wide + x1; at <= end; at++) if (marks[at]) return true;
  return false;
}
