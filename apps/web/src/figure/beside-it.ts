import * as THREE from 'three';

/** The same surface once more in another material: it follows the same joints and morphs. */
export function besideIt(mesh: THREE.Mesh, material: THREE.Material): THREE.Mesh {
  if (!(mesh instanceof THREE.SkinnedMesh)) return new THREE.Mesh(mesh.geometry, material);
  const skinned = new THREE.SkinnedMesh(mesh.geometry, material);
  skinned.bind(mesh.skeleton, new THREE.Matrix4());
  skinned.frustumCulled = false;
  return skinned;
}
