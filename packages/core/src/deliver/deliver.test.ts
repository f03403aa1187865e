import { Document } from '@gltf-transform/core';
import { KHRLightsPunctual } from '@gltf-transform/extensions';
import { describe, expect, it } from 'vitest';
import { readDossier, updateDossier } from '../character/index.ts';
import { checkCharacter } from '../check/index.ts';
import { copyDocument, openArchive, writeArchive } from '../formats/index.ts';
import { summarise } from '../intake/index.ts';
import { compareCharacters } from '../parity/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { testContext } from '../testing/context.ts';
import { addOperation, operationsOf } from '../textures/index.ts';
import { fileNameOf, finishDocument, reportHtml, sealPackage, type Report } from './index.ts';

const [target] = SHIPPED_TARGETS;
const texture = (document: Document, uri: string, mimeType = 'image/png') => document.createTexture().setURI(uri).setMimeType(mimeType).setImage(Uint8Array.of(1, 2, 3));

describe('a finished document', () => {
  it('carries out what was decided for each image, once, on its original', async () => {
    const document = new Document(), map = texture(document, 'maps/coat.png'), asked: [number[], string[]][] = [];
    document.createMaterial('Coat').setBaseColorTexture(map);
    addOperation(map, { op: 'resize', width: 8, height: 8, content: 'color' });
    addOperation(map, { op: 'encode', mimeType: 'image/jpeg', quality: 80 });
    const context = { ...testContext(), images: { ...testContext().images, apply: async (bytes: Uint8Array, operations: readonly { op: string }[]) => { asked.push([[...bytes], operations.map((entry) => entry.op)]); return { bytes: Uint8Array.of(9), mimeType: 'image/jpeg' as const }; } } };
    await finishDocument(document, context);
    expect(asked).toEqual([[[1, 2, 3], ['resize', 'encode']]]);
    expect([map.getURI(), map.getMimeType(), [...(map.getImage() ?? [])]]).toEqual(['textures/coat.jpg', 'image/jpeg', [9]]);
    expect(operationsOf(map)).toEqual([]);
    await finishDocument(document, context);
    expect(asked).toHaveLength(1);
  });
  it('leaves images as they are where nothing was decided, and drops those that nothing wears', async () => {
    const document = new Document(), worn = texture(document, 'a.png');
    texture(document, 'spare.png');
    document.createMaterial().setNormalTexture(worn).setExtras({ dimetraMaps: { height: 'x' }, studio: 7 });
    await finishDocument(document, testContext());
    expect(document.getRoot().listTextures()).toEqual([worn]);
    expect([...(worn.getImage() ?? [])]).toEqual([1, 2, 3]);
    expect(document.getRoot().listMaterials()[0].getExtras()).toEqual({ studio: 7 });
  });
  it('gives images file names that differ, in any alphabet, on disks that don\'t tell large letters from small', async () => {
    const document = new Document();
    for (const [uri, mime] of [['x/Coat.png', 'image/png'], ['y/coat.png', 'image/png'], ['coat.jpg', 'image/jpeg'], ['../../etc/passwd', 'image/png'], ['外套.png', 'image/png'], ['', 'image/webp']] as const) document.createMaterial().setBaseColorTexture(texture(document, uri, mime));
    await finishDocument(document, testContext());
    const names = document.getRoot().listTextures().map((entry) => entry.getURI());
    expect(new Set(names.map((name) => name.toLowerCase())).size).toBe(names.length);
    for (const name of names) expect(name).toMatch(/^textures\/[\w.-]+\.(png|jpg|webp)$/);
    expect(names.slice(0, 3)).toEqual(['textures/Coat.png', 'textures/coat_2.png', 'textures/coat.jpg']);
  });
  it('takes no camera, no lamp, no note of ours along, and says who wrote it', async () => {
    const document = stickFigure();
    document.createNode('eye').setCamera(document.createCamera());
    document.createNode('lamp').setExtension('KHR_lights_punctual', document.createExtension(KHRLightsPunctual).createLight());
    updateDossier(document, { jointRoles: { hips: 'hips' } });
    document.createAccessor('left over').setArray(new Float32Array(3));
    await finishDocument(document, testContext());
    const root = document.getRoot();
    expect([root.listCameras().length, root.listExtensionsUsed().length, root.getAsset().generator, readDossier(document)]).toEqual([0, 0, 'Dimetra', { version: 1 }]);
    expect(root.listAccessors().some((accessor) => accessor.getName() === 'left over')).toBe(false);
  });
  it('stores morphs sparsely where few vertices move, and never an empty one', async () => {
    const document = new Document(), prim = document.createPrimitive(), put = (count: number) => { const array = new Float32Array(90); for (let i = 0; i < count; i++) array[i * 3] = 1; const accessor = document.createAccessor().setType('VEC3').setArray(array); prim.addTarget(document.createPrimitiveTarget().setAttribute('POSITION', accessor)); return accessor; };
    const [none, few, many] = [0, 5, 20].map(put);
    document.createNode().setMesh(document.createMesh().addPrimitive(prim));
    await finishDocument(document, testContext());
    expect([none, few, many].map((accessor) => accessor.getSparse())).toEqual([false, true, false]);
  });
  it('stops between two images when asked', async () => {
    const document = new Document(), stop = new AbortController();
    for (let i = 0; i < 3; i++) document.createMaterial().setBaseColorTexture(texture(document, `${i}.png`));
    const context = { ...testContext(), signal: stop.signal, progress: () => stop.abort() };
    await expect(finishDocument(document, context)).rejects.toThrow();
  });
});

