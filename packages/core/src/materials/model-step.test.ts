import { Document } from '@gltf-transform/core';
import {
  KHRMaterialsClearcoat,
  KHRMaterialsEmissiveStrength,
  KHRMaterialsTransmission,
  KHRMaterialsVolume,
} from '@gltf-transform/extensions';
import { describe, expect, it } from 'vitest';
import { parseTarget, SHIPPED_TARGETS, type Target } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { modelStep } from './model-step.ts';

const plain = (understands?: string[]): Target =>
  parseTarget({ ...SHIPPED_TARGETS[0], materials: { ...SHIPPED_TARGETS[0].materials, understands } });

function dressed() {
  const document = new Document(),
    coat = document.createExtension(KHRMaterialsClearcoat),
    clear = document.createExtension(KHRMaterialsTransmission),
    thick = document.createExtension(KHRMaterialsVolume),
    glow = document.createExtension(KHRMaterialsEmissiveStrength);
  document
    .createMaterial('Visor')
    .setBaseColorFactor([1, 0.5, 0.25, 1])
    .setExtension('KHR_materials_transmission', clear.createTransmission().setTransmissionFactor(0.9))
    .setExtension('KHR_materials_volume', thick.createVolume().setThicknessFactor(0.01))
    .setExtension('KHR_materials_clearcoat', coat.createClearcoat().setClearcoatFactor(1));
  document
    .createMaterial('Lamp')
    .setEmissiveFactor([0.5, 0.2, 0])
    .setExtension('KHR_materials_emissive_strength', glow.createEmissiveStrength().setEmissiveStrength(3));
  document.createMaterial('Cloth').setRoughnessFactor(0.9);
  return document;
}
const run = async (document: Document, target: Target, settings = {}) =>
  modelStep.run(document, settings as never, target, testContext());

describe('the material model of a target', () => {
  it('is no matter where the target says nothing, or understands all there is', () => {
    expect(modelStep.applies(dressed(), plain())).toBe(false);
    expect(modelStep.applies(dressed(), plain(['clearcoat', 'transmission', 'emissiveStrength']))).toBe(false);
    expect(modelStep.applies(dressed(), plain(['clearcoat', 'transmission']))).toBe(true);
  });
  it('folds light that goes through into opacity, and a glow over one into one; the rest is taken out', async () => {
    const document = dressed(),
      { findings, measures } = await run(document, plain([])),
      [visor, lamp, cloth] = document.getRoot().listMaterials();
    expect(visor.getBaseColorFactor()).toEqual([1, 0.5, 0.25, expect.closeTo(0.1, 6)]);
    expect(visor.getAlphaMode()).toBe('BLEND');
    expect(lamp.getEmissiveFactor()).toEqual([1, expect.closeTo(0.6, 6), 0]);
    expect([visor, lamp].flatMap((material) => material.listExtensions())).toEqual([]);
    expect(cloth.getRoughnessFactor()).toBe(0.9);
    expect(measures[0].result).toBe(3);
    expect(findings.map(({ where, measured }) => `${where} ${measured}`)).toEqual([
      'Visor clearcoat',
      'Visor transmission',
      'Lamp emissiveStrength',
    ]);
    expect(
      document
        .getRoot()
        .listExtensionsUsed()
        .map(({ extensionName }) => extensionName),
    ).not.toContain('KHR_materials_clearcoat');
  });
  it('keeps what is understood, and does as it was told by hand', async () => {
    const document = dressed();
    await run(document, plain(['clearcoat']));
    expect(
      document
        .getRoot()
        .listMaterials()[0]
        .listExtensions()
        .map(({ extensionName }) => extensionName),
    ).toEqual(['KHR_materials_clearcoat']);
    const told = dressed();
    expect((await run(told, plain([]), { understands: ['transmission', 'emissiveStrength'] })).measures[0].result).toBe(
      1,
    );
  });
});
