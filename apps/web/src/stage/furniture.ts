import * as THREE from 'three';

/** A floor grid: a line every ten centimetres, stronger every metre. */
export function floor(): THREE.Object3D {
  const group = new THREE.Group();
  const fine = new THREE.GridHelper(4, 40, 0x717a80, 0x5b646a), coarse = new THREE.GridHelper(4, 4, 0x98a1a6, 0x98a1a6);
  for (const grid of [fine, coarse]) { (grid.material as THREE.Material).transparent = true; (grid.material as THREE.Material).opacity = grid === fine ? 0.22 : 0.5; (grid.material as THREE.Material).depthWrite = false; group.add(grid); }
  return group;
}

/** A measuring rod beside the figure: two metres, a mark every ten centimetres. */
export function rod(): THREE.Object3D {
  const points: number[] = [0.78, 0, -0.25, 0.78, 2, -0.25];
  for (let i = 0; i <= 20; i++) points.push(0.78, i / 10, -0.25, 0.78 + (i % 5 ? 0.025 : 0.06), i / 10, -0.25);
  return new THREE.LineSegments(new THREE.BufferGeometry().setAttribute('position', new THREE.Float32BufferAttribute(points, 3)), new THREE.LineBasicMaterial({ color: 0xb6bec3, transparent: true, opacity: 0.7 }));
}
