import type { Build } from './build.ts';
import type { Face } from './face.ts';
import { between, type JointFound, type Point, towards } from './landmark.ts';
import { sectionDepth } from './sections.ts';
import type { Standing } from './standing.ts';

/** Hips in the middle of the trunk, the neck's root over the shoulders, head and jaw from the eyes. */
export function findTrunk(
  standing: Standing,
  build: Build,
  hips: readonly [Point, Point],
  shoulders: readonly [Point, Point],
  face: Face | null,
): JointFound[] {
  const { crown } = standing,
    pelvis = between(hips[0], hips[1], 0.5),
    root: Point = [pelvis[0], pelvis[1] + build.hips, sectionDepth(standing, pelvis[1] + build.hips, pelvis[0])],
    across = between(shoulders[0], shoulders[1], 0.5),
    neck: Point = [across[0], across[1] + build.neck.up, across[2] + build.neck.forward],
    out: JointFound[] = [
      { role: 'hips', at: root, how: 'sections and proportion', confidence: 0.7 },
      { role: 'neck', at: neck, how: 'sections and proportion', confidence: 0.6 },
    ];
  if (!face) {
    // Between the neck's root and the crown, by proportion alone.
    out.push({ role: 'head', at: between(neck, crown, 0.36), how: 'proportion', confidence: 0.4 });
    return out;
  }
  const { forward } = face,
    middle = between(face.left, face.right, 0.5),
    from = (by: { up: number; forward: number }): Point =>
      towards([middle[0], middle[1] + by.up, middle[2]], forward, by.forward);
  out.push(
    { role: 'head', at: from(build.head), how: 'eyes', confidence: 0.8 },
    { role: 'jaw', at: from(build.jaw), how: 'eyes', confidence: 0.7 },
    { role: 'leftEye', at: face.left, how: 'eyes', confidence: 0.9 },
    { role: 'rightEye', at: face.right, how: 'eyes', confidence: 0.9 },
  );
  return out;
}
