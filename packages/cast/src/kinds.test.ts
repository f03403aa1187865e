import {
  findKinds,
  inspectFindings,
  listParts,
  type MaterialKind,
  materialKindOf,
  readDossier,
  recogniseKinds,
  standAsFound,
  summarise,
  SURE_OF_KIND,
} from '@dimetra/core';
import type { Document } from '@gltf-transform/core';
import { cloneDocument } from '@gltf-transform/functions';
import { expect, it } from 'vitest';
import { PEOPLE } from './index.ts';
import { context, useSmallCast } from './testing/small-cast.ts';

const of = useSmallCast();

/** Everything loses its name. @returns what each material was */
function unname(document: Document): Map<string, MaterialKind> {
  const wearer = new Map(listParts(document).map((part) => [part.material, part.name])),
    truth = new Map<string, MaterialKind>();
  document
    .getRoot()
    .listMaterials()
    .forEach((material, i) => {
      const kind = materialKindOf(material, wearer.get(material) ?? '');
      material.setName(`Material.${String(i).padStart(3, '0')}`);
      truth.set(material.getName(), kind);
    });
  for (const things of [document.getRoot().listMeshes(), document.getRoot().listTextures()])
    for (const [i, thing] of things.entries()) thing.setName(`thing_${i}`);
  for (const texture of document.getRoot().listTextures()) texture.setURI('');
  document
    .getRoot()
    .listNodes()
    .filter((node) => node.getMesh())
    .forEach((node, i) => node.setName(`object_${i}`));
  return truth;
}
/** What nobody can see from place and colour alone. */
const SAME: Partial<Record<MaterialKind, MaterialKind>> = { knit: 'cloth' };

it('what materials are is found from place and looks where nothing has a name: none wrong, most decided', async () => {
  const wrong: string[] = [],
    open: string[] = [];
  let asked = 0;
  for (const { id } of PEOPLE) {
    const document = cloneDocument(of(id).read.document),
      truth = unname(document);
    standAsFound(document);
    const found = await findKinds(document, context.images);
    expect(found.size).toBe(truth.size);
    for (const [material, { kind, confidence, reason }] of found) {
      const was = truth.get(material.getName()) as MaterialKind;
      asked++;
      expect(reason).not.toBe('');
      if (confidence < SURE_OF_KIND) open.push(`${id} ${was}: perhaps ${kind}`);
      else if (kind !== was && kind !== SAME[was]) wrong.push(`${id} ${was}: ${kind}, ${reason}`);
    }
  }
  expect(wrong).toEqual([]);
  expect(asked).toBeGreaterThan(80);
  expect(open.length / asked, open.join('\n')).toBeLessThan(0.2);
});

it('names are believed before places', async () => {
  const document = cloneDocument(of('harbour-pilot').read.document);
  standAsFound(document);
  for (const [material, { kind, confidence, reason }] of await findKinds(document, context.images)) {
    expect(kind).toBe(materialKindOf(material, ''));
    expect(confidence).toBeGreaterThan(0.9);
    expect(reason).toContain(material.getName());
  }
});

it('what was found as a character arrives counts like a name from then on, and what is not certain is asked', async () => {
  const document = cloneDocument(of('harbour-pilot').read.document),
    truth = unname(document);
  await recogniseKinds(document, context.images);
  const summary = summarise(document, 'Pilot', { seen: false }),
    certain = summary.materials.filter((material) => (material.kindConfidence as number) >= SURE_OF_KIND);
  expect(certain.length).toBeGreaterThan(14);
  for (const material of certain)
    expect([truth.get(material.name), SAME[truth.get(material.name) as MaterialKind]]).toContain(material.kind);
  expect(listParts(document).find((part) => part.kind === 'brow')?.role).toBe('brows');
  const findings = inspectFindings(document, summary).filter((finding) => finding.code.startsWith('materials.kind-'));
  expect(findings.filter(({ code }) => code === 'materials.kind-found')).toHaveLength(certain.length);
  expect(findings.filter(({ code }) => code === 'materials.kind-unsure')).toHaveLength(truth.size - certain.length);
  // Two of one name can't be told apart by it: nothing is said of either.
  const twins = cloneDocument(of('harbour-pilot').read.document);
  unname(twins);
  for (const material of twins.getRoot().listMaterials().slice(0, 2)) material.setName('Material');
  await recogniseKinds(twins, context.images);
  expect(Object.keys(readDossier(twins).kindsFound ?? {})).not.toContain('Material');
});
