import * as THREE from 'three';

/** Deviation and weights in steps of lightness, so that they read without colour too. */
const HEAT = [new THREE.Color(0x2b3a55), new THREE.Color(0x3f7f8c), new THREE.Color(0xd9c56a), new THREE.Color(0xf4f0e0)];

/** Colour of a value, 0 … 1. */
export function heat(color: THREE.Color, value: number): void {
  const at = Math.max(0, Math.min(0.9999, value)) * (HEAT.length - 1);
  color.copy(HEAT[Math.floor(at)]).lerp(HEAT[Math.floor(at) + 1], at % 1);
}

/** What every surface is drawn with in a look that hides materials. */
export function lookMaterial(look: 'clay' | 'wire' | 'normals' | 'checker'): THREE.Material {
  if (look === 'normals') return new THREE.MeshNormalMaterial({ side: THREE.DoubleSide });
  if (look === 'checker') return new THREE.MeshStandardMaterial({ map: checker(), roughness: 0.8, side: THREE.DoubleSide });
  return new THREE.MeshStandardMaterial({ color: look === 'wire' ? 0x8d9499 : 0xb9b2a6, roughness: 0.78, side: THREE.DoubleSide });
}

function checker(): THREE.Texture {
  const canvas = document.createElement('canvas');
  canvas.width = canvas.height = 512;
  const pen = canvas.getContext('2d') as CanvasRenderingContext2D;
  for (let y = 0; y < 16; y++) for (let x = 0; x < 16; x++) {
    pen.fillStyle = (x + y) % 2 ? '#d9d4c7' : '#4c565e';
    pen.fillRect(x * 32, y * 32, 32, 32);
    pen.fillStyle = (x + y) % 2 ? '#4c565e' : '#d9d4c7';
    pen.font = '11px monospace';
    pen.fillText(`${String.fromCharCode(65 + y)}${x}`, x * 32 + 7, y * 32 + 20);
  }
  const texture = new THREE.CanvasTexture(canvas);
  // glTF counts v downwards, as canvases do.
  texture.flipY = false;
  texture.wrapS = texture.wrapT = THREE.RepeatWrapping;
  texture.colorSpace = THREE.SRGBColorSpace;
  return texture;
}

/** Edges laid over a mesh, following its joints and morphs. */
export function wireOf(mesh: THREE.Mesh): THREE.Object3D {
  const material = new THREE.MeshBasicMaterial({ wireframe: true, transparent: true, depthWrite: false, polygonOffset: true, polygonOffsetFactor: -1 });
  let wire: THREE.Mesh;
  if (mesh instanceof THREE.SkinnedMesh) { const skinned = new THREE.SkinnedMesh(mesh.geometry, material); skinned.bind(mesh.skeleton, new THREE.Matrix4()); skinned.frustumCulled = false; wire = skinned; } else wire = new THREE.Mesh(mesh.geometry, material);
  wire.morphTargetInfluences = mesh.morphTargetInfluences;
  wire.name = 'edges';
  wire.renderOrder = 5;
  return wire;
}
