import { Box3, type Mesh, type Object3D, type SkinnedMesh, Vector3 } from 'three';

/** What a figure stands on: some vertices of its feet, asked where they are as it is posed. */
export interface Soles {
  /** Height of the lowest of them, metres in the root's own world. */
  lowest(): number | null;
}

/** As many as are asked for at every look. */
const MOST = 240;

export const meshesIn = (root: Object3D): Mesh[] => {
  const out: Mesh[] = [];
  root.traverse((object) => {
    if ((object as Mesh).isMesh) out.push(object as Mesh);
  });
  return out;
};

/** The lowest vertices that feet and toes carry; of a figure without joints the lowest of all. */
export function solesOf(root: Object3D, feet: ReadonlySet<Object3D>): Soles | null {
  root.updateMatrixWorld(true);
  const found: { mesh: Mesh; vertex: number; y: number }[] = [],
    at = new Vector3();
  for (const mesh of meshesIn(root)) {
    const { position, skinIndex, skinWeight } = mesh.geometry.attributes,
      bones = (mesh as SkinnedMesh).isSkinnedMesh ? (mesh as SkinnedMesh).skeleton.bones : null;
    if (!position || (feet.size && !bones)) continue;
    const carries = bones?.map((bone) => feet.has(bone));
    for (let v = 0; v < position.count; v++) {
      if (feet.size && carries && skinIndex && skinWeight) {
        let weight = 0;
        for (let k = 0; k < 4; k++) if (carries[skinIndex.getComponent(v, k)]) weight += skinWeight.getComponent(v, k);
        if (weight < 0.5) continue;
      }
      mesh.getVertexPosition(v, at).applyMatrix4(mesh.matrixWorld);
      found.push({ mesh, vertex: v, y: at.y });
    }
  }
  if (!found.length) return null;
  // Evenly over heel, ball and toes: the lowest third, thinned.
  found.sort((a, b) => a.y - b.y);
  const low = found.slice(0, Math.max(MOST, Math.ceil(found.length / 3))),
    every = Math.max(1, Math.floor(low.length / MOST)),
    kept = low.filter((_, i) => i % every === 0);
  return {
    lowest() {
      let y = Infinity;
      for (const { mesh, vertex } of kept)
        y = Math.min(y, mesh.getVertexPosition(vertex, at).applyMatrix4(mesh.matrixWorld).y);
      return Number.isFinite(y) ? y : null;
    },
  };
}

/** Corners of a figure as it is drawn, vertex by vertex: bounding boxes of loaders know nothing of skins. */
export function extentOf(root: Object3D): Box3 {
  root.updateMatrixWorld(true);
  const box = new Box3(),
    at = new Vector3();
  for (const mesh of meshesIn(root)) {
    const { position } = mesh.geometry.attributes;
    if (!position) continue;
    // Of a large part every seventh vertex tells as much to the millimetre that matters here.
    const every = position.count > 20_000 ? 7 : 1;
    for (let v = 0; v < position.count; v += every)
      box.expandByPoint(mesh.getVertexPosition(v, at).applyMatrix4(mesh.matrixWorld));
  }
  return box;
}
