/** A face as it is unrolled: place of its corners on the chart, which of them lie past the cut, how far it is from the axis, which layer of the chart it lies in. */
export interface Unrolled { corners: number[]; chart: number; at: [number, number][]; wrapped: number[]; reach: number; layer: number }

/** Texels along a chart's side on which faces of one layer are held against each other. */
const FINE = 768, MOST_LAYERS = 5;

/** Of faces of one layer that lie on one another the one nearer to the axis goes a layer down, until none do. */
export function partLayers(faces: readonly Unrolled[]): void {
  const owner = new Int32Array(FINE * FINE);
  for (let layer = 0; layer < MOST_LAYERS; layer++) {
    owner.fill(-1);
    faces.forEach((face, f) => {
      if (face.layer !== layer) return;
      const [[ax, ay], [bx, by], [cx, cy]] = face.at.map((p, k) => [((p[0] + face.wrapped[k]) * FINE) / 1.1, p[1] * FINE]), twice = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay);
      if (Math.abs(twice) < 1e-9) return;
      for (let y = Math.max(0, Math.floor(Math.min(ay, by, cy))); y <= Math.min(FINE - 1, Math.max(ay, by, cy)) && face.layer === layer; y++) for (let x = Math.max(0, Math.floor(Math.min(ax, bx, cx))); x <= Math.min(FINE - 1, Math.max(ax, bx, cx)); x++) {
        const wb = ((x + 0.5 - ax) * (cy - ay) - (cx - ax) * (y + 0.5 - ay)) / twice, wc = ((bx - ax) * (y + 0.5 - ay) - (x + 0.5 - ax) * (by - ay)) / twice;
        if (wb < 1e-4 || wc < 1e-4 || wb + wc > 1 - 1e-4) continue;
        const before = owner[y * FINE + x];
        if (before >= 0 && faces[before].layer === layer) {
          if (faces[before].reach >= face.reach) { face.layer = layer + 1; break; }
          faces[before].layer = layer + 1;
        }
        owner[y * FINE + x] = f;
      }
    });
  }
}

/** Single faces that look another way than all their neighbours stay with those: less is cut apart. */
export function keepTogether(faces: readonly Unrolled[]): void {
  const edges = new Map<number, number[]>(), most = 1 + faces.reduce((max, { corners }) => Math.max(max, ...corners), 0);
  const edge = ([a, b]: number[]) => Math.min(a, b) * most + Math.max(a, b), around = ({ corners: [a, b, c] }: { corners: number[] }) => [[a, b], [b, c], [c, a]].map(edge);
  faces.forEach((face, t) => { for (const e of around(face)) { const list = edges.get(e); if (list) list.push(t); else edges.set(e, [t]); } });
  for (let round = 0; round < 2; round++) {
    const before = faces.map((face) => face.layer);
    faces.forEach((face, t) => {
      const near = around(face).flatMap((e) => edges.get(e) ?? []).filter((other) => other !== t && faces[other].chart === face.chart), unlike = near.filter((other) => before[other] !== before[t]).length;
      if (near.length > 1 && unlike === near.length) face.layer = 1 - before[t];
    });
  }
}
