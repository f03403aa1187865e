// Draws the skins of the figure formats that ship, packs them and writes them beside the figures: `npx tsx scripts/make-bodies.ts`.
// To be run when the cast generator's bodies change; `figure-bodies.test.ts` says when that is due.
import { readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { meshopt } from '@gltf-transform/functions';
import { MeshoptEncoder } from 'meshoptimizer';
import { bodyOfSample, createGltfIO } from '@dimetra/core';
import { bodyOfFigure } from '@dimetra/cast';
import { sha256 } from '@dimetra/platform';

const root = join(import.meta.dirname, '..'),
  figures = join(root, 'packages/core/src/targets/figures'),
  bodies = join(root, 'packages/platform/bodies');
await MeshoptEncoder.ready;
for (const name of readdirSync(bodies)) if (name.endsWith('.glb')) rmSync(join(bodies, name));
for (const [id, format] of [
  ['tessel', 'Tessel'],
  ['corvane', 'Corvane'],
] as const) {
  const { body, bytes } = await bodyOfSample(bodyOfFigure(format, 1, true), `${format} figure`, sha256),
    io = await createGltfIO({ 'meshopt.encoder': MeshoptEncoder }),
    document = await io.readBinary(bytes);
  // Places to a fiftieth of a millimetre, texture places to a sixteenth of a texel of 4096.
  await document.transform(
    meshopt({ encoder: MeshoptEncoder, level: 'medium', quantizePosition: 16, quantizeTexcoord: 16, quantizeNormal: 10, quantizeWeight: 16 }),
  );
  const packed = await io.writeBinary(document),
    file = sha256(packed),
    path = join(figures, `${id}.json`),
    before = readFileSync(path, 'utf8').replace(/"body":\{.*\},\n/, '');
  // On a line of its own, before the joints.
  writeFileSync(path, before.replace('"joints":[', `"body":${JSON.stringify({ ...body, file, bytes: packed.length })},\n"joints":[`));
  writeFileSync(join(bodies, `${file}.glb`), packed);
  process.stdout.write(`${id}: ${body.parts.map((part) => `${part.name} ${part.vertices}`).join(', ')}; ${bytes.length} → ${packed.length} bytes\n`);
}
