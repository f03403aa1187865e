import * as v from 'valibot';
import { beforeAll, describe, expect, it } from 'vitest';
import {
  compareCharacters,
  copyDocument,
  createDeformer,
  defaultRecipe,
  findBrokenBinds,
  finishDocument,
  type Influences,
  influencesMax,
  influencesOf,
  inspectFindings,
  inspectMaps,
  isHumanoidRole,
  jointRoles,
  judgeDelivery,
  listMorphNames,
  listParts,
  measureStance,
  modelFiles,
  readCharacter,
  readDossier,
  type ReadResult,
  repairBinds,
  runRecipe,
  SHIPPED_FIGURES,
  SHIPPED_TARGETS,
  shippedFigure,
  skeletonOf,
  standAsFound,
  standUp,
  STEPS,
  summarise,
  takeHome,
  type Target,
  weightSumError,
  withFigure,
} from '@dimetra/core';
import { look } from '@dimetra/eyes';
import { encodePixels, sha256, sharpCodec } from '@dimetra/platform';
import { makeArrival, makePerson, PEOPLE, toCorvane, type Arrival, type PersonId } from './index.ts';

const arrivals = new Map<PersonId, Arrival>(),
  read = new Map<PersonId, ReadResult>();
const context = { images: sharpCodec, hash: sha256, progress() {}, log() {} };
beforeAll(async () => {
  for (const { id } of PEOPLE) {
    const arrival = await makeArrival(id, { size: 'small', encode: encodePixels, decode: sharpCodec.decode });
    arrivals.set(id, arrival);
    read.set(id, await readCharacter(arrival.files));
  }
}, 300_000);
const of = (id: PersonId) => ({ arrival: arrivals.get(id) as Arrival, read: read.get(id) as ReadResult });
const codes = (id: PersonId) => {
  const { document, findings } = of(id).read;
  return [...findings, ...inspectFindings(document, summarise(document, id))];
};

describe.each(PEOPLE.map((person) => person.id))('%s arrives', (id) => {
  it('in the unit and with the axis that it was given', () => {
    const {
      arrival,
      read: { document },
    } = of(id);
    expect(measureStance(document)).toMatchObject({
      unitMetres: arrival.truth.unitMetres,
      upAxis: arrival.truth.upAxis,
      facing: '+z',
    });
    expect(measureStance(document).heightCm).toBeGreaterThan(160);
    expect(measureStance(document).heightCm).toBeLessThan(185);
  });
  it('whole: every file is used or an image that can be found', () => {
    const {
      arrival,
      read: { unused, findings },
    } = of(id);
    expect(findings.filter((finding) => finding.severity === 'error')).toEqual([]);
    expect(
      unused.every((path) =>
        arrival.truth.faults.some((fault) => fault.code === 'textures.unreferenced') ? path.startsWith('maps/') : false,
      ),
    ).toBe(true);
  });
  it('with joints whose roles are found', () => {
    const {
      arrival,
      read: { document },
    } = of(id);
    const found = new Map(summarise(document, id).joints.map((joint) => [joint.name, joint.role as string]));
    const wanted = Object.entries(arrival.truth.roles).filter(([, role]) => isHumanoidRole(role));
    if (!found.size) {
      expect(id).toBe('port-signaller');
      return;
    }
    const right = wanted.filter(([name, role]) => found.get(name) === role).length;
    expect(right / wanted.length).toBeGreaterThanOrEqual(0.95);
  });
});

