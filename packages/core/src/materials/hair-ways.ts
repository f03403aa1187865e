import type { Document, Material } from '@gltf-transform/core';
import {
  Comparison,
  cameraOf,
  createScene,
  Maps,
  Painter,
  type Picture,
  type Scene,
  standardViews,
} from '../appearance/index.ts';
import { copyDocument, createDeformer, type Part } from '../character/index.ts';
import type { ImageCodec } from '../pixels/index.ts';
import type { Finding } from '../problem.ts';
import { addSoftEdges, markCore } from './second-pass.ts';
import { orderStrands } from './strand-order-step.ts';

/** How hair is drawn: blended, cut out, or a cut-out core with a blended edge after it. */
export type HairWay = 'BLEND' | 'MASK' | 'PASSES';

/** Pixels along a picture: enough to tell ways apart. */
const SIZE = 256;
/** Sides from which hair is looked at. */
const LOOKED_FROM = ['hair, behind', 'hair, above'];
/** What is worn elsewhere hides no hair. */
const ELSEWHERE = new Set(['garment', 'footwear', 'hands', 'nails']);

export interface WayDrawn {
  way: HairWay;
  /** Mean ΔE 2000, over the sides, between what a usual engine draws and what the hair means. */
  loss: number;
}

/**
 * Draws hair in several ways as a usual engine does, which sorts no triangles, and tells what each loses against its
 * layers in true order.
 * @param plain how hair is cut out where that is the way: the cut of each material
 * @param nearestM how near the viewer comes
 */
export async function drawHairWays(
  document: Document,
  hair: readonly Material[],
  ways: readonly HairWay[],
  plain: ReadonlyMap<Material, number>,
  { images, nearestM }: { images: ImageCodec; nearestM: number },
): Promise<WayDrawn[]> {
  const maps = new Maps(images, Math.max(nearestM, FINE_ENOUGH)),
    names = new Map(hair.map((material) => [material.getName(), plain.get(material) ?? 0.5])),
    painter = new Painter(SIZE),
    comparison = new Comparison(SIZE);
  const meant = await sceneWith(document, names, 'BLEND', maps),
    reference = painter.picture(meant),
    views = standardViews(meant, () => null, nearestM).filter(({ name }) => LOOKED_FROM.includes(name));
  const tried: { way: HairWay; scene: Scene; picture: Picture; loss: number }[] = [];
  for (const way of ways) {
    const scene = way === 'BLEND' ? meant : await sceneWith(document, names, way, maps);
    tried.push({ way, scene, picture: painter.picture(scene), loss: 0 });
  }
  let covered = 0;
  for (const view of views) {
    const camera = cameraOf(view),
      blended = tried.find(({ way }) => way === 'BLEND');
    painter.draw(meant, camera, { meant: reference, drawn: blended?.picture });
    tried.forEach((one, i) => {
      if (one !== blended) painter.draw(one.scene, camera, { drawn: one.picture });
      const found = comparison.compare(reference, one.picture);
      one.loss += found.deltaE.mean * found.covered;
      if (!i) covered += found.covered;
    });
  }
  return tried.map(({ way, loss }) => ({ way, loss: covered ? loss / covered : 0 }));
}

/** Maps are opened as for a viewer at least so far off, metres: strands tell of ways from there too. */
const FINE_ENOUGH = 1;

async function sceneWith(
  document: Document,
  names: ReadonlyMap<string, number>,
  way: HairWay,
  maps: Maps,
): Promise<Scene> {
  const tried = copyDocument(document);
  for (const material of tried.getRoot().listMaterials()) {
    const cut = names.get(material.getName());
    if (cut === undefined) continue;
    if (way === 'PASSES') markCore(material);
    else material.setAlphaMode(way).setAlphaCutoff(cut);
  }
  if (way === 'PASSES') addSoftEdges(tried);
  orderStrands(tried);
  return createScene(
    createDeformer(tried, ({ role }: Part) => !ELSEWHERE.has(role), false),
    maps,
  );
}

const WAY: Record<HairWay, string> = { BLEND: 'blended', MASK: 'cut out', PASSES: 'drawn in two passes' };
/** What was chosen, and by which numbers. */
export function toldWay(drawn: readonly WayDrawn[], hair: readonly Material[]): Finding {
  const best = bestWay(drawn),
    figures = drawn.map(({ way, loss }) => `${WAY[way]} ${loss.toFixed(2)}`).join(', ');
  return {
    code: 'materials.hair-way',
    severity: 'info',
    message: `Hair is ${WAY[best.way]}: drawn by an engine that sorts no triangles it loses least so (mean ΔE ${figures}).`,
    where: hair.map((material) => material.getName()).join(', '),
    measured: Number(best.loss.toFixed(3)),
  };
}

/** A way has to lose so much less than the usual one of the target to be taken instead. */
const CLEARLY = 0.75;
/** Less than this, in mean ΔE, is nothing to choose by. */
const NOTHING = 0.02;

/** @param drawn the target's usual way first */
export function bestWay(drawn: readonly WayDrawn[]): WayDrawn {
  const [usual] = drawn,
    best = drawn.reduce((least, one) => (one.loss < least.loss ? one : least));
  return usual.loss > NOTHING && best.loss < usual.loss * CLEARLY ? best : usual;
}
