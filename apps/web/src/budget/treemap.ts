export interface Tile {
  id: string;
  value: number;
  x: number;
  y: number;
  width: number;
  height: number;
}

/** Squarified treemap (Bruls, Huizing & van Wijk 2000): areas as values, sides as even as can be. */
export function treemap(items: readonly { id: string; value: number }[], width: number, height: number): Tile[] {
  const sorted = items.filter((item) => item.value > 0).sort((a, b) => b.value - a.value);
  const total = sorted.reduce((sum, item) => sum + item.value, 0);
  const out: Tile[] = [];
  let x = 0,
    y = 0,
    w = width,
    h = height;
  let rest = sorted.map((item) => ({ ...item, area: (item.value / (total || 1)) * width * height }));
  const worst = (row: { area: number }[], side: number) => {
    const sum = row.reduce((s, r) => s + r.area, 0);
    return Math.max(
      ...row.map((r) => Math.max((side * side * r.area) / (sum * sum), (sum * sum) / (side * side * r.area))),
    );
  };
  while (rest.length) {
    const side = Math.min(w, h);
    let n = 1;
    while (n < rest.length && worst(rest.slice(0, n + 1), side) <= worst(rest.slice(0, n), side)) n++;
    const row = rest.slice(0, n),
      sum = row.reduce((s, r) => s + r.area, 0),
      thick = sum / (side || 1);
    let at = 0;
    for (const item of row) {
      const long = item.area / (thick || 1);
      out.push(
        w >= h
          ? { id: item.id, value: item.value, x, y: y + at, width: thick, height: long }
          : { id: item.id, value: item.value, x: x + at, y, width: long, height: thick },
      );
      at += long;
    }
    if (w >= h) {
      x += thick;
      w -= thick;
    } else {
      y += thick;
      h -= thick;
    }
    rest = rest.slice(n);
  }
  return out;
}
