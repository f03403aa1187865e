import * as v from 'valibot';
import { describe, expect, it } from 'vitest';
import {
  compareCharacters,
  influencesOf,
  inspectMaps,
  jointRoles,
  listParts,
  readCharacter,
  SHIPPED_TARGETS,
  skeletonOf,
  standAsFound,
  STEPS,
} from '@dimetra/core';
import { encodePixels, sharpCodec } from '@dimetra/platform';
import { makePerson, PEOPLE, type PersonId, toCorvane } from './index.ts';
import { context, useSmallCast } from './testing/small-cast.ts';

const of = useSmallCast();

describe('what is wrong is repaired', () => {
  const through = async (id: PersonId, steps: string[]) => {
    const { document } = await readCharacter(of(id).arrival.files),
      target = SHIPPED_TARGETS.find((entry) => entry.id === 'bridge-close-up') as (typeof SHIPPED_TARGETS)[number];
    const reports = new Map<string, Awaited<ReturnType<(typeof STEPS)[number]['run']>>>();
    for (const step of STEPS.filter((entry) => steps.includes(entry.id) && entry.applies(document, target)))
      reports.set(step.id, await step.run(document, v.parse(step.settings, {}), target, context));
    return { document, reports };
  };
  it("the crane operator's green channel and gloss are found, and only hers of those who arrive", async () => {
    for (const { id } of PEOPLE) {
      const wanted = of(id).arrival.truth.faults.filter((fault) => fault.code === 'textures.green-down').length;
      const found = (await inspectMaps(of(id).read.document, sharpCodec)).filter(
        (finding) => finding.code === 'textures.green-down',
      ).length;
      expect(`${id} ${found > 0}`).toBe(`${id} ${wanted > 0}`);
    }
  });
  it("the swimmer's gloss gives roughness and her bumps give normals, and what was blended by accident is opaque", async () => {
    const { document, reports } = await through('rescue-swimmer', [
      'intake.stand',
      'materials.channels',
      'materials.transparency',
    ]);
    const skin = document
      .getRoot()
      .listMaterials()
      .find((material) => material.getName() === 'Skin_Head');
    expect(skin?.getMetallicRoughnessTexture()?.getURI()).toMatch(/gloss_roughness\.png$/);
    expect(skin?.getNormalTexture()?.getURI()).toMatch(/bump_normal\.png$/);
    expect(skin?.getAlphaMode()).toBe('OPAQUE');
    expect(reports.get('materials.channels')?.measures[1].result).toBeGreaterThanOrEqual(4);
  });
  it("the signaller's pieces are joined, at least 99.5 % of all polygons wear the right material, and the computed weights bend within 3 mm of the true ones, each vertex within 4, stretching no more than one edge in a thousand", async () => {
    const { document, reports } = await through('port-signaller', ['intake.stand', 'intake.assemble', 'weights.bind']);
    const { truth } = of('port-signaller').arrival,
      all = listParts(document).reduce((sum, part) => sum + part.triangles, 0);
    const replaced =
      reports.get('intake.assemble')?.measures.find((measure) => measure.name === 'triangles in another material')
        ?.result ?? 0;
    expect(1 - ((truth.misplaced as number) - replaced) / all).toBeGreaterThan(0.995);
    expect(replaced).toBeLessThanOrEqual(truth.misplaced as number);
    expect(
      listParts(document)
        .map((part) => part.node.getName())
        .sort(),
    ).toEqual(expect.arrayContaining(['Boots', 'Hands', 'Head', 'Sweater', 'Trousers', 'Waistcoat']));
    const true_ = await makePerson('port-signaller', { size: 'small', encode: encodePixels });
    toCorvane(true_);
    standAsFound(true_);
    const { shape } = await compareCharacters(true_, document, { samples: 2000 });
    expect(shape.rest.rmsMm).toBeLessThan(0.1);
    expect(Math.max(...shape.poses.map((row) => row.rmsMm))).toBeLessThan(3.5);
    // Closest points hide sliding: each vertex against itself was 14.6 mm off in the squat, a waistcoat's hem tied to the thighs.
    expect(Math.max(...shape.poses.map((row) => row.vertex?.rmsMm ?? Infinity))).toBeLessThan(5);
    // Lips that lay as near to the neck as to the head went with it, and the headset's arm opened with the jaw.
    expect(shape.poses.find((row) => row.name === 'jaw open')?.vertex?.rmsMm).toBeLessThan(1.2);
    expect(
      reports.get('weights.bind')?.measures.find((measure) => measure.name.startsWith('edges over twice'))?.result,
    ).toBeLessThan(0.1);
    const skeleton = skeletonOf(document),
      roles = jointRoles(document, skeleton),
      waistcoat = listParts(document).filter((part) => part.name === 'Waistcoat');
    expect(waistcoat.length).toBe(1);
    for (const { prim, node } of waistcoat) {
      const influences = influencesOf(prim),
        joints = node.getSkin()?.listJoints() ?? [];
      influences?.weights.forEach((weight, k) => {
        if (weight > 0)
          expect(roles[skeleton.index.get(joints[influences.joints[k]]) as number].role).not.toMatch(
            /Leg|Foot|Toes|Arm|Hand/,
          );
      });
    }
  });
});
