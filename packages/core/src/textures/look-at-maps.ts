import type { Document, Texture } from '@gltf-transform/core';
import { levelsSeen, type Posing } from '../appearance/index.ts';
import {
  channelsOfTexture,
  createDeformer,
  type Deformer,
  type HumanoidRole,
  jointPosition,
  mapsOf,
  textureFile,
} from '../character/index.ts';
import { laidOut, wornTextures } from '../maps/index.ts';
import { textureState } from '../pixels/index.ts';
import { throwIfAborted } from '../problem.ts';
import { jointRoles, poseSkeleton, RANGE_OF_MOTION, roleIndex } from '../rig/index.ts';
import type { StepContext } from '../step.ts';
import { mapLoss } from './map-loss.ts';
import { contentOf } from './plan.ts';

/**
 * What is seen of making each map smaller, from the target's sides and distance.
 * @param nearestM how near the viewer comes, metres
 */
export async function lossesOf(
  document: Document,
  nearestM: number,
  context: StepContext,
): Promise<Map<Texture, Float64Array>> {
  context.progress(0, 'looking how finely each map is seen');
  const deformer = createDeformer(document, () => true, false),
    seen = levelsSeen(deformer, posingOf(document, deformer), nearestM),
    worn = wornTextures(document),
    out = new Map<Texture, Float64Array>();
  for (const [i, texture] of worn.entries()) {
    throwIfAborted(context.signal);
    context.progress(0.2 + (0.8 * i) / worn.length, `looking what a smaller ${textureFile(texture)} would lose`);
    const loss = await mapLoss(
      document,
      texture,
      contentOf(channelsOfTexture(document, texture)),
      seen.get(texture) ?? [],
      context.images,
    );
    if (loss) out.set(texture, loss);
  }
  return out;
}

function posingOf(document: Document, { skeleton, ranges }: Deformer): Posing {
  const roles = roleIndex(jointRoles(document, skeleton)),
    bound = ranges.some(({ part }) => part.node.getSkin());
  return {
    joint(role) {
      const joint = roles.get(role as HumanoidRole);
      return joint === undefined ? null : jointPosition(skeleton, joint);
    },
    posed(name) {
      const pose = RANGE_OF_MOTION.find((one) => one.name === name);
      return bound && pose?.turns.some(({ role }) => roles.has(role)) ? poseSkeleton(skeleton, roles, pose) : null;
    },
  };
}

/** Texels of each map on a centimetre of surface as it is, where it lies densest. */
export function densitiesOf(document: Document): Map<Texture, number> {
  const deformer = createDeformer(document, () => true, false),
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    out = new Map<Texture, number>();
  for (const material of document.getRoot().listMaterials())
    for (const { texture, info } of mapsOf(material)) {
      const { width, height } = textureState(texture),
        perCm =
          (laidOut(deformer, rest, material, info?.getTexCoord() ?? 0).mapsPerMetre * Math.max(width, height)) / 100;
      if (perCm > (out.get(texture) ?? 0)) out.set(texture, perCm);
    }
  return out;
}
