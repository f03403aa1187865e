import { readFile } from 'node:fs/promises';
import { WebIO } from '@gltf-transform/core';
import { ALL_EXTENSIONS } from '@gltf-transform/extensions';
import { convert, createGltfIO, defaultRecipe, floatsOf, listParts, packDocument, readCharacter, SHIPPED_TARGETS, trianglesOf, writeGlb, type StepResult, type StepStore } from '@dimetra/core';
import { encodePixels, sha256, sharpCodec } from '@dimetra/platform';
import { makePilot } from '@dimetra/cast';
import { MeshoptDecoder, MeshoptEncoder, MeshoptSimplifier } from 'meshoptimizer';

/** Ratios measured side by side in one run; the figures stand beside what architecture asks for. */
const say = (name: string, value: string, wanted: string) => process.stdout.write(`${name.padEnd(58)} ${value.padStart(10)}   wanted ${wanted}\n`);
const timed = async <T>(work: () => Promise<T>): Promise<[T, number]> => { const start = performance.now(); const result = await work(); return [result, performance.now() - start]; };
const best = async (work: () => Promise<unknown>, rounds = 3): Promise<number> => { let least = Infinity; for (let i = 0; i < rounds; i++) least = Math.min(least, (await timed(work))[1]); return least; };

const file = process.argv[2];
process.stdout.write(file ? `Reading ${file}\n` : 'Making the harbour pilot …\n');
const bytes = file ? new Uint8Array(await readFile(file)) : await writeGlb(await makePilot({ size: 'full', encode: encodePixels }));
process.stdout.write(`${(bytes.length / 1048576).toFixed(1)} MB\n\n`);

await Promise.all([MeshoptDecoder.ready, MeshoptEncoder.ready, MeshoptSimplifier.ready]);
const bare = () => new WebIO().registerExtensions(ALL_EXTENSIONS).registerDependencies({ 'meshopt.decoder': MeshoptDecoder, 'meshopt.encoder': MeshoptEncoder });
const bareRead = await best(() => bare().readBinary(bytes)), ownRead = await best(() => readCharacter([{ path: 'a.glb', bytes }]));
say('Reading, ours ÷ bare glTF-Transform', (ownRead / bareRead).toFixed(2), '≤ 1.3');
const document = (await readCharacter([{ path: 'a.glb', bytes }])).document;
const bareWrite = await best(async () => bare().writeBinary(await bare().readBinary(bytes))) - bareRead;
const ownWrite = await best(async () => writeGlb(await bare().readBinary(bytes))) - bareRead;
say('Writing, ours ÷ bare glTF-Transform', (ownWrite / bareWrite).toFixed(2), '≤ 1.3');

const target = SHIPPED_TARGETS.find((entry) => entry.id === 'bridge-close-up') as (typeof SHIPPED_TARGETS)[number];
const packed = await packDocument(await createGltfIO(), document, sha256);
const results = new Map<string, StepResult>(), pieces = new Map(packed.pieces);
const store: StepStore = { async get(key) { return results.get(key) ?? null; }, async put(result, more) { results.set(result.key, result); for (const [hash, part] of more) pieces.set(hash, part); }, async piece(hashes) { return new Map(hashes.map((hash) => [hash, pieces.get(hash) as Uint8Array])); } };
const context = { images: sharpCodec, hash: sha256, progress() {}, log() {} };
const run = (recipe = defaultRecipe()) => convert({ name: 'Bench', source: packed.manifest, sourceDocument: document, target, recipe, created: '2026-01-01', context, store });
const [done, first] = await timed(() => run());
const [, simplify] = await timed(async () => { for (const part of listParts(document)) { const accessor = part.prim.getAttribute('POSITION'); if (accessor) MeshoptSimplifier.simplify(Uint32Array.from(trianglesOf(part.prim)), floatsOf(accessor), 3, Math.floor((part.triangles * target.triangles.max) / done.report.source.triangles) * 3, 1); } });
const [, images] = await timed(async () => { for (const texture of document.getRoot().listTextures()) await sharpCodec.decode(texture.getImage() as Uint8Array, 512); });
const steps = done.steps.reduce((sum, step) => sum + step.seconds, 0) * 1000;
say('Steps alone ÷ (bare read + meshoptimizer + images + write)', (steps / (bareRead + simplify + images + bareWrite)).toFixed(2), '≤ 1.5');
say('Whole conversion, seconds (with parity over all morphs)', (first / 1000).toFixed(1), '');
const [, again] = await timed(async () => { const keys = [...results.keys()]; for (const key of keys) await store.get(key); return import('@dimetra/core').then(({ runRecipe }) => runRecipe(packed.manifest, document, target, defaultRecipe(), { context, store })); });
say('Recipe again with nothing changed, % of its first run', ((100 * again) / steps).toFixed(1), '≤ 5');
const decoded = new Set(listParts(document).map((part) => part.prim));
let memory = 0;
for (const prim of decoded) for (const holder of [prim, ...prim.listTargets()]) for (const accessor of holder.listAttributes()) memory += accessor.getArray()?.byteLength ?? 0;
for (const texture of document.getRoot().listTextures()) { const size = texture.getSize(); if (size) memory += size[0] * size[1] * 4; }
say('Peak memory ÷ decoded size', ((process.resourceUsage().maxRSS * 1024) / memory).toFixed(2), '≤ 4');
