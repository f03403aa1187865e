import { describe, expect, it } from 'vitest';
import {
  ownOf,
  defaultRecipe,
  findBrokenBinds,
  type Influences,
  influencesMax,
  influencesOf,
  inspectFindings,
  isHumanoidRole,
  listParts,
  measureStance,
  runRecipe,
  SHIPPED_TARGETS,
  skeletonOf,
  summarise,
} from '@dimetra/core';
import { PEOPLE, type PersonId } from './index.ts';
import { context, useSmallCast } from './testing/small-cast.ts';

const of = useSmallCast();
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
      // What a mouth shades stands in a map made from the one that belongs there.
      for (const [channel, file] of Object.entries(slots))
        expect(now[channel]?.replace(/_shaded\.png$/, file.slice(file.lastIndexOf('.'))), `${name} ${channel}`).toBe(
          file,
        );
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
      .map((material) => ownOf(material, 'maps'));
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
