import { describe, expect, it } from 'vitest';
import { createDeformer, readDossier } from '../character/index.ts';
import { quatMultiply, type Quat } from '../geometry/index.ts';
import { compareCharacters } from '../parity/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { inspectFindings, summarise } from '../inspect/inspect.ts';
import { FACINGS, measureStance, UP_AXES } from './stance.ts';
import { stanceFound, standStep } from '../intake/stand-step.ts';
import { standUp } from './stand-up.ts';

const UNITS = [1, 0.01, 0.0254, 0.3048, 0.1, 0.001];
const ORIENTATIONS = UP_AXES.flatMap((up) => FACINGS.map((facing) => [up, facing] as const));

/** Lays a standing figure so that standing up with `up`, `facing` and `unit` brings it back. */
function laid(
  make: () => ReturnType<typeof stickFigure>,
  up: (typeof UP_AXES)[number],
  facing: (typeof FACINGS)[number],
  unit: number,
) {
  const h = Math.SQRT1_2;
  const tilt: Record<string, Quat> = {
    y: [0, 0, 0, 1],
    '-y': [1, 0, 0, 0],
    z: [-h, 0, 0, h],
    '-z': [h, 0, 0, h],
    x: [0, 0, h, h],
    '-x': [0, 0, -h, h],
  };
  const yaw: Record<string, Quat> = { '+z': [0, 0, 0, 1], '-z': [0, 1, 0, 0], '+x': [0, -h, 0, h], '-x': [0, h, 0, h] };
  const [x, y, z, w] = quatMultiply(yaw[facing], tilt[up]);
  const document = make();
  // a root above everything turns the whole, as files do it
  const scene = document.getRoot().listScenes()[0];
  const root = document
    .createNode('turn')
    .setRotation([-x, -y, -z, w])
    .setScale([1 / unit, 1 / unit, 1 / unit]);
  for (const child of scene.listChildren()) root.addChild(child);
  scene.addChild(root);
  return document;
}
const nameless = () => {
  let n = 0;
  return stickFigure({ name: () => `q${n++}x` });
};
const meshOnly = () => {
  const figure = stickFigure();
  for (const node of figure.getRoot().listNodes()) node.setSkin(null);
  for (const skin of figure.getRoot().listSkins()) skin.dispose();
  return figure;
};

describe('measureStance', () => {
  it.each(ORIENTATIONS)('finds up %s and facing %s by the names of joints', (up, facing) => {
    for (const unit of UNITS)
      expect(measureStance(laid(stickFigure, up, facing, unit)), `unit ${unit}`).toMatchObject({
        upAxis: up,
        facing,
        unitMetres: unit,
      });
  });
  it.each(ORIENTATIONS)(
    'is told by the step that stood the figure up, from up %s, facing %s, as it was found',
    async (up, facing) => {
      const document = laid(stickFigure, up, facing, 0.0254),
        found = measureStance(document);
      const { measures } = await standStep.run(document, { floor: true }, SHIPPED_TARGETS[0], testContext());
      expect(stanceFound(measures, readDossier(document).found)).toEqual(found);
      expect(stanceFound([], readDossier(document).found)).toBeNull();
    },
  );
  it.each(ORIENTATIONS)(
    'stands a figure up again exactly from up %s, facing %s, in centimetres',
    async (up, facing) => {
      const document = laid(stickFigure, up, facing, 0.01);
      standUp(document, { ...measureStance(document), floor: false });
      const { shape } = await compareCharacters(stickFigure(), document, { samples: 400 });
      expect(
        Math.max(shape.rest.maxMm, ...shape.poses.map((row) => row.maxMm), ...shape.morphs.map((row) => row.maxMm)),
      ).toBeLessThan(0.02);
    },
  );
  it('gives joints of a lying figure the roles they have when it stands', () => {
    const roles = (document: ReturnType<typeof stickFigure>) =>
      summarise(document, 'x').joints.map((joint) => joint.role);
    expect(roles(laid(stickFigure, 'z', '-z', 0.01))).toEqual(roles(stickFigure()));
  });
  const bones = (make: () => ReturnType<typeof stickFigure>) => () => {
    const figure = make();
    for (const node of figure.getRoot().listNodes()) if (node.getMesh()) node.dispose();
    for (const mesh of figure.getRoot().listMeshes()) mesh.dispose();
    return figure;
  };
  it.each(FACINGS)(
    'finds a bare skeleton without names to face %s by toes, knees and elbows, and gives limbs their own side',
    (facing) => {
      const document = laid(bones(nameless), 'y', facing, 1),
        stance = measureStance(document);
      expect(stance).toMatchObject({ upAxis: 'y', facing });
      expect(stance.facingUnsure).toBeUndefined();
      const roles = (figure: ReturnType<typeof stickFigure>) =>
        summarise(figure, 'x').joints.map((joint) => joint.role);
      expect(roles(document)).toEqual(roles(bones(nameless)()));
    },
  );
  it("says that it isn't sure where a bare skeleton is as flat as a board", () => {
    const flat = bones(nameless)();
    for (const node of flat.getRoot().listNodes()) {
      const [x, y] = node.getTranslation();
      node.setTranslation([x, y, 0]);
    }
    expect(measureStance(flat)).toMatchObject({ upAxis: 'y', facingUnsure: true });
    expect(inspectFindings(flat, summarise(flat, 'x')).map((finding) => finding.code)).toContain(
      'intake.facing-unsure',
    );
  });
  it('says what it went by', () => {
    expect(measureStance(stickFigure()).evidence.join(' ')).toMatch(
      /head lies above the hips along Y.*toes point to \+Z.*as the format declares/,
    );
  });
  it('is no trouble with a figure of nothing', () => {
    const empty = stickFigure();
    for (const mesh of empty.getRoot().listMeshes()) mesh.dispose();
    expect(Number.isFinite(measureStance(empty).heightCm)).toBe(true);
  });
  it.each([
    ['without joint names that mean anything', nameless],
    ['without joints', meshOnly],
  ])('finds up %s by the shape of the body', (_name, make) => {
    for (const up of UP_AXES) expect(measureStance(laid(make, up, '+z', 1)).upAxis).toBe(up);
    expect(createDeformer(make()).vertices).toBeGreaterThan(0);
  });
});

it('a JPEG in the place of a map with alpha is said, where something is meant to be seen through', () => {
  const document = stickFigure(),
    [material] = document.getRoot().listMaterials(),
    codes = () => inspectFindings(document, summarise(document, 'x')).map((finding) => finding.code);
  material
    .setBaseColorTexture(
      document
        .createTexture('map')
        .setImage(Uint8Array.of(0xff, 0xd8, 1))
        .setMimeType('image/jpeg'),
    )
    .setAlphaMode('MASK');
  expect(codes()).toContain('materials.no-alpha');
  material.setAlphaMode('OPAQUE');
  expect(codes()).not.toContain('materials.no-alpha');
  material.setName('Hair_Cards');
  expect(codes()).toContain('materials.no-alpha');
  material.getBaseColorTexture()?.setMimeType('image/png');
  expect(codes()).not.toContain('materials.no-alpha');
});
