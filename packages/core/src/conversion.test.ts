import { look } from '@dimetra/eyes';
import { validateBytes } from 'gltf-validator';
import { describe, expect, it } from 'vitest';
import { createDeformer, listMorphNames, listParts } from './character/index.ts';
import { blockingChecks } from './check/index.ts';
import { convert } from './deliver/index.ts';
import {
  createGltfIO,
  openArchive,
  packDocument,
  piecesOf,
  readCharacter,
  writeArchive,
  writePng,
} from './formats/index.ts';
import { measureStance, standUp } from './rig/index.ts';
import { compareCharacters, deviationByVertex } from './parity/index.ts';
import { simplifyParts } from './reduce/index.ts';
import { defaultRecipe, parseRecipe, type Recipe } from './recipe/index.ts';
import type { Station } from './step.ts';
import { COMMON_LAYOUTS, parseTarget, SHIPPED_TARGETS } from './targets/index.ts';
import { stickFigure } from './testing/stick-figure.ts';
import { testContext } from './testing/context.ts';
import { MemoryStore } from './testing/memory-store.ts';

const crowd = SHIPPED_TARGETS.find((target) => target.id === 'quayside-crowd') as (typeof SHIPPED_TARGETS)[number];
const small = parseTarget({ ...crowd, id: 'small', triangles: { max: 900 } });
const figure = () => stickFigure({ rings: 10, sides: 10 });

/** The smallest PNG there is: one opaque grey pixel. */
const onePixel = async () =>
  Uint8Array.from(
    Buffer.from(
      'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNoaGj4DwAFhAKBPTcXJwAAAABJRU5ErkJggg==',
      'base64',
    ),
  );

async function run(target = small, recipe = defaultRecipe(), store = new MemoryStore()) {
  const document = figure(),
    context = testContext();
  const packed = await packDocument(await createGltfIO(), document, context.hash);
  store.add(packed.pieces);
  return convert({
    name: 'Stick',
    source: { manifest: packed.manifest, document: async () => document },
    target,
    recipe,
    created: '2026-01-01',
    context,
    eyes: look,
    appearance: false,
    store,
    samples: 2000,
  });
}

