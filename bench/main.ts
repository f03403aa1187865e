import { look } from '@dimetra/eyes';
import { execFileSync } from 'node:child_process';
import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';
import { WebIO } from '@gltf-transform/core';
import { ALL_EXTENSIONS } from '@gltf-transform/extensions';
import {
  convert,
  createGltfIO,
  defaultRecipe,
  listParts,
  packDocument,
  readCharacter,
  SHIPPED_TARGETS,
  writeGlb,
  type KeptStep,
  type StepStore,
} from '@dimetra/core';
import { encodePixels, sha256, sharpCodec } from '@dimetra/platform';
import { makePerson } from '@dimetra/cast';
import { benchConversions } from './conversions.ts';
import { median, timed } from './timing.ts';
import { benchFigure } from './figure.ts';
import { benchWhole } from './whole.ts';
import { MeshoptDecoder, MeshoptEncoder, MeshoptSimplifier } from 'meshoptimizer';

/** Ratios measured side by side in one run; the figures stand beside what architecture asks for. */
const say = (name: string, value: string, wanted: string) =>
  process.stdout.write(`${name.padEnd(58)} ${value.padStart(10)}   wanted ${wanted}\n`);
setFlagsFromString('--expose-gc');
/** Garbage of the one way is cleared before the other is timed: hundreds of megabytes would be charged to the wrong side. */
const clear = runInNewContext('gc') as () => void;
/** Times two ways of doing the same in turn, so that whatever else the machine does strikes both. */
async function sideBySide(
  ours: () => Promise<unknown>,
  bare: () => Promise<unknown>,
  rounds = 11,
  prepare: () => Promise<void> = async () => {},
): Promise<{ ours: number; bare: number }> {
  const a: number[] = [],
    b: number[] = [];
  const once = async (work: () => Promise<unknown>, times: number[]) => {
    await prepare();
    clear();
    times.push((await timed(work))[1]);
  };
  // Whoever comes first finds the processor's caches as the last round left them, so they take turns.
  for (let i = 0; i < rounds; i++) {
    await once(i & 1 ? bare : ours, i & 1 ? b : a);
    await once(i & 1 ? ours : bare, i & 1 ? a : b);
  }
  return { ours: median(a), bare: median(b) };
}

const file = process.argv[2];
process.stdout.write(file ? `Reading ${file}\n` : 'Making the harbour pilot …\n');
const bytes = file
  ? new Uint8Array(await readFile(file))
  : await writeGlb(await makePerson('harbour-pilot', { size: 'full', encode: encodePixels }));
process.stdout.write(`${(bytes.length / 1048576).toFixed(1)} MB\n\n`);

await Promise.all([MeshoptDecoder.ready, MeshoptEncoder.ready, MeshoptSimplifier.ready]);
const bare = () =>
  new WebIO()
    .registerExtensions(ALL_EXTENSIONS)
    .registerDependencies({ 'meshopt.decoder': MeshoptDecoder, 'meshopt.encoder': MeshoptEncoder });
const reading = await sideBySide(
  () => readCharacter([{ path: 'a.glb', bytes }]),
  () => bare().readBinary(bytes),
);
say('Reading, ours ÷ bare glTF-Transform', (reading.ours / reading.bare).toFixed(2), '≤ 1.3');
const document = (await readCharacter([{ path: 'a.glb', bytes }])).document;
let fresh = document;
const writing = await sideBySide(
  () => writeGlb(fresh),
  () => bare().writeBinary(fresh),
  9,
  async () => {
    fresh = await bare().readBinary(bytes);
  },
);
say('Writing, ours ÷ bare glTF-Transform', (writing.ours / writing.bare).toFixed(2), '≤ 1.3');

await benchFigure(say, sideBySide);
const target = SHIPPED_TARGETS.find((entry) => entry.id === 'bridge-close-up') as (typeof SHIPPED_TARGETS)[number];
const packed = await packDocument(await createGltfIO(), document, sha256);
const concluded = new Map<string, unknown>(),
  results = new Map<string, KeptStep>(),
  pieces = new Map(packed.pieces);
const store: StepStore = {
  async get(key) {
    return results.get(key) ?? null;
  },
  async put(result, more) {
    results.set(result.key, result);
    for (const [hash, part] of more) pieces.set(hash, part);
  },
  async recall(key) {
    return concluded.get(key);
  },
  async remember(key, value) {
    concluded.set(key, value);
  },
  async piece(hashes) {
    return new Map(hashes.map((hash) => [hash, pieces.get(hash) as Uint8Array]));
  },
};
const context = { images: sharpCodec, hash: sha256, progress() {}, log() {} };
const run = (recipe = defaultRecipe()) =>
  convert({
    name: 'Bench',
    source: { manifest: packed.manifest, document: async () => document },
    target,
    recipe,
    created: '2026-01-01',
    context,
    eyes: look,
    store,
  });
const [, first] = await timed(() => run());
await benchWhole({ bytes, document, target, context, bare, clear, say });
const [, again] = await timed(() => run());
say('Conversion again with nothing changed, % of its first run', ((100 * again) / first).toFixed(1), '≤ 5');
const decoded = new Set(listParts(document).map((part) => part.prim));
let memory = 0;
for (const prim of decoded)
  for (const holder of [prim, ...prim.listTargets()])
    for (const accessor of holder.listAttributes()) memory += accessor.getArray()?.byteLength ?? 0;
for (const texture of document.getRoot().listTextures()) {
  const size = texture.getSize();
  if (size) memory += size[0] * size[1] * 4;
}
// The command line on the same file, in a process of its own, so that this one's copies don't count.
const folder = await mkdtemp(join(tmpdir(), 'dimetra-bench-'));
const input = file ?? join(folder, 'pilot.glb');
if (!file) await writeFile(input, bytes);
const output = execFileSync(
  process.execPath,
  [
    join(import.meta.dirname, 'cli.js'),
    'convert',
    input,
    '--target',
    target.id,
    '--out',
    join(folder, 'out'),
    '--json',
  ],
  { maxBuffer: 1e9, stdio: ['ignore', 'pipe', 'ignore'] },
);
const { peakMemoryBytes } = JSON.parse(output.toString()) as { peakMemoryBytes: number };
await rm(folder, { recursive: true });
process.stdout.write(
  `  decoded ${(memory / 1048576).toFixed(0)} MB, peak ${(peakMemoryBytes / 1048576).toFixed(0)} MB\n`,
);
say('Peak memory ÷ decoded size', (peakMemoryBytes / memory).toFixed(2), '≤ 4');
await benchConversions(document, context);