describe('file names of characters', () => {
  it.each([['Harbour pilot', 'harbour-pilot'], ['  Ærø  ', 'r'], ['Łukasz/../x', 'ukasz-x'], ['Émile №2', 'emile-no2'], ['水先人', 'character'], ['', 'character'], ['CON.', 'con']])('%s is %s', (name, wanted) => { expect(fileNameOf(name)).toBe(wanted); });
});

describe('a sealed package', () => {
  it('lists every file with its size and hash, and the archive holds just those', () => {
    const { hash } = testContext(), files = [{ path: 'a.glb', bytes: Uint8Array.of(1, 2) }, { path: 'textures/b.png', bytes: Uint8Array.of(3) }];
    const { manifest, files: all } = sealPackage(files, { schema: 1, character: 'A', target: 't', created: '2026-01-01', origin: null }, hash);
    expect(manifest.files).toEqual(files.map(({ path, bytes }) => ({ path, bytes: bytes.length, sha256: hash(bytes) })));
    const opened = openArchive(writeArchive(all), 'a.zip');
    expect(opened.map((file) => file.path).sort()).toEqual(['a.glb', 'manifest.json', 'textures/b.png']);
    expect(opened.find((file) => file.path === 'textures/b.png')?.bytes).toEqual(files[1].bytes);
    expect(JSON.parse(new TextDecoder().decode(all.find((file) => file.path === 'manifest.json')?.bytes))).toEqual(manifest);
    expect(writeArchive(sealPackage(files, { schema: 1, character: 'A', target: 't', created: '2026-01-01', origin: null }, hash).files)).toEqual(writeArchive(all));
  });
});

describe('the report page', () => {
  const report = async (name: string): Promise<Report> => {
    const source = stickFigure(), result = copyDocument(source), summary = summarise(source, name), parity = await compareCharacters(source, result, { samples: 200 });
    return { schema: 1, target: { ...target, title: `${name} target` }, source: summary, result: summary, steps: [{ id: 'x', title: name, cached: false, seconds: 0, measures: [{ name: 'triangles', unit: '', source: 12345, result: 678.25 }], findings: [{ code: 'a', severity: 'warning', message: `<b>${name}</b>`, where: 'x' }] }], checks: checkCharacter({ document: source, summary, target, parity }), parity };
  };
  it('writes hostile names as text, and asks nothing of the world', async () => {
    const html = reportHtml(await report('<script>alert("x")</script> & \'co\''));
    expect(html).not.toMatch(/<script|src=|href=|url\(|@import|https?:/);
    expect(html).toContain('&lt;script&gt;alert(&quot;x&quot;)&lt;/script&gt; &amp; &#39;co&#39;');
    expect(html).not.toContain('<b>&lt;');
  });
  it('has a row for every rule, pose and morph, and every step\'s measures', async () => {
    const given = await report('Pilot'), html = reportHtml(given);
    for (const check of given.checks) expect(html).toContain(`<td>${check.title.replace(/'/g, '&#39;')}</td>`);
    for (const pose of given.parity.shape.poses) expect(html).toContain(`Pose: ${pose.name}`);
    expect(html).toContain('Morph: lift');
    expect(html).toMatch(/12,345.*678\.25/);
    expect(html).toMatch(/Nothing is gone/);
  });
  it('says of each rule whether it holds, is noted or blocks', async () => {
    const given = await report('Pilot');
    given.checks = [true, false, false].map((ok, i) => ({ ...given.checks[0], title: `Rule ${i}`, ok, blocking: i === 1 }));
    const html = reportHtml(given);
    expect([...html.matchAll(/<td>Rule (\d)<\/td>.*?>(holds|noted|blocks)</g)].map((match) => match.slice(1))).toEqual([['0', 'holds'], ['1', 'blocks'], ['2', 'noted']]);
    expect(html).toContain('1 of 3 rules hold.');
  });
});