describe('convert', () => {
  it('keeps to the target, reports honestly, and delivers a model without validator errors', async () => {
    const done = await run();
    expect(blockingChecks(done.report.checks)).toEqual([]);
    expect(done.report.result.triangles).toBeLessThanOrEqual(900);
    expect(done.report.result.joints.every((joint) => !/Index|Eye|jaw|Toes/.test(joint.name))).toBe(true);
    expect(done.report.parity.shape.rest.rmsMm).toBeGreaterThan(0);
    expect(done.report.parity.shape.morphs.map((row) => row.name)).toEqual(['lift']);
    expect(done.report.parity.shape.poses).toHaveLength(24);
    const model = done.made?.find((file) => file.path === 'stick.glb');
    const { issues } = await validateBytes(model?.bytes as Uint8Array);
    expect(issues.numErrors, JSON.stringify(issues.messages.slice(0, 5))).toBe(0);
    const again = await readCharacter([model as { path: string; bytes: Uint8Array }]);
    expect(listMorphNames(again.document)).toEqual(['lift']);
    expect(done.sealed.files.map((file) => file.path)).toEqual(['stick.glb', 'report.json', 'report.html']);
    expect(new TextDecoder().decode(done.made?.find((file) => file.path === 'report.html')?.bytes)).not.toMatch(
      /src="(?!data:)|href=/,
    );
  });
  it('delivers maps in the layouts a target asks for and its materials as MaterialX, each file named and there', async () => {
    const document = figure(),
      context = testContext(),
      map = document
        .createTexture('skin')
        .setImage(writePng({ width: 2, height: 2, data: new Uint8Array(16).map((_, i) => 40 + i * 9) }))
        .setMimeType('image/png')
        .setURI('maps/skin.png');
    document.getRoot().listMaterials()[0].setBaseColorTexture(map).setMetallicRoughnessTexture(map);
    const worn = document.getRoot().listMaterials()[0].getName(),
      lit = { schema: 1, id: 'lit', title: 'Lit', channels: { lightThrough: { strength: 0.3 } } };
    const { made, sealed, report } = await convert({
      name: 'Stick',
      source: { document: async () => document },
      target: parseTarget({
        ...small,
        materials: { ...small.materials, materialX: true, beyondGltf: true },
        textures: { ...small.textures, beside: { folder: 'engine', layouts: COMMON_LAYOUTS[1].layouts } },
      }),
      recipe: {
        ...defaultRecipe(),
        steps: defaultRecipe().steps.map((step) =>
          step.id === 'materials.treat' ? { ...step, settings: { worn: { [worn]: 'lit' }, own: [lit] } } : step,
        ),
      },
      created: '2026-01-01',
      context,
      eyes: look,
      appearance: false,
      samples: 500,
    });
    const paths = (made ?? []).map((file) => file.path),
      [maps] = sealed.maps ?? [];
    expect(maps.files.map((file) => file.path)).toEqual([
      expect.stringMatching(/^engine\/.*_color\.png$/),
      expect.stringMatching(/^engine\/.*_mask\.png$/),
    ]);
    for (const file of maps.files) expect(paths).toContain(file.path);
    const text = new TextDecoder().decode((made ?? []).find((file) => file.path === 'stick.mtlx')?.bytes),
      named = [...text.matchAll(/type="filename" value="([^"]*)"/g)].map(([, path]) => path);
    expect(named).toContain('textures/skin.png');
    for (const path of named) expect(paths).toContain(path);
    // What glTF has no place for stands in both by its name, and nowhere in the model.
    expect(sealed.materials).toMatchObject({ [worn]: { light_through: 0.3 } });
    expect(text).toContain('<property name="light_through" type="float" value="0.3"/>');
    const model = (made ?? []).find((file) => /\.gl(b|tf)$/.test(file.path))?.bytes;
    expect(new TextDecoder().decode(model)).not.toContain('light_through');
    // What lies beside counts in the package, and every file stands in the manifest.
    expect(sealed.files.map((file) => file.path)).toEqual(paths.filter((path) => path !== 'manifest.json'));
    expect(report.checks.filter((check) => check.rule.startsWith('delivered.') && !check.ok)).toEqual([]);
  });
  it('holds a mix of people against the same mix, not against the one person it began with', async () => {
    const broad = stickFigure({ rings: 8 });
    broad
      .getRoot()
      .listNodes()
      .find((node) => node.getName() === 'leftUpperArm')
      ?.setTranslation([0.2, -0.02, -0.01]);
    const context = { ...testContext(), character: async () => ({ document: broad, name: 'Broad' }) },
      recipe: Recipe = {
        schema: 1,
        steps: [
          { id: 'morphs.mix', enabled: true, settings: { with: [{ character: 'broad', weights: { all: 1 } }] } },
          { id: 'reduce.simplify', enabled: false, settings: {} },
        ],
      },
      options = {
        name: 'Stick',
        target: parseTarget({ ...crowd, id: 'loose', triangles: { max: 100_000 } }),
        recipe,
        created: '2026-01-01',
        eyes: look,
        appearance: false,
      };
    const { report } = await convert({
      ...options,
      source: { document: async () => stickFigure({ rings: 8 }) },
      context,
      samples: 500,
    });
    const mixed = report.steps.find((step) => step.id === 'morphs.mix');
    expect(mixed?.measures.find((entry) => entry.code === 'largest-movement')?.result).toBeGreaterThan(20);
    expect(report.parity.shape.rest.maxMm).toBeLessThan(0.01);
    await expect(
      convert({ ...options, source: { document: async () => stickFigure() }, context: testContext(), samples: 500 }),
    ).rejects.toThrow("others can't be reached from here");
  });
  it('delivers .gltf with its .bin and textures beside it, valid and readable again', async () => {
    const document = figure(),
      context = testContext();
    document
      .getRoot()
      .listMaterials()[0]
      .setBaseColorTexture(
        document
          .createTexture('skin')
          .setImage(await onePixel())
          .setMimeType('image/png')
          .setURI('maps/skin.png'),
      );
    const { made } = await convert({
      name: 'Stick',
      source: { document: async () => document },
      target: parseTarget({ ...small, package: { format: 'gltf' } }),
      recipe: defaultRecipe(),
      created: '2026-01-01',
      context,
      eyes: look,
      appearance: false,
      samples: 500,
    });
    const files = made ?? [];
    expect(files.map((file) => file.path).sort()).toEqual([
      'manifest.json',
      'report.html',
      'report.json',
      'stick.bin',
      'stick.gltf',
      'textures/skin.png',
    ]);
    const { issues } = await validateBytes(files[0].bytes, {
      externalResourceFunction: async (uri: string) => files.find((file) => file.path === uri)?.bytes as Uint8Array,
    });
    expect(issues.numErrors, JSON.stringify(issues.messages.slice(0, 5))).toBe(0);
    const again = await readCharacter(openArchive(writeArchive(files), 'package.zip'));
    expect(again.document.getRoot().listTextures()[0].getImage()?.length).toBeGreaterThan(0);
    expect(listMorphNames(again.document)).toEqual(['lift']);
  });
  it('gives the same bytes for the same input', async () => {
    const [one, two] = [await run(), await run()];
    expect(one.made).toEqual(two.made);
    expect(one.kept?.archive).toEqual(two.kept?.archive);
  });
  it('takes up what is known and does only what follows a change', async () => {
    const store = new MemoryStore();
    const first = await run(small, defaultRecipe(), store);
    expect(first.steps.every((step) => !step.cached)).toBe(true);
    expect((await run(small, defaultRecipe(), store)).steps.every((step) => step.cached)).toBe(true);
    const recipe = defaultRecipe();
    for (const step of recipe.steps) if (step.id === 'reduce.simplify') step.settings = { triangles: 600 };
    const third = await run(small, recipe, store);
    expect(third.steps.filter((step) => !step.cached).map((step) => step.id)).toEqual(['reduce.simplify']);
    expect(third.report.result.triangles).toBeLessThanOrEqual(600);
  });
  it('concludes nothing twice: the second time report and package are taken from the store', async () => {
    const store = new MemoryStore();
    const first = await run(small, defaultRecipe(), store),
      second = await run(small, defaultRecipe(), store);
    expect(first.made).not.toBeNull();
    expect(second.made).toBeNull();
    expect(second.kept).toEqual(first.kept);
    expect(
      openArchive(store.pieces.get(second.kept?.archive.sha256 as string) as Uint8Array, 'package.zip').map(
        ({ path, bytes }) => ({ path, bytes }),
      ),
    ).toEqual(first.made);
    expect({ ...second.report, steps: [] }).toEqual({ ...first.report, steps: [] });
  });
  it('takes shapes over where a change came after them, and says what measuring them anew would say', async () => {
    const store = new MemoryStore(),
      held = () => [...store.conclusions.values()].filter((value) => (value as { poses?: unknown }).poses).length;
    await run(small, defaultRecipe(), store);
    expect(held()).toBe(1);
    // Another budget for maps, which the figure has none of: the same shapes.
    const other = parseTarget({ ...small, textures: { ...small.textures, maxSize: 64 } }),
      taken = await run(other, defaultRecipe(), store),
      anew = await run(other);
    expect(held()).toBe(1);
    expect(taken.sealed.files).toEqual(anew.sealed.files);
    expect(taken.sealed.files.every((file) => file.sha256.length === 64)).toBe(true);
    // Fewer triangles: other shapes.
    await run(parseTarget({ ...small, triangles: { max: 800 } }), defaultRecipe(), store);
    expect(held()).toBe(2);
  });
  it('tells of a new result before it is measured, and of a known one not at all', async () => {
    const store = new MemoryStore(),
      told: string[] = [],
      document = figure(),
      context = testContext();
    const packed = await packDocument(await createGltfIO(), document, context.hash);
    store.add(packed.pieces);
    const go = () =>
      convert({
        name: 'Stick',
        source: { manifest: packed.manifest, document: async () => document },
        target: small,
        recipe: defaultRecipe(),
        created: '2026-01-01',
        store,
        eyes: look,
        appearance: false,
        samples: 500,
        context: {
          ...context,
          progress: (_, message) => {
            if (/^measuring/.test(message) && told.at(-1) !== 'measuring') told.push('measuring');
          },
        },
        onStep: ({ id }) => {
          if (id === 'reduce.simplify') told.push(id);
        },
        onResult(kept, result) {
          told.push(`${result.triangles} triangles`);
          for (const hash of piecesOf(kept.manifest)) expect(store.pieces.has(hash)).toBe(true);
        },
      });
    const first = await go();
    expect(told).toEqual(['reduce.simplify', `${first.report.result.triangles} triangles`, 'measuring']);
    expect(first.report.result.triangles).toBeLessThanOrEqual(900);
    told.length = 0;
    await go();
    expect(told).toEqual(['reduce.simplify']);
  });
  it('keeps nothing where there is nowhere to keep it, makes the same, goes forwards alone, and lets the source go once', async () => {
    const document = figure(),
      kept = await run(),
      fractions: number[] = [];
    let released = 0;
    const bare = await convert({
      name: 'Stick',
      source: {
        async document() {
          if (released) throw new Error('asked for after it was let go');
          return document;
        },
        release() {
          released++;
        },
      },
      target: small,
      recipe: defaultRecipe(),
      created: '2026-01-01',
      context: { ...testContext(), progress: (fraction) => fractions.push(fraction) },
      eyes: look,
      appearance: false,
      samples: 2000,
    });
    expect(released).toBe(1);
    expect(fractions.length).toBeGreaterThan(30);
    expect(fractions).toEqual([...fractions].sort((one, two) => one - two));
    expect(fractions.at(-1)).toBeLessThanOrEqual(1);
    expect(bare.kept).toBeNull();
    expect(bare.made).toEqual(kept.made);
  });
  it('does again only the steps that read what changed in the target', async () => {
    const store = new MemoryStore();
    await run(small, defaultRecipe(), store);
    const other = await run(parseTarget({ ...small, triangles: { max: 1300 } }), defaultRecipe(), store);
    expect(other.steps.filter((step) => !step.cached).map((step) => step.id)).toEqual(['reduce.simplify']);
    const named = await run(parseTarget({ ...small, title: 'Another name' }), defaultRecipe(), store);
    expect(named.steps.every((step) => step.cached)).toBe(true);
    expect(named.made).not.toBeNull();
  });
  it('leaves the source as it was, array by array', async () => {
    const document = figure(),
      context = testContext(),
      io = await createGltfIO();
    const packed = await packDocument(io, document, context.hash);
    await convert({
      name: 'Stick',
      source: { manifest: packed.manifest, document: async () => document },
      target: small,
      recipe: defaultRecipe(),
      created: '',
      context,
      eyes: look,
      appearance: false,
      samples: 500,
    });
    // another hash function, so that nothing is remembered
    expect((await packDocument(io, document, testContext().hash)).manifest).toEqual(packed.manifest);
  });
  it('says which rules block, and why', async () => {
    const recipe = defaultRecipe();
    for (const step of recipe.steps) if (step.id === 'reduce.simplify') step.enabled = false;
    const { blocking } = await run(small, recipe);
    expect(blocking).toHaveLength(1);
    expect(blocking[0]).toMatchObject({ rule: 'triangles.max', limit: 900, station: 'reduce' });
    expect(blocking[0].message).toMatch(/the target allows 900/);
  });
  it('says where the character is on the line, from intake to delivery, and never goes back', async () => {
    const document = figure(),
      where: (string | undefined)[] = [];
    await convert({
      name: 'Stick',
      source: { document: async () => document },
      target: small,
      recipe: defaultRecipe(),
      created: '2026-01-01',
      context: { ...testContext(), progress: (_, __, station) => where.push(station) },
      eyes: look,
      appearance: false,
    });
    const line = where.filter((station, i) => station && station !== where[i - 1]) as Station[];
    expect(line.slice(-2)).toEqual(['check', 'deliver']);
    expect(line[0]).toBe('intake');
    const reduced = line.indexOf('reduce');
    expect(reduced).toBeGreaterThan(0);
    expect(line.slice(reduced)).toEqual(['reduce', 'check', 'deliver']);
  });
  it('stops when asked', async () => {
    const document = figure(),
      context = { ...testContext(), signal: { aborted: true } };
    await expect(
      convert({
        name: 'x',
        source: { document: async () => document },
        target: small,
        recipe: defaultRecipe(),
        created: '',
        context,
        eyes: look,
        appearance: false,
      }),
    ).rejects.toThrow('stopped on request');
  });
});

