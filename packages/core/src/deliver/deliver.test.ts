import { Document } from '@gltf-transform/core';
import { KHRLightsPunctual, KHRMaterialsClearcoat } from '@gltf-transform/extensions';
import { describe, expect, it } from 'vitest';
import { createDeformer, globalMatrix, readDossier, updateDossier, copyDocument } from '../character/index.ts';
import { checkCharacter, statedOf, verdictOf } from '../check/index.ts';
import { openArchive, writeArchive } from '../formats/index.ts';
import { summarise } from '../inspect/index.ts';
import { compareCharacters } from '../parity/index.ts';
import { measure } from '../measures.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { testContext } from '../testing/context.ts';
import { addOperation, operationsOf } from '../pixels/index.ts';
import { fileNameOf, finishDocument, reportHtml, sealPackage, type Report } from './index.ts';

const [target] = SHIPPED_TARGETS;
const texture = (document: Document, uri: string, mimeType = 'image/png') =>
  document
    .createTexture()
    .setURI(uri)
    .setMimeType(mimeType)
    .setImage(Uint8Array.of(1, 2, 3));
/** A material on a surface that is shown: what nothing wears is not delivered. */
function worn(document: Document, name?: string) {
  const material = document.createMaterial(name),
    scene = document.getRoot().listScenes()[0] ?? document.createScene();
  scene.addChild(
    document
      .createNode(name)
      .setMesh(document.createMesh().addPrimitive(document.createPrimitive().setMaterial(material))),
  );
  return material;
}

describe('a finished document', () => {
  it('carries out what was decided for each image, once, on its original', async () => {
    const document = new Document(),
      map = texture(document, 'maps/coat.png'),
      asked: [number[], string[]][] = [];
    worn(document, 'Coat').setBaseColorTexture(map);
    addOperation(map, { op: 'resize', width: 8, height: 8, content: 'color' });
    addOperation(map, { op: 'encode', mimeType: 'image/jpeg', quality: 80 });
    const context = {
      ...testContext(),
      images: {
        ...testContext().images,
        apply: async (bytes: Uint8Array, operations: readonly { op: string }[]) => {
          asked.push([[...bytes], operations.map((entry) => entry.op)]);
          return { bytes: Uint8Array.of(9), mimeType: 'image/jpeg' as const };
        },
      },
    };
    await finishDocument(document, context);
    expect(asked).toEqual([
      [
        [1, 2, 3],
        ['resize', 'encode'],
      ],
    ]);
    expect([map.getURI(), map.getMimeType(), [...(map.getImage() ?? [])]]).toEqual([
      'textures/coat.jpg',
      'image/jpeg',
      [9],
    ]);
    expect(operationsOf(map)).toEqual([]);
    await finishDocument(document, context);
    expect(asked).toHaveLength(1);
  });
  it('leaves images as they are where nothing was decided, and drops those that nothing wears', async () => {
    const document = new Document(),
      coat = texture(document, 'a.png');
    texture(document, 'spare.png');
    worn(document)
      .setNormalTexture(coat)
      .setExtras({ dimetra: { maps: { height: 'x' } }, studio: 7 });
    await finishDocument(document, testContext());
    expect(document.getRoot().listTextures()).toEqual([coat]);
    expect([...(coat.getImage() ?? [])]).toEqual([1, 2, 3]);
    expect(document.getRoot().listMaterials()[0].getExtras()).toEqual({ studio: 7 });
  });
  it("gives images file names that differ, in any alphabet, on disks that don't tell large letters from small", async () => {
    const document = new Document();
    for (const [uri, mime] of [
      ['x/Coat.png', 'image/png'],
      ['y/coat.png', 'image/png'],
      ['coat.jpg', 'image/jpeg'],
      ['../../etc/passwd', 'image/png'],
      ['外套.png', 'image/png'],
      ['', 'image/webp'],
    ] as const)
      worn(document).setBaseColorTexture(texture(document, uri, mime));
    await finishDocument(document, testContext());
    const names = document
      .getRoot()
      .listTextures()
      .map((entry) => entry.getURI());
    expect(new Set(names.map((name) => name.toLowerCase())).size).toBe(names.length);
    for (const name of names) expect(name).toMatch(/^textures\/[\p{L}\w.-]+\.(png|jpg|webp)$/u);
    expect(names).toContain('textures/外套.png');
    expect(names.slice(0, 3)).toEqual(['textures/Coat.png', 'textures/coat_2.png', 'textures/coat.jpg']);
  });
  it('takes no camera, no lamp, no note of ours along, and says who wrote it', async () => {
    const document = stickFigure();
    document.createNode('eye').setCamera(document.createCamera());
    document
      .createNode('lamp')
      .setExtension('KHR_lights_punctual', document.createExtension(KHRLightsPunctual).createLight());
    updateDossier(document, { jointRoles: { hips: 'hips' } });
    document.createAccessor('left over').setArray(new Float32Array(3));
    await finishDocument(document, testContext());
    const root = document.getRoot();
    expect([
      root.listCameras().length,
      root.listExtensionsUsed().length,
      root.getAsset().generator,
      readDossier(document),
    ]).toEqual([0, 0, 'Dimetra', { version: 1 }]);
    expect(root.listAccessors().some((accessor) => accessor.getName() === 'left over')).toBe(false);
  });
  it('stores morphs sparsely where few vertices move, and never an empty one', async () => {
    const document = new Document(),
      prim = document.createPrimitive(),
      put = (count: number) => {
        const array = new Float32Array(90);
        for (let i = 0; i < count; i++) array[i * 3] = 1;
        const accessor = document.createAccessor().setType('VEC3').setArray(array);
        prim.addTarget(document.createPrimitiveTarget().setAttribute('POSITION', accessor));
        return accessor;
      };
    const [none, few, many] = [0, 5, 20].map(put);
    document.createScene().addChild(document.createNode().setMesh(document.createMesh().addPrimitive(prim)));
    await finishDocument(document, testContext());
    expect([none, few, many].map((accessor) => accessor.getSparse())).toEqual([false, true, false]);
  });
  it('stops between two images when asked', async () => {
    const document = new Document(),
      stop = new AbortController();
    for (let i = 0; i < 3; i++) worn(document).setBaseColorTexture(texture(document, `${i}.png`));
    const context = { ...testContext(), signal: stop.signal, progress: () => stop.abort() };
    await expect(finishDocument(document, context)).rejects.toThrow();
  });
});