describe('what is wrong is found', () => {
  it('nothing with the pilot', () => {
    expect(codes('harbour-pilot').filter((finding) => finding.severity !== 'info')).toEqual([]);
  });
  it("the deckhand's maps, every one in its place after the run", async () => {
    const {
      arrival,
      read: { document },
    } = of('deckhand');
    expect(
      codes('deckhand')
        .filter((finding) => finding.code === 'textures.unreferenced')
        .map((finding) => finding.where)
        .sort(),
    ).toEqual(arrival.truth.faults.map((fault) => fault.where).sort());
    const target = SHIPPED_TARGETS.find((entry) => entry.id === 'browser-viewer') as (typeof SHIPPED_TARGETS)[number];
    const run = await runRecipe(
      { manifest: { asset: { version: '2.0' } }, document: async () => document },
      target,
      defaultRecipe(),
      { context },
    );
    const materials = new Map(
      (await run.document())
        .getRoot()
        .listMaterials()
        .map((material) => [material.getName(), material]),
    );
    for (const [name, slots] of Object.entries(arrival.truth.maps)) {
      const material = materials.get(name);
      const now: Record<string, string | undefined> = {
        baseColor: material?.getBaseColorTexture()?.getURI(),
        normal: material?.getNormalTexture()?.getURI(),
        metallicRoughness: material?.getMetallicRoughnessTexture()?.getURI(),
      };
      for (const [channel, file] of Object.entries(slots)) expect(now[channel], `${name} ${channel}`).toBe(file);
    }
  });
  it('the swimmer lies on her back in centimetres, and everything is blended', () => {
    const found = codes('rescue-swimmer').map((finding) => finding.code);
    expect(found).toContain('intake.unit');
    expect(found).toContain('intake.up-axis');
    const { document } = of('rescue-swimmer').read;
    expect(
      document
        .getRoot()
        .listMaterials()
        .every((material) => material.getAlphaMode() === 'BLEND'),
    ).toBe(true);
    const kept = document
      .getRoot()
      .listMaterials()
      .map((material) => material.getExtras().dimetraMaps as Record<string, string> | undefined);
    expect(kept.some((maps) => maps?.bump) && kept.some((maps) => maps?.shininess)).toBe(true);
  });
  it('the signaller has no skeleton, fifty pieces or so, and faces in wrong materials', () => {
    const { document, findings } = of('port-signaller').read;
    expect(findings.map((finding) => finding.code)).toEqual(
      expect.arrayContaining(['intake.no-skin', 'intake.skeleton-apart']),
    );
    expect(codes('port-signaller').find((finding) => finding.code === 'intake.pieces')?.message).toMatch(/“SGN_…_geo”/);
    expect(listParts(document).length).toBeGreaterThan(20);
    expect(listParts(document).every((part) => /^SGN_\w+_\d\d_geo/.test(part.name))).toBe(true);
    expect(of('port-signaller').arrival.truth.misplaced).toBeGreaterThan(5);
  });
  it("the crane operator's two broken binds, by name, and no other; nine influences", () => {
    const {
      arrival,
      read: { document },
    } = of('crane-operator');
    const skeleton = skeletonOf(document);
    expect(
      findBrokenBinds(document, skeleton)
        .map((entry) => skeleton.joints[entry.joint].getName())
        .sort(),
    ).toEqual(
      arrival.truth.faults
        .filter((fault) => fault.code === 'skeleton.broken-bind')
        .map((fault) => fault.where)
        .sort(),
    );
    expect(
      Math.max(
        ...listParts(document).map((part) => {
          const influences = influencesOf(part.prim);
          return influences ? influencesMax(influences as Influences) : 0;
        }),
      ),
    ).toBe(9);
  });
});

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
  }, 120_000);
});

