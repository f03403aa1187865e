import { AnimationMixer, Vector3 } from 'three';
import { loadModel } from './loader.ts';
import { openRaw } from './raw.ts';

/** A node and where it stands, metres. */
export interface Placed {
  name: string;
  at: [number, number, number];
}

/**
 * Plays a clip of a .glb as the library we draw with does it: where every node stands at a time, seconds.
 * @throws Error where there is no such clip
 */
export async function lookAtMotion(bytes: Uint8Array, clip: string): Promise<(seconds: number) => Placed[]> {
  const model = { path: 'model.glb', bytes },
    { scene, animations } = await loadModel(model, openRaw(model, [model])),
    found = animations.find((one) => one.name === clip);
  if (!found) throw new Error(`there is no clip “${clip}”`);
  const mixer = new AnimationMixer(scene);
  mixer.clipAction(found).play();
  return (seconds) => {
    mixer.setTime(seconds);
    scene.updateMatrixWorld(true);
    const out: Placed[] = [];
    scene.traverse((node) => {
      // The loader puts underscores where a name has blanks; its own is kept beside.
      out.push({
        name: String(node.userData.name ?? node.name),
        at: new Vector3().setFromMatrixPosition(node.matrixWorld).toArray(),
      });
    });
    return out;
  };
}
