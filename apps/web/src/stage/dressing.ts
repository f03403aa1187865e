import * as THREE from 'three';
import type { StageFigure } from '../figure/build.ts';
import type { OnStage } from './picking.ts';
import type { Side } from './state.ts';

/** The channels of a material that a stage figure may have a map for. */
const MAPS = ['map', 'normalMap', 'roughnessMap', 'aoMap', 'emissiveMap'] as const;

/** Maps that take longer are drawn as they come. */
const LONGEST_MS = 6000;

/** Puts materials on figures once their maps are there; until then one is drawn in plain clay, so that it is seen at once. */
export class Dressing {
  private readonly dressed = new WeakSet<StageFigure>();
  private readonly begun = new WeakSet<StageFigure>();

  /**
   * @param isHere whether a figure still stands on the stage
   * @param onReady called when there is something to put on: the room is to be lit
   * @param onDressed called when it can be drawn
   */
  constructor(
    private readonly on: OnStage,
    private readonly isHere: (side: Side, figure: StageFigure) => boolean,
    private readonly onReady: () => void,
    private readonly onDressed: () => void,
  ) {}

  has(figure: StageFigure): boolean {
    return this.dressed.has(figure);
  }
  /** Of those on the stage. */
  any(): boolean {
    return this.shown().some((figure) => this.has(figure));
  }
  all(): boolean {
    return this.shown().every((figure) => this.has(figure));
  }

  /** Begins with figures that were drawn for the first time. */
  begin(): void {
    for (const side of ['source', 'result'] as const) {
      const figure = this.on.figures[side];
      if (!figure || this.begun.has(figure)) continue;
      this.begun.add(figure);
      void this.dress(side, figure);
    }
  }

  private shown(): StageFigure[] {
    return [this.on.figures.source, this.on.figures.result].filter((figure) => figure !== null);
  }

  private async dress(side: Side, figure: StageFigure): Promise<void> {
    const left = () => !this.isHere(side, figure);
    await Promise.race([figure.ready, new Promise((resolve) => setTimeout(resolve, LONGEST_MS))]);
    if (left()) return;
    this.onReady();
    await prepareMaterials(this.on.renderer, this.on.scenes[side], this.on.camera, figure, left);
    if (left()) return;
    this.dressed.add(figure);
    this.onDressed();
  }
}

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
async function prepareMaterials(
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
