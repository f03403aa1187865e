import { RANGE_OF_MOTION, type Pose } from '../skeleton/index.ts';
import { measuredSurface, type Pair, shapeOf, type Showing, showing, type Side, sortOut } from './pair.ts';
import { type ParityRow, rowOf } from './row.ts';
import { sameVertices, vertexDistance } from './same-vertices.ts';
import { skinThrough } from './skin-through.ts';
import { type MeasuredSurface, posedDistance, surfaceDistance } from './surface-distance.ts';

/** Two figures ready to be posed side by side. */
export interface Posing {
  pair: Pair;
  shown: Showing;
  source: MeasuredSurface;
  result: MeasuredSurface;
}

/** @param samples on each surface */
export function readyToPose(pair: Pair, samples: number, seed: number): Posing {
  const shown = showing(pair),
    surface = (side: Side, shapes: Float32Array[]) =>
      measuredSurface(side, pair, shapes[0], samples, seed, sortOut(side, shapes).open);
  const source = surface(pair.source, shown.shapes.source),
    result = surface(pair.result, shown.shapes.result);
  // What is nearest at rest is where poses begin to look.
  surfaceDistance(source, result);
  return { pair, shown, source, result };
}

/** Poses of the range-of-motion set that turn something the source has; none where no joint moves its mesh. */
export function posesOf({ source }: Pair): readonly Pose[] {
  return source.deformer.ranges.some((range) => range.part.node.getSkin())
    ? RANGE_OF_MOTION.filter((pose) => pose.turns.some((turn) => source.roles.has(turn.role)))
    : [];
}

/** A row a pose: how far the two are from each other in it. */
export function poseRows(
  { pair, shown, source, result }: Posing,
  before: (pose: Pose, i: number) => void,
): ParityRow[] {
  const [aRest] = shown.shapes.source,
    [bRest] = shown.shapes.result;
  const same = sameVertices(aRest, bRest, groupOfVertices(pair.source), groupOfVertices(pair.result)),
    mostSame = same.filter((v) => v >= 0).length > same.length / 2;
  return posesOf(pair).map((pose, i) => {
    before(pose, i);
    const aNow = shapeOf(pair.source, pose),
      bNow = shapeOf(pair.result, pose);
    source.pose(aNow);
    result.pose(bNow);
    const found = rowOf(pair, pose.name, posedDistance(source, result));
    source.stand();
    result.stand();
    return mostSame ? { ...found, vertex: vertexDistance(aNow, bNow, same) } : found;
  });
}

/** Skin through clothes at rest and in the poses that show it, in both figures. */
export function skinRows(
  { source, result }: Pair,
  { names, shapes }: Showing,
): { pose: string; sourceCm2: number; resultCm2: number }[] {
  const rounded = (cm2: number) => Math.round(cm2 * 10) / 10;
  return names.map((pose, i) => ({
    pose,
    sourceCm2: rounded(skinThrough(source.deformer, shapes.source[i])),
    resultCm2: rounded(skinThrough(result.deformer, shapes.result[i])),
  }));
}

/** Group of each vertex. */
function groupOfVertices({ deformer, groups }: Side): Uint16Array {
  const out = new Uint16Array(deformer.vertices);
  for (const { firstVertex, vertices, firstTriangle, triangles } of deformer.ranges)
    if (triangles) out.fill(groups[firstTriangle], firstVertex, firstVertex + vertices);
  return out;
}