describe('compareCharacters', () => {
  it('finds no distance at all between a character and itself', async () => {
    const parity = await compareCharacters(figure(), figure(), { samples: 3000 });
    for (const row of [parity.shape.rest, ...parity.shape.morphs, ...parity.shape.poses])
      expect([row.rmsMm, row.p99Mm, row.maxMm]).toEqual([0, 0, 0]);
    expect(parity.inventory).toEqual({ lost: [], added: [], renamed: [], leftOut: [] });
  });
  it('measures a morph where it moves, not over the whole figure', async () => {
    const other = figure();
    for (const mesh of other.getRoot().listMeshes())
      for (const prim of mesh.listPrimitives())
        for (const target of prim.listTargets()) {
          const delta = target.getAttribute('POSITION');
          if (delta) delta.setArray(Float32Array.from(delta.getArray() as Float32Array, (x) => x * 0.5));
        }
    const { shape } = await compareCharacters(figure(), other, { samples: 3000 });
    const moved = listParts(figure())
      .flatMap((part) => part.prim.listTargets())
      .map((target) => Math.max(...(target.getAttribute('POSITION')?.getArray() ?? [0])));
    expect(shape.rest.maxMm).toBe(0);
    expect(shape.morphs[0].maxMm).toBeGreaterThan(0.1);
    expect(shape.morphs[0].maxMm).toBeLessThanOrEqual(Math.max(...moved) * 500 + 0.01);
  });
  it('measures a known shift: a figure moved 5 mm up is nowhere more than 5 mm off', async () => {
    const moved = figure();
    moved.getRoot().listScenes()[0].listChildren()[0].setTranslation([0, 0.965, 0]);
    const { shape, inventory } = await compareCharacters(figure(), moved, { samples: 3000 });
    expect(shape.rest.maxMm).toBeLessThanOrEqual(5.001);
    expect(shape.rest.maxMm).toBeGreaterThan(4.5);
    expect(inventory.lost).toEqual([]);
  });
});

