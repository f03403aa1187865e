// Builds the WebAssembly kernels: packages/core/kernels/NAME.ts to packages/core/src/geometry/kernels/NAME.ts. `--check` only compares.
import { mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import asc from 'assemblyscript/asc';

const core = join(dirname(fileURLToPath(import.meta.url)), '..', 'packages', 'core');

/** The module of a kernel as the text of a TypeScript file: no bundler and no disk is needed to load it. */
export async function kernelText(name) {
  const files = { [`${name}.ts`]: readFileSync(join(core, 'kernels', `${name}.ts`), 'utf8') };
  let module = null;
  const { error, stderr } = await asc.main(
    [
      `${name}.ts`,
      '--outFile',
      'module.wasm',
      '-O3',
      '--noAssert',
      '--runtime',
      'stub',
      '--importMemory',
      '--enable',
      'simd',
      '--use',
      'abort=',
    ],
    {
      readFile: (path) => files[path] ?? null,
      writeFile(_, contents) {
        module = contents;
      },
      listFiles: () => [],
    },
  );
  if (error || !module) throw new Error(`${name} does not compile: ${error?.message}\n${stderr}`);
  return [
    `// Made by scripts/kernels.mjs from packages/core/kernels/${name}.ts; a test compares the two.`,
    '// biome-ignore format: one long line',
    `export default '${Buffer.from(module).toString('base64')}';`,
    '',
  ].join('\n');
}

export const kernelNames = () =>
  readdirSync(join(core, 'kernels'))
    .filter((file) => file.endsWith('.ts'))
    .map((file) => file.slice(0, -3));

export const kernelPath = (name) => join(core, 'src', 'geometry', 'kernels', `${name}.ts`);

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  mkdirSync(dirname(kernelPath('')), { recursive: true });
  for (const name of kernelNames()) writeFileSync(kernelPath(name), await kernelText(name));
}
