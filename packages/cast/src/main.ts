import { mkdir, rename, rm, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import {
  type InputFile,
  SAMPLE_MOTIONS,
  sampleFrames,
  sampleMotions,
  writeBvh,
  writeGlb,
  writeObj,
} from '@dimetra/core';
import { encodePixels, sharpCodec } from '@dimetra/platform';
import { makeArrival, makePerson, PEOPLE, type PersonId } from './index.ts';

const USAGE = `make-cast PERSON OUT [small] [arrival | mesh]
make-cast motions FOLDER

Writes one made-up person: OUT is a .glb file, clean, or with “arrival” a folder with the files as they arrive;
what is right is written beside it as OUT.truth.json. “mesh” writes a folder with the mesh alone, as OBJ with its
colour maps: no skeleton. “motions” writes the sample motions of
a third skeleton, each as BVH and all as one .glb. PERSON is ${PEOPLE.map((entry) => entry.id).join(', ')}.
`;
const [person, out, ...words] = process.argv.slice(2);
if (person === 'motions' && out) {
  await writeMotions(out);
  process.exit(0);
}
if (!out || !PEOPLE.some((entry) => entry.id === person)) {
  process.stderr.write(USAGE);
  process.exit(2);
}
const started = performance.now();
const progress = (message: string) =>
  process.stderr.write(`  ${((performance.now() - started) / 1000).toFixed(1).padStart(5)} s  ${message}\n`);
const options = {
  size: words.includes('small') ? ('small' as const) : ('full' as const),
  encode: encodePixels,
  decode: sharpCodec.decode,
  progress,
};
await mkdir(dirname(out), { recursive: true });
// What is half written must not be taken for finished.
if (words.includes('arrival')) {
  const { files, truth } = await makeArrival(person as PersonId, options);
  await writeFile(`${out}.truth.json`, JSON.stringify(truth, null, 1));
  await writeFolder(files);
} else if (words.includes('mesh'))
  await writeFolder(
    writeObj(await makePerson(person as PersonId, options), `${person}-mesh`, {
      // Lashes, brows and strands are cut out by their map.
      materialLines: (material) => {
        const map = material.getAlphaMode() === 'OPAQUE' ? null : material.getBaseColorTexture();
        return map ? [`map_d ${map.getURI()}`] : [];
      },
    }),
  );
else {
  await writeFile(`${out}.part`, await writeGlb(await makePerson(person as PersonId, options)));
  await rename(`${out}.part`, out);
}

async function writeFolder(files: readonly InputFile[]): Promise<void> {
  const part = `${out}.part`;
  await rm(part, { recursive: true, force: true });
  for (const file of files) {
    await mkdir(dirname(join(part, file.path)), { recursive: true });
    await writeFile(join(part, file.path), file.bytes);
  }
  await rm(out, { recursive: true, force: true });
  await rename(part, out);
}

async function writeMotions(folder: string): Promise<void> {
  await mkdir(folder, { recursive: true });
  for (const name of SAMPLE_MOTIONS) {
    const { document, frames, frameSeconds } = sampleFrames(name);
    await writeFile(
      join(folder, `${name.toLowerCase().replace(/ /g, '-')}.bvh`),
      writeBvh(document, { frames, frameSeconds }),
    );
  }
  await writeFile(join(folder, 'motions.glb'), await writeGlb(sampleMotions()));
}