describe('one figure becomes another', () => {
  const convertTo = async (
    document: ReadResult['document'],
    figure: string,
    steps = ['skeleton.remap', 'rest.convert'],
  ) => {
    const target = {
      ...(SHIPPED_TARGETS.find((entry) => entry.id === 'tessel-figure') as (typeof SHIPPED_TARGETS)[number]),
      joints: { keep: 'all' as const, names: 'roles' as const, figure: shippedFigure(figure) },
    };
    for (const id of steps) {
      const step = STEPS.find((entry) => entry.id === id) as (typeof STEPS)[number];
      await step.run(document, v.parse(step.settings, {}), target, context);
    }
    return document;
  };
  const hierarchy = (document: ReadResult['document']) => {
    const skeleton = skeletonOf(document);
    return skeleton.joints
      .map(
        (joint, i) =>
          `${joint.getName()} < ${skeleton.parent[i] < 0 ? '' : skeleton.joints[skeleton.parent[i]].getName()}`,
      )
      .sort();
  };
  it('the figures that ship are those of the cast', () => {
    for (const [id, figure] of [
      ['harbour-pilot', 'tessel'],
      ['rescue-swimmer', 'corvane'],
    ] as const) {
      const { document } = of(id).read;
      expect(
        skeletonOf(document)
          .joints.map((joint) => joint.getName())
          .sort(),
      ).toEqual(
        shippedFigure(figure)
          ?.joints.map((joint) => joint.name)
          .sort(),
      );
    }
  });
  it('Tessel to Corvane and back: names, parents and places return exactly, the shape within 0.01 mm', async () => {
    const source = (await readCharacter(of('harbour-pilot').arrival.files)).document,
      document = (await readCharacter(of('harbour-pilot').arrival.files)).document;
    await convertTo(document, 'corvane');
    expect(new Set(skeletonOf(document).joints.map((joint) => joint.getName()))).toEqual(
      new Set(shippedFigure('corvane')?.joints.map((joint) => joint.name)),
    );
    const there = copyDocument(document);
    takeHome(there);
    expect((await compareCharacters(source, there, { samples: 800 })).shape.rest.maxMm).toBeLessThan(0.01);
    await convertTo(document, 'tessel');
    expect(hierarchy(document)).toEqual(hierarchy(source));
    const a = skeletonOf(source),
      b = skeletonOf(document);
    a.joints.forEach((joint, i) => {
      const j = b.joints.findIndex((other) => other.getName() === joint.getName());
      for (let k = 0; k < 16; k++) expect(b.global[j * 16 + k]).toBeCloseTo(a.global[i * 16 + k], 4);
    });
    expect((await compareCharacters(source, document, { samples: 800 })).shape.rest.maxMm).toBeLessThan(0.05);
  }, 120_000);
  // Largest mean distance over the 24 poses, mm, each part against itself: Corvane has two spine joints for three; every figure but VRM rests otherwise than the swimmer, every one but Tessel and neutral otherwise than the pilot.
  it.each([
    ['harbour-pilot', 'tessel', 0.001],
    ['harbour-pilot', 'corvane', 19],
    ['harbour-pilot', 'vrm-1', 4.5],
    ['harbour-pilot', 'gltf-neutral', 0.6],
    ['harbour-pilot', 'h-anim-2', 4.5],
    ['harbour-pilot', 'h-anim-3', 4.5],
    ['harbour-pilot', 'h-anim-4', 4.5],
    ['rescue-swimmer', 'corvane', 0.001],
    ['rescue-swimmer', 'tessel', 4.5],
    ['rescue-swimmer', 'vrm-1', 0.3],
    ['rescue-swimmer', 'gltf-neutral', 4.5],
    ['rescue-swimmer', 'h-anim-2', 9],
    ['rescue-swimmer', 'h-anim-3', 9],
    ['rescue-swimmer', 'h-anim-4', 9],
  ] as const)(
    '%s to %s bends as before, within %f mm RMS',
    async (who, figure, mostMm) => {
      const { document } = await readCharacter(of(who).arrival.files),
        source = (await readCharacter(of(who).arrival.files)).document;
      for (const one of [document, source]) standUp(one, { ...measureStance(one), floor: false });
      await convertTo(document, figure);
      expect(
        shippedFigure(figure)?.joints.filter(
          (joint) => !skeletonOf(document).joints.some((now) => now.getName() === joint.name),
        ),
      ).toEqual([]);
      takeHome(document);
      const { shape } = await compareCharacters(source, document, { samples: 800 });
      expect(shape.rest.maxMm).toBeLessThan(0.01);
      expect(Math.max(...shape.poses.map((row) => row.rmsMm))).toBeLessThan(mostMm);
      for (const part of listParts(document)) expect(weightSumError(part.prim), part.name).toBeLessThan(1e-6);
    },
    120_000,
  );
  it('where no joint is lost, remapping alone changes no pose by 0.1 mm', async () => {
    const { document } = await readCharacter(of('rescue-swimmer').arrival.files),
      source = (await readCharacter(of('rescue-swimmer').arrival.files)).document;
    for (const one of [document, source]) standUp(one, { ...measureStance(one), floor: false });
    await convertTo(document, 'tessel', ['skeleton.remap']);
    const { shape } = await compareCharacters(source, document, { samples: 800 });
    expect(Math.max(...shape.poses.map((row) => row.rmsMm))).toBeLessThan(0.1);
  }, 120_000);
  it("the crane operator's meaningless rig becomes a Tessel, by shape alone", async () => {
    const { document } = await readCharacter(of('crane-operator').arrival.files),
      { truth } = of('crane-operator').arrival;
    repairBinds(document, findBrokenBinds(document));
    const before = createDeformer(document),
      rest = before.evaluate(new Float32Array(before.vertices * 3));
    await convertTo(document, 'tessel');
    const renamed = readDossier(document).renamedJoints ?? {},
      roleOf = new Map(shippedFigure('tessel')?.joints.map((joint) => [joint.name, joint.role]));
    const humanoid = Object.entries(truth.roles).filter(([, role]) => isHumanoidRole(role));
    expect(
      humanoid.filter(([name, role]) => roleOf.get(renamed[name] ?? '') === role).length / humanoid.length,
    ).toBeGreaterThanOrEqual(0.95);
    takeHome(document);
    const after = createDeformer(document),
      now = after.evaluate(new Float32Array(after.vertices * 3));
    expect(now.reduce((most, x, i) => Math.max(most, Math.abs(x - rest[i])), 0)).toBeLessThan(1e-4);
  }, 120_000);
});

