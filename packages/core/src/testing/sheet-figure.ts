import { Document, type Primitive } from '@gltf-transform/core';

/** Positions of a grid of quads, ASCII from the front, the left side on +X:  o-o-o  at x = −1 … 1, y = 0 … rows. */
export function gridOf(columns: number, rows: number): { positions: Float32Array; indices: Uint16Array } {
  const positions: number[] = [],
    indices: number[] = [];
  for (let r = 0; r <= rows; r++) for (let c = 0; c <= columns; c++) positions.push((2 * c) / columns - 1, r / rows, 0);
  for (let r = 0; r < rows; r++)
    for (let c = 0; c < columns; c++) {
      const i = r * (columns + 1) + c,
        [a, b, d, e] = [i, i + 1, i + columns + 1, i + columns + 2];
      // Diagonals lean to the middle, so that the sheet is its own mirror image.
      if (c < columns / 2) indices.push(a, b, e, a, e, d);
      else indices.push(a, b, d, b, e, d);
    }
  return { positions: Float32Array.from(positions), indices: Uint16Array.from(indices) };
}

const vec3 = (document: Document, values: ArrayLike<number>) =>
  document.createAccessor().setType('VEC3').setArray(Float32Array.from(values));

/** A sheet without joints, with morphs by name: movements, or a function of a vertex's place. */
export function sheetFigure(
  morphs: Record<string, (x: number, y: number) => readonly [number, number, number]>,
  { columns = 4, rows = 2, normals = false } = {},
): { document: Document; prim: Primitive } {
  const document = new Document(),
    { positions, indices } = gridOf(columns, rows),
    count = positions.length / 3,
    prim = document
      .createPrimitive()
      .setMaterial(document.createMaterial('Skin'))
      .setAttribute('POSITION', vec3(document, positions))
      .setAttribute('NORMAL', vec3(document, Array.from({ length: count }, () => [0, 0, 1]).flat()))
      .setIndices(document.createAccessor().setType('SCALAR').setArray(indices));
  document.createBuffer();
  for (const [name, move] of Object.entries(morphs)) {
    const delta = Array.from({ length: count }, (_, v) => [...move(positions[v * 3], positions[v * 3 + 1])]).flat(),
      target = document.createPrimitiveTarget(name).setAttribute('POSITION', vec3(document, delta));
    if (normals)
      target.setAttribute(
        'NORMAL',
        vec3(
          document,
          delta.map((value) => value / 2),
        ),
      );
    prim.addTarget(target);
  }
  const mesh = document
    .createMesh('Face')
    .addPrimitive(prim)
    .setExtras({ targetNames: Object.keys(morphs) });
  document.createScene().addChild(document.createNode('Face').setMesh(mesh));
  return { document, prim };
}
