import type { Document } from '@gltf-transform/core';
import { look } from '@dimetra/eyes';
import { expect } from 'vitest';
import { skeletonOf } from '../character/index.ts';
import { statedOf } from '../check/index.ts';
import { type InputFile, readCharacter } from '../formats/index.ts';
import { standAsFound } from '../rig/index.ts';

/** Sizes in millimetres are the same to a twentieth. */
function expectSize(found: readonly number[] | null | undefined, document: Document): void {
  expect(found).toHaveLength(3);
  found?.forEach((mm, k) => expect(mm).toBeCloseTo((statedOf(document).sizeMm as number[])[k], 1));
}

/** Another loader opens delivered files of a figure and finds its size, joints, morphs, clips and four maps of 4 × 4. */
export async function expectDrawnAsStated(
  files: readonly InputFile[],
  document: Document,
  /** Metres that storing may change what a morph moves by. */
  blur = 0,
): Promise<void> {
  const seen = await look(files[0], files);
  expect(seen.refused).toBeUndefined();
  expect(seen.validator.errors).toEqual([]);
  expect(seen.joints).toEqual({ joints: skeletonOf(document).joints.length, outside: [] });
  expectSize(seen.sizeMm, document);
  const { morphs } = statedOf(document, blur);
  expect(seen.morphs.map(({ name }) => name)).toEqual(morphs.map(({ name }) => name));
  seen.morphs.forEach(({ vertices, farthestMm }, i) => {
    expect(Math.abs(vertices - morphs[i].vertices)).toBeLessThanOrEqual(morphs[i].undecided ?? 0);
    expect(Math.abs(farthestMm - morphs[i].farthestMm)).toBeLessThan(0.005 + blur * 1000);
  });
  expect(seen.clips).toMatchObject({ unbound: [] });
  expect(seen.clips.channels).toBeGreaterThan(0);
  expect(seen.images.map(({ width, height, problem }) => [width, height, problem])).toEqual(
    Array.from({ length: 4 }, () => [4, 4, undefined]),
  );
}

/** Files in another unit or with another axis up are the same figure to our reader and to another loader: size, and what morphs move. */
export async function expectSameUpright(files: readonly InputFile[], document: Document): Promise<void> {
  const { document: read } = await readCharacter(files, undefined, { main: files[0].path }),
    seen = await look(files[0], files),
    stated = statedOf(document);
  standAsFound(read);
  const found = statedOf(read);
  expect(seen.validator.errors).toEqual([]);
  for (const { sizeMm, morphs } of [found, seen]) {
    expectSize(sizeMm, document);
    expect(morphs.map(({ name, vertices }) => [name, vertices])).toEqual(
      stated.morphs.map(({ name, vertices }) => [name, vertices]),
    );
    morphs.forEach(({ farthestMm }, i) => expect(farthestMm).toBeCloseTo(stated.morphs[i].farthestMm, 2));
  }
}