describe('the two figure formats', () => {
  it('are different: names, number of joints, polygons, texture tiles, arms', () => {
    const tessel = of('deckhand').read.document,
      corvane = of('rescue-swimmer').read.document;
    const names = (document: typeof tessel) => new Set(skeletonOf(document).joints.map((joint) => joint.getName()));
    expect([...names(tessel)].filter((name) => names(corvane).has(name))).toEqual([]);
    expect(names(corvane).size).toBeLessThan(names(tessel).size);
    const head = (document: typeof tessel) => listParts(document).find((part) => part.role === 'head')?.vertices;
    expect(head(tessel)).not.toBe(head(corvane));
    expect(listMorphNames(corvane)).toEqual(expect.arrayContaining(['blink', 'smile', 'jaw_open']));
  });
  it('bend the same: the swimmer stood up again is the swimmer, pose by pose', async () => {
    const { document } = of('rescue-swimmer').read;
    const again = (await readCharacter(of('rescue-swimmer').arrival.files)).document;
    for (const figure of [document, again]) standUp(figure, { ...measureStance(figure), floor: false });
    const { shape } = await compareCharacters(document, again, { samples: 800 });
    expect(Math.max(shape.rest.maxMm, ...shape.poses.map((row) => row.maxMm))).toBe(0);
  });
});

/** Everybody as they arrive, for every target we ship, opened again by code that shares nothing with ours. */
describe.each(PEOPLE.map((person) => person.id))('%s, delivered', (id) => {
  it.each(SHIPPED_TARGETS.map((entry) => entry.id))('for %s is what the report says', async (targetId) => {
    const target = withFigure(SHIPPED_TARGETS.find((entry) => entry.id === targetId) as Target, SHIPPED_FIGURES),
      {
        read: { document: source, name },
      } = of(id);
    const document = await (
      await runRecipe({ document: async () => source }, target, defaultRecipe(), { context })
    ).document();
    await finishDocument(document, context);
    const summary = summarise(document, name, { seen: false });
    const { checks } = await judgeDelivery(
      { files: await modelFiles(document, target, 'a'), document, summary, target },
      look,
    );
    const rules = checks.filter((check) => check.rule.startsWith('delivered.'));
    expect(rules).toHaveLength(12);
    expect(rules.filter((check) => !check.ok).map((check) => check.message)).toEqual([]);
  });
});
