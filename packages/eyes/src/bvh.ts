import { AnimationMixer, type Bone, Group, Vector3 } from 'three';
import { BVHLoader } from 'three/addons/loaders/BVHLoader.js';
import type { Placed } from './motion.ts';
import type { DeliveredFile } from './raw.ts';
import { nothingSeen, type Seen } from './seen.ts';

/** Sees a delivered .bvh by the loader of the library we draw with: where its joints stand in the first, the middle and the last frame. */
export function lookAtBvh({ bytes }: DeliveredFile): Seen {
  const out: Seen = { ...nothingSeen(), validator: { errors: [], warnings: [], unused: [] } };
  try {
    const { clip, skeleton } = new BVHLoader().parse(new TextDecoder().decode(bytes)),
      root = new Group(),
      // The loader calls ends so, which are no joints.
      joints = skeleton.bones.filter(({ name }: Bone) => name !== 'ENDSITE'),
      names = joints.map(({ name }) => name);
    if (!joints.length) throw new Error('it holds no joints');
    root.add(skeleton.bones[0]);
    // Tracks find their bones by name, and a dot in one would lead elsewhere.
    const called = new Map(names.map((name, i) => [name, `joint${i}`]));
    joints.forEach((bone, i) => {
      bone.name = `joint${i}`;
    });
    for (const track of clip.tracks)
      track.name = track.name.replace(/^(.*)\.(position|quaternion)$/, (whole, name, of) =>
        called.has(name) ? `${called.get(name)}.${of}` : whole,
      );
    const mixer = new AnimationMixer(root),
      times = clip.tracks[0]?.times ?? Float32Array.of(0),
      last = times.length - 1;
    mixer.clipAction(clip).play();
    const placedAt = (frame: number): Placed[] => {
      // A clip begins again where it ends.
      mixer.setTime(frame === last && last > 0 ? times[frame] - 1e-4 : times[frame]);
      root.updateMatrixWorld(true);
      return joints.map((bone, i) => ({
        name: names[i],
        at: new Vector3().setFromMatrixPosition(bone.matrixWorld).toArray(),
      }));
    };
    out.joints = { joints: joints.length, outside: [] };
    out.frames = [0, last >> 1, last].map((frame) => ({ frame, places: placedAt(frame) }));
  } catch (error) {
    out.refused = (error as Error).message;
  }
  return out;
}
