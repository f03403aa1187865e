import {
  cameraOf,
  Comparison,
  createScene,
  type Maps,
  Painter,
  type Picture,
  pixelAt,
  type Scene,
} from '../appearance/index.ts';
import type { Document } from '@gltf-transform/core';
import { copyDocument, createDeformer, takeHome } from '../character/index.ts';
import type { AppearanceRegion, AppearanceRow } from './appearance-row.ts';
import { PICTURE_SIZE } from './viewer.ts';

/** A document as it stood after a step of a run; nobody may change it. */
export interface Stage {
  id: string;
  title: string;
  document(): Promise<Document>;
}

/** A region counts as the same one where its middle lies so near, pixels. */
const SAME_PLACE = 28;
/** Places that are looked into. */
const MOST_PLACES = 3;

interface Place {
  row: AppearanceRow;
  region: AppearanceRegion;
}

/**
 * Finds out with which step the heaviest places came: the same picture is drawn after steps of the run, halving the list
 * until the one is found after which most of the place is there.
 * @param source the source as it was drawn for the rows
 * @param isHeavy which places are worth it
 */
export async function findSteps(
  rows: readonly AppearanceRow[],
  source: Scene,
  stages: readonly Stage[],
  maps: Maps,
  isHeavy: (region: AppearanceRegion) => boolean,
): Promise<void> {
  const places: Place[] = rows
    .flatMap((row) => row.converted.regions.map((region) => ({ row, region })))
    // At rest, with open eyes: as documents stand.
    .filter(({ row, region }) => !row.view.pose && !row.view.shut && !region.meant && isHeavy(region))
    .sort((a, b) => b.region.weight - a.region.weight)
    .slice(0, MOST_PLACES);
  if (!places.length || !stages.length) return;
  const painter = new Painter(PICTURE_SIZE),
    comparison = new Comparison(PICTURE_SIZE),
    reference = painter.picture(source),
    scenes = new Map<number, Scene>();
  const sceneAt = async (stage: number): Promise<Scene> => {
    let scene = scenes.get(stage);
    if (!scene) {
      const document = copyDocument(await stages[stage].document());
      takeHome(document);
      scene = await createScene(
        createDeformer(document, () => true, false),
        maps,
      );
      scenes.set(stage, scene);
    }
    return scene;
  };
  const pictures = new Map<number, Picture>();
  /** How heavy a place is after a step; the source stands in the reference as it is seen there. */
  const weightAt = async (stage: number, { row, region }: Place): Promise<number> => {
    const scene = await sceneAt(stage),
      camera = cameraOf(row.view),
      picture = pictures.get(stage) ?? painter.picture(scene);
    pictures.set(stage, picture);
    painter.draw(scene, camera, { meant: picture });
    const mm = (row.view.heightM / PICTURE_SIZE) * 1000,
      reach = SAME_PLACE + Math.sqrt(region.mm2) / mm,
      at = pixelAt(camera, PICTURE_SIZE, region.at);
    return comparison
      .compare(reference, picture)
      .regions.filter(
        ({ pixel }) => Math.hypot((pixel % PICTURE_SIZE) - at.x, Math.floor(pixel / PICTURE_SIZE) - at.y) < reach,
      )
      .reduce((most, { weight }) => Math.max(most, weight), 0);
  };
  for (const place of places) {
    painter.draw(source, cameraOf(place.row.view), { meant: reference });
    let before = -1,
      after = stages.length - 1;
    // What no step brings came with writing, where maps are made smaller.
    if ((await weightAt(after, place)) < place.region.weight / 2) {
      place.region.came = { step: 'deliver.finish', title: 'Maps as they are delivered' };
      continue;
    }
    while (after - before > 1) {
      const middle = (before + after) >> 1;
      if ((await weightAt(middle, place)) >= place.region.weight / 2) after = middle;
      else before = middle;
    }
    place.region.came = { step: stages[after].id, title: stages[after].title };
  }
}
