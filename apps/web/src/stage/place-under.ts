import { floatsOf, isSkin, type PlaceOn } from '@dimetra/core';
import * as THREE from 'three';
import type { StageFigure, StagePart } from '../figure/build.ts';

/** The nearest place of a figure's skin along a ray, named as pins name it; hair and clothes before it are looked through. */
export function placeUnder(figure: StageFigure, ray: THREE.Raycaster): PlaceOn | null {
  let best: { item: StagePart; hit: THREE.Intersection } | null = null;
  for (const item of figure.parts) {
    if (!isSkin(item.part) || !item.mesh.visible) continue;
    // A skinned mesh keeps the sphere of the pose that was asked for last.
    if (item.mesh instanceof THREE.SkinnedMesh) item.mesh.computeBoundingSphere();
    const [hit] = ray.intersectObject(item.mesh, false);
    if (hit && (!best || hit.distance < best.hit.distance)) best = { item, hit };
  }
  if (!best?.hit.face) return null;
  const {
      item: { mesh, part },
      hit: { face, point },
    } = best,
    corners = [face.a, face.b, face.c],
    [a, b, c] = corners.map((v) => mesh.localToWorld(mesh.getVertexPosition(v, new THREE.Vector3()))),
    shares = new THREE.Triangle(a, b, c).getBarycoord(point, new THREE.Vector3())?.toArray() ?? [1, 0, 0],
    accessor = part.prim.getAttribute('TEXCOORD_0'),
    uv = accessor && floatsOf(accessor),
    round = (x: number) => Math.round(x * 1e6) / 1e6,
    mixed = (k: number) => shares.reduce((sum, share, i) => sum + share * (uv as Float32Array)[corners[i] * 2 + k], 0);
  return {
    part: part.id,
    ...(uv && { uv: [round(mixed(0)), round(mixed(1))] as [number, number] }),
    at: point.toArray().map(round) as PlaceOn['at'],
  };
}
