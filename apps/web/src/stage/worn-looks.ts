import { ownOf } from '@dimetra/core';
import * as THREE from 'three';
import type { StagePart } from '../figure/build.ts';
import { backFaces, channelMaterial, isChannel, lookMaterial, strandMaterial, wireOf } from './looks.ts';
import { paint } from './painting.ts';
import type { OnStage } from './picking.ts';
import { SIDE_COLOR, type Side, type StageState } from './state.ts';

/** Looks that colour vertices. */
const PAINTED: ReadonlySet<string> = new Set([
  'weights',
  'deviation',
  'influences',
  'segments',
  'slots',
  'asymmetry',
  'texel density',
]);

/** What parts are drawn with in each look, made once for all that share it. */
export class WornLooks {
  private readonly made = new Map<string, THREE.Material>();

  /** @param dressed whether the figure wears its materials by now @param figures both, for what is painted by comparing them */
  put(item: StagePart, side: Side, state: StageState, dressed: boolean, figures: OnStage['figures']): void {
    const { mesh, own, part } = item;
    const picked = state.part === part.id;
    if (!dressed && state.look === 'material') {
      mesh.material = this.look(
        'sketch',
        () => new THREE.MeshLambertMaterial({ color: 0xb9b2a6, side: THREE.DoubleSide }),
      );
      // Clear layers would hide in clay what is seen through them; what only came blended hides it anyway.
      mesh.visible &&= !own.transparent || own.depthWrite;
    } else if (state.look === 'material') mesh.material = own;
    else if (PAINTED.has(state.look)) {
      paint(item, side, state, figures);
      mesh.material = this.look(
        'painted',
        () => new THREE.MeshStandardMaterial({ vertexColors: true, roughness: 0.85, side: THREE.DoubleSide }),
      );
    } else if (state.look === 'strands') {
      const strands = part.material ? ownOf(part.material, 'strands') : undefined;
      mesh.material = this.look(`strands ${own.uuid}`, () => strandMaterial(strands));
    } else if (state.look === 'back faces') mesh.material = this.look('back faces', backFaces);
    else if (isChannel(state.look))
      mesh.material = this.look(`${state.look} ${own.uuid}`, () => channelMaterial(state.look, own));
    else mesh.material = this.look(state.look, () => lookMaterial(state.look as 'clay'));
    if (item.core) item.core.visible = mesh.material === own;
    const edges = mesh.getObjectByName('edges');
    const wanted = state.look === 'wire' || picked;
    if (wanted && !edges) mesh.add(wireOf(mesh));
    const wire = mesh.getObjectByName('edges') as THREE.Mesh | undefined;
    if (wire) {
      wire.visible = wanted;
      (wire.material as THREE.MeshBasicMaterial).color.set(picked ? 0xf2ead6 : SIDE_COLOR[side]);
      (wire.material as THREE.MeshBasicMaterial).opacity = picked && state.look !== 'wire' ? 0.2 : 0.5;
    }
  }

  private look(name: string, make: () => THREE.Material): THREE.Material {
    let material = this.made.get(name);
    if (!material) {
      material = make();
      this.made.set(name, material);
    }
    return material;
  }

  /** Looks at one channel are made from a figure's own materials, and go with them. */
  forgetChannels(): void {
    for (const [name, material] of this.made)
      if (name.includes(' ') && name !== 'back faces') {
        material.dispose();
        this.made.delete(name);
      }
  }

  dispose(): void {
    for (const material of this.made.values()) material.dispose();
  }
}
