import type * as THREE from 'three';
import { DifferencePass } from './difference.ts';
import type { OnStage } from './picking.ts';
import type { Side } from './state.ts';

/** Draws what stands on the stage as its view says: side by side, one over the other, or where they differ. */
export class Views {
  private readonly difference = new DifferencePass();

  constructor(private readonly on: OnStage) {}

  /** @param width of the canvas @param height both in pixels of the page */
  draw(width: number, height: number): void {
    const { renderer, camera, scenes, level, wipe, state, figures } = this.on,
      view = figures.result ? (state?.view ?? 'pair') : 'source';
    const shoot = (side: Side, x: number, w: number, aspectWidth: number, clear = true) => {
      camera.aspect = aspectWidth / height;
      camera.updateProjectionMatrix();
      renderer.autoClear = clear;
      renderer.setScissor(x, 0, w, height);
      level.at(side, camera, () => renderer.render(scenes[side], camera));
    };
    camera.clearViewOffset();
    if (view === 'pair') {
      const half = Math.floor(width / 2);
      renderer.setViewport(0, 0, half, height);
      shoot('source', 0, half, half);
      renderer.setViewport(half, 0, width - half, height);
      shoot('result', half, width - half, half);
    } else {
      renderer.setViewport(0, 0, width, height);
      if (view === 'source' || view === 'result') shoot(view, 0, width, width);
      else if (view === 'difference') {
        camera.aspect = width / height;
        camera.updateProjectionMatrix();
        renderer.setScissor(0, 0, width, height);
        this.difference.render(renderer, scenes, camera, width, height);
      } else if (view === 'wipe') {
        const x = Math.round(width * wipe);
        shoot('source', 0, x, width);
        shoot('result', x, width - x, width);
      } else {
        shoot('source', 0, width, width);
        renderer.clearDepth();
        this.ghost(true);
        shoot('result', 0, width, width, false);
        this.ghost(false);
      }
    }
  }

  /** The result laid over the source, half seen through. */
  private ghost(on: boolean): void {
    for (const { mesh } of this.on.figures.result?.parts ?? []) {
      const material = mesh.material as THREE.Material & { userData: { kept?: [boolean, number] } };
      if (on && !material.userData.kept) {
        material.userData.kept = [material.transparent, material.opacity];
        material.transparent = true;
        material.opacity *= 0.5;
      } else if (!on && material.userData.kept) {
        [material.transparent, material.opacity] = material.userData.kept;
        delete material.userData.kept;
      }
    }
  }

  dispose(): void {
    this.difference.dispose();
  }
}
