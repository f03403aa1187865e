import { mkdir, rename, writeFile } from 'node:fs/promises';
import { dirname } from 'node:path';
import { writeGlb } from '@dimetra/core';
import { encodePixels } from '@dimetra/platform';
import { makePilot } from './index.ts';

/** `make-cast FILE [small]`: writes the harbour pilot as a binary glTF. */
const [file, size] = process.argv.slice(2);
if (!file) { process.stderr.write('make-cast FILE [small]\n'); process.exit(2); }
const started = performance.now();
const document = await makePilot({ size: size === 'small' ? 'small' : 'full', encode: encodePixels, progress: (message) => process.stderr.write(`  ${((performance.now() - started) / 1000).toFixed(1).padStart(5)} s  ${message}\n`) });
const bytes = await writeGlb(document);
await mkdir(dirname(file), { recursive: true });
await writeFile(`${file}.part`, bytes);
await rename(`${file}.part`, file);
