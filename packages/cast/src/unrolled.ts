/** A face as it is unrolled: place of its corners on the chart, which of them lie past the cut, how far it is from the axis, whether it lies in the chart's first rectangle or its second. */
export interface Unrolled {
  corners: number[];
  chart: number;
  at: [number, number][];
  wrapped: number[];
  reach: number;
  layer: 0 | 1;
}

/** The faces beside a face, over each of its edges. */
export type Neighbours = (face: number) => number[];

export function neighboursOf(faces: readonly { corners: number[] }[]): Neighbours {
  const edges = new Map<number, number[]>(),
    most = 1 + faces.reduce((max, { corners }) => Math.max(max, ...corners), 0);
  const edge = (a: number, b: number) => Math.min(a, b) * most + Math.max(a, b),
    around = ([a, b, c]: number[]) => [edge(a, b), edge(b, c), edge(c, a)];
  faces.forEach(({ corners }, f) => {
    for (const e of around(corners)) {
      const list = edges.get(e);
      if (list) list.push(f);
      else edges.set(e, [f]);
    }
  });
  const known: number[][] = [];
  return (face) =>
    (known[face] ??= around(faces[face].corners)
      .flatMap((e) => edges.get(e) ?? [])
      .filter((other) => other !== face));
}

/** Single faces that look another way than all their neighbours stay with those: less is cut apart. */
export function keepTogether(faces: readonly Unrolled[], neighbours: Neighbours): void {
  for (let round = 0; round < 2; round++) {
    const before = faces.map((face) => face.layer);
    faces.forEach((face, f) => {
      const near = neighbours(f).filter((other) => faces[other].chart === face.chart),
        unlike = near.filter((other) => before[other] !== before[f]).length;
      if (near.length > 1 && unlike === near.length) face.layer = before[f] ? 0 : 1;
    });
  }
}