describe('file names of characters', () => {
  it.each([
    ['Harbour pilot', 'harbour-pilot'],
    ['  Ærø  ', 'ærø'],
    ['Łukasz/../x', 'łukasz-x'],
    ['Émile №2', 'émile-2'],
    ['E\u0301mile', 'émile'],
    ['水先人', '水先人'],
    ['Лоцман', 'лоцман'],
    ['Πλοηγός', 'πλοηγός'],
    ['', 'character'],
    ['…', 'character'],
    ['CON.', 'con-character'],
  ])('%s is %s', (name, wanted) => {
    expect(fileNameOf(name)).toBe(wanted);
  });
});

describe('a sealed package', () => {
  it('lists every file with its size and hash, and the archive holds just those', () => {
    const { hash } = testContext(),
      files = [
        { path: 'a.glb', bytes: Uint8Array.of(1, 2) },
        { path: 'textures/b.png', bytes: Uint8Array.of(3) },
      ];
    const { manifest, files: all } = sealPackage(
      files,
      { schema: 1, character: 'A', target: 't', created: '2026-01-01', origin: null },
      hash,
    );
    expect(manifest.files).toEqual(
      files.map(({ path, bytes }) => ({ path, bytes: bytes.length, sha256: hash(bytes) })),
    );
    const opened = openArchive(writeArchive(all), 'a.zip');
    expect(opened.map((file) => file.path).sort()).toEqual(['a.glb', 'manifest.json', 'textures/b.png']);
    expect(opened.find((file) => file.path === 'textures/b.png')?.bytes).toEqual(files[1].bytes);
    expect(JSON.parse(new TextDecoder().decode(all.find((file) => file.path === 'manifest.json')?.bytes))).toEqual(
      manifest,
    );
    expect(
      writeArchive(
        sealPackage(files, { schema: 1, character: 'A', target: 't', created: '2026-01-01', origin: null }, hash).files,
      ),
    ).toEqual(writeArchive(all));
  });
});

