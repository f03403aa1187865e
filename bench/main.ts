import { execFileSync } from 'node:child_process';
import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';
import { makePerson } from '@dimetra/cast';
import { listParts, readCharacter, SHIPPED_TARGETS, writeGlb } from '@dimetra/core';
import { encodePixels, sha256, sharpCodec } from '@dimetra/platform';
import { WebIO } from '@gltf-transform/core';
import { ALL_EXTENSIONS } from '@gltf-transform/extensions';
import { MeshoptDecoder, MeshoptEncoder, MeshoptSimplifier } from 'meshoptimizer';
import { benchConversions } from './conversions.ts';
import { benchFit } from './fit.ts';
import { benchFigure } from './figure.ts';
import { benchMaps } from './maps.ts';
import { benchMorphs } from './morphs.ts';
import { benchStored } from './stored.ts';
import { median, timed } from './timing.ts';
import { benchWhole } from './whole.ts';

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
await benchFit(document, say);
await benchMaps(say);
const shipped = (id: string) => SHIPPED_TARGETS.find((entry) => entry.id === id) as (typeof SHIPPED_TARGETS)[number],
  target = shipped('bridge-close-up');
const context = { images: sharpCodec, hash: sha256, progress() {}, log() {} };
await benchMorphs(say, document, context);
for (const id of ['bridge-close-up', 'headset-deck', 'quayside-crowd'])
  await benchWhole({ bytes, document, target: shipped(id), context, bare, clear, say });
process.stdout.write('\n');
await benchStored(bytes, say);
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
