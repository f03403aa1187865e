import * as THREE from 'three';
import type { StageFigure } from '../figure/build.ts';

/** The channels of a material that a stage figure may have a map for. */
const MAPS = ['map', 'normalMap', 'roughnessMap', 'aoMap', 'emissiveMap'] as const;

/** Lets the page answer until the graphics side has done what it was given: the first question to it would wait for all of that. */
async function caughtUp(gl: WebGL2RenderingContext): Promise<void> {
  const fence = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0);
  if (!fence) return;
  gl.flush();
  do await new Promise((resolve) => setTimeout(resolve, 4));
  while (!gl.isContextLost() && gl.clientWaitSync(fence, 0, 0) === gl.TIMEOUT_EXPIRED);
  gl.deleteSync(fence);
}

/**
 * Brings a figure's maps to the graphics memory one by one and has its materials compiled in the background, so that
 * the first picture with them doesn't hold the page up.
 * @param left whether nobody waits any more
 */
export async function prepareMaterials(
  renderer: THREE.WebGLRenderer,
  scene: THREE.Scene,
  camera: THREE.Camera,
  figure: StageFigure,
  left: () => boolean,
): Promise<void> {
  const gl = renderer.getContext() as WebGL2RenderingContext;
  await caughtUp(gl);
  for (const texture of mapsOf(figure)) {
    if (left()) return;
    renderer.initTexture(texture);
    await caughtUp(gl);
  }
  if (left()) return;
  await compiled(renderer, scene, camera, figure);
  await caughtUp(gl);
}

/** Maps that have arrived, each once. */
function mapsOf(figure: StageFigure): Set<THREE.Texture> {
  const maps = new Set<THREE.Texture>();
  for (const { own } of figure.parts)
    for (const channel of MAPS) {
      const texture = own[channel];
      if (texture?.image) maps.add(texture);
    }
  return maps;
}

/** Compiles for the target that is set now; what the meshes wear meanwhile isn't touched. */
function compiled(
  renderer: THREE.WebGLRenderer,
  scene: THREE.Scene,
  camera: THREE.Camera,
  figure: StageFigure,
): Promise<unknown> {
  const worn = figure.parts.map(({ mesh }) => mesh.material);
  for (const { mesh, own } of figure.parts) mesh.material = own;
  const done = renderer.compileAsync(scene, camera);
  figure.parts.forEach(({ mesh }, i) => {
    mesh.material = worn[i];
  });
  return done;
}