describe('what is shown, and only that, is delivered', () => {
  it("takes out surfaces, arrays, clips' samplers and nodes that nothing shown needs", async () => {
    const document = stickFigure(),
      [scene] = document.getRoot().listScenes(),
      [prim] = document.getRoot().listMeshes()[0].listPrimitives();
    const before = [document.getRoot().listNodes().length, document.getRoot().listAccessors().length];
    document.createNode('beside').setMesh(
      document.createMesh('beside').addPrimitive(
        document
          .createPrimitive()
          .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(new Float32Array(9)))
          .setMaterial(document.createMaterial('beside')),
      ),
    );
    document.createPrimitive().setIndices(prim.getIndices());
    const clip = document.createAnimation('nod'),
      times = document.createAccessor().setArray(Float32Array.of(0, 1)),
      [played, spare] = [1, 2].map(() =>
        document
          .createAnimationSampler()
          .setInput(times)
          .setOutput(document.createAccessor().setType('VEC3').setArray(new Float32Array(6))),
      );
    clip
      .addSampler(played)
      .addSampler(spare)
      .addChannel(
        document
          .createAnimationChannel()
          .setSampler(played)
          .setTargetNode(scene.listChildren()[0])
          .setTargetPath('translation'),
      );
    document.createAnimation('empty');
    await finishDocument(document, testContext());
    const root = document.getRoot();
    expect([root.listNodes().length, root.listAccessors().length]).toEqual([before[0], before[1] + 2]);
    expect([
      root.listAnimations().map((entry) => [entry.getName(), entry.listSamplers().length]),
      root.listMaterials().map((entry) => entry.getName()),
    ]).toEqual([[['nod', 1]], ['Skin']]);
  });
  it("keeps what materials' extensions ask for", async () => {
    const document = new Document(),
      map = texture(document, 'coat.png');
    worn(document).setExtension(
      'KHR_materials_clearcoat',
      document.createExtension(KHRMaterialsClearcoat).createClearcoat().setClearcoatTexture(map),
    );
    await finishDocument(document, testContext());
    expect(document.getRoot().listTextures()).toEqual([map]);
  });
  it('hangs skinned meshes in the scene without a place of their own, and leaves what hangs below them where it was', async () => {
    const document = stickFigure(),
      [scene] = document.getRoot().listScenes(),
      node = document
        .getRoot()
        .listNodes()
        .find((entry) => entry.getMesh()) as ReturnType<Document['createNode']>;
    const holder = document.createNode('holder').setTranslation([0, 5, 0]),
      badge = document
        .createNode('badge')
        .setTranslation([1, 0, 0])
        .setMesh(document.createMesh().addPrimitive(document.createPrimitive()));
    scene.addChild(holder.addChild(node.setTranslation([0, 0, 2]).addChild(badge)));
    const rest = (d: Document) => {
        const deformer = createDeformer(d);
        return [...deformer.evaluate(new Float32Array(deformer.vertices * 3))];
      },
      before = rest(document);
    await finishDocument(document, testContext());
    expect([node.getTranslation(), node.getParentNode()]).toEqual([[0, 0, 0], null]);
    expect(scene.listChildren()).toContain(node);
    expect([...globalMatrix(badge)].slice(12, 15)).toEqual([1, 5, 2]);
    expect(rest(document)).toEqual(before);
  });
});

describe('the report page', () => {
  const report = async (name: string): Promise<Report> => {
    const source = stickFigure(),
      result = copyDocument(source),
      summary = summarise(source, name),
      parity = await compareCharacters(source, result, { samples: 200 });
    return {
      schema: 1,
      target: { ...target, title: `${name} target` },
      source: summary,
      result: summary,
      steps: [
        {
          id: 'x',
          title: name,
          cached: false,
          seconds: 0,
          measures: [measure('triangles', 12345, 678.25)],
          findings: [{ code: 'a', severity: 'warning', message: `<b>${name}</b>`, where: 'x' }],
        },
      ],
      checks: checkCharacter({ document: source, summary, target, parity }),
      parity,
      stated: statedOf(source),
      decided: {
        by: name,
        recipe: { id: 'x', title: name, version: 2 },
        settings: [{ where: name, what: name, own: true }],
      },
      licence: [`Copyright: ${name}`],
      verdict: verdictOf([]),
    };
  };
  it('writes hostile names as text, and asks nothing of the world', async () => {
    const html = reportHtml(await report('<script>alert("x")</script> & \'co\''));
    expect(html).not.toMatch(/<script|src="(?!data:)|href=|url\(|@import|https?:/);
    expect(html).toContain('&lt;script&gt;alert(&quot;x&quot;)&lt;/script&gt; &amp; &#39;co&#39;');
    expect(html).not.toContain('<b>&lt;');
  });
  it("has a row for every rule, pose and morph, and every step's measures", async () => {
    const given = await report('Pilot'),
      html = reportHtml(given);
    for (const check of given.checks) expect(html).toContain(`<td>${check.title.replace(/'/g, '&#39;')}</td>`);
    for (const pose of given.parity.shape.poses) expect(html).toContain(`Pose: ${pose.name}`);
    expect(html).toContain('Morph: lift');
    expect(html).toMatch(/12,345.*678\.25/);
    expect(html).toMatch(/Nothing is gone/);
  });
  it('says of each rule whether it holds, is noted or blocks', async () => {
    const given = await report('Pilot');
    given.checks = [true, false, false].map((ok, i) => ({
      ...given.checks[0],
      title: `Rule ${i}`,
      ok,
      blocking: i === 1,
    }));
    given.verdict = verdictOf(given.checks);
    const html = reportHtml(given);
    expect([...html.matchAll(/<td>Rule (\d)<\/td>.*?>(holds|noted|blocks)</g)].map((match) => match.slice(1))).toEqual([
      ['0', 'holds'],
      ['1', 'blocks'],
      ['2', 'noted'],
    ]);
    expect(html).toContain('1 of 3 rules hold; 1 blocks delivery, 1 is noted.');
  });
});
