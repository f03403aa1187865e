import type { Document } from '@gltf-transform/core';
import {
  CLEAR_KINDS,
  copyDocument,
  createDeformer,
  kindsOf,
  type MaterialKind,
  STRAND_KINDS,
} from '../../character/index.ts';
import { RayTree } from '../../geometry/index.ts';
import { soundCopy, standAsFound } from '../../rig/index.ts';

/** A surface with its directions, in metres on the floor. */
export interface Surface {
  /** xyz per vertex */
  positions: Float32Array;
  /** xyz per vertex, unit */
  normals: Float32Array;
  indices: Uint32Array;
  tree: RayTree;
}

/** A finer model of the same body, laid over this one. */
export interface FineSurface extends Surface {
  /** How it was understood so that it lies there; null where it came so. */
  taken: string | null;
  /** From its points to the surface below, the median, metres. */
  apart: number;
}

/** What is see-through or made of cards has no shape to keep. */
export const hasShape = (kind: MaterialKind): boolean => !STRAND_KINDS.includes(kind) && !CLEAR_KINDS.includes(kind);

/** Points of the finer model that are asked where it lies. */
const ASKED = 600;
/** Another way of laying it has to be nearer by as much before it is taken for the one before. */
const NEARER = 0.8;

type Raw = Pick<Surface, 'positions' | 'normals' | 'indices'>;

/** Lays a finer model over the surface it belongs to: as it came, stood up like any arrival, or in another unit or up axis. */
export function fineSurface(given: Document, below: Surface): FineSurface {
  const sound = soundCopy(given),
    stood = copyDocument(sound);
  standAsFound(stood);
  const came = read(sound);
  let best = { ...came, taken: null as string | null, apart: medianDistance(came.positions, below) };
  const others: (() => Raw & { taken: string })[] = [
    () => ({ ...read(stood), taken: 'stood up as other arrivals are' }),
    ...UNITS.flatMap(([unit, metres]) =>
      (['y', 'z'] as const).map((up) => () => ({
        ...turned(came, metres, up),
        taken: `in ${unit}, ${up.toUpperCase()} up`,
      })),
    ),
  ];
  for (const other of others) {
    const way = other(),
      apart = medianDistance(way.positions, below);
    if (apart < best.apart * NEARER) best = { ...way, apart };
  }
  return { ...best, tree: new RayTree(best.positions, best.indices) };
}

const UNITS: readonly (readonly [string, number])[] = [
  ['metres', 1],
  ['centimetres', 0.01],
  ['millimetres', 0.001],
  ['decimetres', 0.1],
  ['inches', 0.0254],
];

function read(document: Document): Raw {
  const kindOf = kindsOf(document),
    { indices, vertices, evaluate, evaluateNormals } = createDeformer(
      document,
      ({ material }) => !material || hasShape(kindOf(material)),
      false,
    ),
    positions = evaluate(new Float32Array(vertices * 3));
  return { indices, positions, normals: evaluateNormals(new Float32Array(positions.length), positions) };
}

function turned({ positions, normals, indices }: Raw, metres: number, up: 'y' | 'z'): Raw {
  const turn = (array: Float32Array, scale: number) => {
    const out = new Float32Array(array.length);
    for (let i = 0; i < array.length; i += 3) {
      out[i] = array[i] * scale;
      out[i + 1] = (up === 'z' ? array[i + 2] : array[i + 1]) * scale;
      out[i + 2] = (up === 'z' ? -array[i + 1] : array[i + 2]) * scale;
    }
    return out;
  };
  return { positions: turn(positions, metres), normals: turn(normals, 1), indices };
}

function medianDistance(points: Float32Array, { tree }: Surface): number {
  const count = points.length / 3,
    step = Math.max(1, Math.floor(count / ASKED)),
    all: number[] = [];
  for (let v = 0; v < count; v += step) all.push(tree.closest(points[v * 3], points[v * 3 + 1], points[v * 3 + 2]));
  return all.sort((a, b) => a - b)[all.length >> 1] ?? Infinity;
}
