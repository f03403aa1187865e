import { floodFromOutside, type Voxels } from './voxels.ts';

const FAR = 1e12;

/**
 * Squared distance of every voxel to the nearest marked one, in voxels: the lower envelope of parabolas along each axis
 * (Felzenszwalb & Huttenlocher 2012). Exact.
 */
export function squaredDistances(marked: Uint8Array, dims: Voxels['dims']): Float64Array {
  const [nx, ny, nz] = dims,
    out = new Float64Array(marked.length),
    longest = Math.max(nx, ny, nz),
    row = new Float64Array(longest),
    at = new Int32Array(longest),
    from = new Float64Array(longest + 1);
  for (let i = 0; i < out.length; i++) out[i] = marked[i] ? 0 : FAR;
  const line = (start: number, step: number, n: number): void => {
    let any = false;
    for (let i = 0; i < n; i++) {
      row[i] = out[start + i * step];
      any ||= row[i] > 0;
    }
    if (!any) return;
    let last = 0;
    at[0] = 0;
    from[0] = -Infinity;
    from[1] = Infinity;
    for (let q = 1; q < n; q++) {
      let s = 0;
      for (; last >= 0; last--) {
        const p = at[last];
        s = (row[q] + q * q - row[p] - p * p) / (2 * (q - p));
        if (s > from[last]) break;
      }
      last++;
      at[last] = q;
      from[last] = last ? s : -Infinity;
      from[last + 1] = Infinity;
    }
    for (let q = 0, k = 0; q < n; q++) {
      while (from[k + 1] < q) k++;
      const d = q - at[k];
      out[start + q * step] = d * d + row[at[k]];
    }
  };
  for (let z = 0; z < nz; z++) for (let y = 0; y < ny; y++) line(nx * (y + ny * z), 1, nx);
  for (let z = 0; z < nz; z++) for (let x = 0; x < nx; x++) line(x + nx * ny * z, nx, ny);
  for (let y = 0; y < ny; y++) for (let x = 0; x < nx; x++) line(x + nx * y, nx * ny, nz);
  return out;
}

/** How deep each solid voxel's middle lies below the surface, in the caller's units; 0 outside. */
export function depthsOf({ solid, dims, size }: Voxels): Float32Array {
  const squares = squaredDistances(
    solid.map((inside) => 1 - inside),
    dims,
  );
  const out = new Float32Array(squares.length);
  for (let i = 0; i < out.length; i++) if (squares[i]) out[i] = (Math.sqrt(squares[i]) - 0.5) * size;
  return out;
}

/** What is solid once gaps of up to twice `by` voxels are closed: grown and shrunk again (morphological closing). */
export function closeGaps(voxels: Voxels, by: number): Voxels {
  const { dims, solid } = voxels,
    grown = Uint8Array.from(squaredDistances(solid, dims), (square) => (square <= by * by ? 1 : 0)),
    outside = floodFromOutside(grown, dims),
    back = squaredDistances(outside, dims);
  return { ...voxels, solid: solid.map((inside, i) => (inside || back[i] > by * by ? 1 : 0)) };
}
