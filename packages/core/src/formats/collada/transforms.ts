import { compose, identity, multiply, quatFromAxis, type Vec3, unit } from '../../geometry/index.ts';
import type { XmlNode } from '../text/xml.ts';
import type { Collada } from './source.ts';

/** One transform element of a node with its numbers, which clips may change. */
export interface TransformElement {
  sort: 'matrix' | 'translate' | 'rotate' | 'scale' | 'skew' | 'lookat';
  sid: string;
  values: Float64Array;
}
const LENGTH: Record<TransformElement['sort'], number> = {
  matrix: 16,
  translate: 3,
  rotate: 4,
  scale: 3,
  skew: 7,
  lookat: 9,
};

export function transformsOf(file: Collada, node: XmlNode): TransformElement[] {
  return node.children.flatMap((child) => {
    const sort = child.name as TransformElement['sort'];
    if (LENGTH[sort] === undefined) return [];
    const values = file.numbers(child).slice(0, LENGTH[sort]);
    if (values.length < LENGTH[sort] || !values.every(Number.isFinite))
      throw file.bad(`a ${sort} of the node “${node.attributes.name ?? node.attributes.id ?? ''}” lacks numbers`);
    return [{ sort, sid: child.attributes.sid ?? '', values }];
  });
}

/** Product of a node's transforms in the order they stand, column major. */
export function matrixOf(elements: readonly TransformElement[]): Float64Array {
  let out = identity(new Float64Array(16));
  const one = new Float64Array(16);
  for (const element of elements) {
    const next = new Float64Array(16);
    elementMatrix(one, element);
    multiply(next, 0, out, 0, one, 0);
    out = next;
  }
  return out;
}

function elementMatrix(out: Float64Array, { sort, values: v }: TransformElement): void {
  if (sort === 'matrix') {
    for (let row = 0; row < 4; row++)
      for (let column = 0; column < 4; column++) out[column * 4 + row] = v[row * 4 + column];
    return;
  }
  if (sort === 'translate') compose(out, 0, v, [0, 0, 0, 1], [1, 1, 1]);
  else if (sort === 'scale') compose(out, 0, [0, 0, 0], [0, 0, 0, 1], v);
  else if (sort === 'rotate') {
    const axis: Vec3 = [v[0], v[1], v[2]];
    compose(
      out,
      0,
      [0, 0, 0],
      Math.hypot(...axis) > 1e-12 ? quatFromAxis(unit(axis), (v[3] * Math.PI) / 180) : [0, 0, 0, 1],
      [1, 1, 1],
    );
  } else identity(out);
}