it('deviationByVertex shows what reduction took away, on both figures, and nothing between equals', async () => {
  const reduced = figure();
  await simplifyParts(reduced, new Map([['Body', 700]]));
  const { source, result } = deviationByVertex(figure(), reduced);
  expect(Math.max(...(source.get('Body') as Float32Array))).toBeGreaterThan(0.5);
  expect(Math.max(...(result.get('Body') as Float32Array))).toBeGreaterThan(0.5);
  expect(Math.max(...(deviationByVertex(figure(), figure()).source.get('Body') as Float32Array))).toBeLessThan(1e-4);
});

describe('stance', () => {
  const height = (document: ReturnType<typeof figure>) => measureStance(document).heightCm;
  it('believes a figure that stands, and changes nothing in it', () => {
    const document = figure(),
      before = createDeformer(document).evaluate(new Float32Array(createDeformer(document).vertices * 3));
    const stance = measureStance(document);
    expect(stance).toMatchObject({ upAxis: 'y', unitMetres: 1, facing: '+z' });
    standUp(document, { ...stance, floor: false });
    expect([...createDeformer(document).evaluate(new Float32Array(before.length))]).toEqual([...before]);
  });
  it.each([
    ['centimetres', 100, 0.01],
    ['inches', 39.3701, 0.0254],
    ['millimetres', 1000, 0.001],
  ])('recognises %s and brings the figure to metres', (_name, scale, unit) => {
    const document = figure(),
      wanted = height(document);
    standUp(document, { unitMetres: scale, upAxis: 'y', facing: '+z', floor: false });
    const found = measureStance(document);
    expect(found.unitMetres).toBe(unit);
    standUp(document, { ...found, floor: true });
    expect(height(document)).toBeCloseTo(wanted, 0);
    expect(Math.abs(measureStance(document).lowestCm)).toBeLessThan(0.11);
  });
  it.each(['-z', '+x', '-x'] as const)(
    'turns a figure that faces %s to the front, and a bent pose follows',
    async (facing) => {
      const turned = figure();
      // turning "from" a facing is the inverse of turning to it
      standUp(turned, {
        unitMetres: 1,
        upAxis: 'y',
        facing: ({ '-z': '-z', '+x': '-x', '-x': '+x' } as const)[facing],
        floor: false,
      });
      expect(measureStance(turned).facing).toBe(facing);
      standUp(turned, { unitMetres: 1, upAxis: 'y', facing, floor: false });
      const { shape } = await compareCharacters(figure(), turned, { samples: 1500 });
      expect(Math.max(shape.rest.maxMm, ...shape.poses.map((row) => row.maxMm))).toBeLessThan(0.01);
    },
  );
});

it('recipes and targets are refused with the field that is wrong', () => {
  expect(() => parseRecipe({ schema: 1, steps: [{ id: 'no.such' }] })).toThrow(/no.such/);
  expect(() => parseRecipe({ schema: 1, steps: [{ id: 'weights.limit', settings: { max: 'four' } }] })).toThrow(
    /max should be number/,
  );
  expect(() => parseTarget({ ...crowd, triangles: { max: -1 } })).toThrow(/triangles.max/);
  expect(() => parseTarget({ ...crowd, textures: { ...crowd.textures, maxSize: 1000 } })).toThrow(/textures.maxSize/);
});
