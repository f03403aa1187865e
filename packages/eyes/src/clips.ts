import { PropertyBinding, type AnimationClip, type Object3D } from 'three';
import { listOf, type Json } from './raw.ts';

/**
 * Channels of the file's clips, and those that move nothing in the scene shown: tracks whose target isn't found, and
 * channels for which the loader made no track at all.
 */
export function clipsBound(
  scene: Object3D,
  clips: readonly AnimationClip[],
  json: Json,
): { channels: number; unbound: string[] } {
  const unbound: string[] = [];
  let channels = 0;
  listOf(json.animations).forEach((animation, i) => {
    const clip = clips[i],
      said = listOf(animation.channels).length;
    channels += said;
    const title = typeof animation.name === 'string' ? animation.name : `clip ${i + 1}`;
    if (!clip) {
      for (let k = 0; k < said; k++) unbound.push(`${title}: channel ${k + 1}`);
      return;
    }
    for (const track of clip.tracks)
      if (!PropertyBinding.findNode(scene, PropertyBinding.parseTrackName(track.name).nodeName))
        unbound.push(`${title}: ${track.name}`);
    for (let k = clip.tracks.length; k < said; k++) unbound.push(`${title}: a channel without a track`);
  });
  return { channels, unbound };
}
