import * as THREE from 'three';

/** A floor grid: a line every ten centimetres, stronger every metre. */
export function floor(): THREE.Object3D {
  const group = new THREE.Group();
  const fine = new THREE.GridHelper(4, 40, 0x717a80, 0x5b646a),
    coarse = new THREE.GridHelper(4, 4, 0x98a1a6, 0x98a1a6);
  for (const grid of [fine, coarse]) {
    (grid.material as THREE.Material).transparent = true;
    (grid.material as THREE.Material).opacity = grid === fine ? 0.22 : 0.5;
    (grid.material as THREE.Material).depthWrite = false;
    group.add(grid);
  }
  return group;
}

/** A measuring rod beside the figure: two metres, a mark every ten centimetres. */
export function rod(): THREE.Object3D {
  const points: number[] = [0.78, 0, -0.25, 0.78, 2, -0.25];
  for (let i = 0; i <= 20; i++) points.push(0.78, i / 10, -0.25, 0.78 + (i % 5 ? 0.025 : 0.06), i / 10, -0.25);
  return new THREE.LineSegments(
    new THREE.BufferGeometry().setAttribute('position', new THREE.Float32BufferAttribute(points, 3)),
    new THREE.LineBasicMaterial({ color: 0xb6bec3, transparent: true, opacity: 0.7 }),
  );
}

/** Three short lines at every joint: x red, y green, z blue. */
export function axesOf(figure: { bones: readonly THREE.Object3D[]; bounds: THREE.Box3 }): THREE.LineSegments {
  const length = (figure.bounds.max.y - figure.bounds.min.y) * 0.022,
    points: number[] = [],
    colors: number[] = [],
    hues = [
      [0.95, 0.3, 0.25],
      [0.4, 0.85, 0.35],
      [0.35, 0.55, 1],
    ];
  const p = new THREE.Vector3(),
    axis = new THREE.Vector3();
  for (const bone of figure.bones) {
    p.setFromMatrixPosition(bone.matrixWorld);
    hues.forEach((hue, k) => {
      axis.setFromMatrixColumn(bone.matrixWorld, k).normalize().multiplyScalar(length).add(p);
      points.push(...p.toArray(), ...axis.toArray());
      colors.push(...hue, ...hue);
    });
  }
  const lines = new THREE.LineSegments(
    new THREE.BufferGeometry()
      .setAttribute('position', new THREE.Float32BufferAttribute(points, 3))
      .setAttribute('color', new THREE.Float32BufferAttribute(colors, 3)),
    new THREE.LineBasicMaterial({ vertexColors: true, depthTest: false, transparent: true }),
  );
  lines.renderOrder = 11;
  return lines;
}
