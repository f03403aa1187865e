import {
  convert,
  defaultRecipe,
  floatsOf,
  gatherAttributes,
  listParts,
  planTextures,
  readCharacter,
  SIMPLIFY_DEFAULTS,
  type StepContext,
  type Target,
  trianglesOf,
  writeGlb,
} from '@dimetra/core';
import { look } from '@dimetra/eyes';
import { startAside } from '@dimetra/platform';
import type { Document, PlatformIO } from '@gltf-transform/core';
import { MeshoptSimplifier } from 'meshoptimizer';
import sharp from 'sharp';
import { bareMeasuring } from './measuring.ts';
import { median, timed } from './timing.ts';

interface Given {
  bytes: Uint8Array;
  document: Document;
  target: Target;
  context: StepContext;
  bare(): PlatformIO;
  clear(): void;
  say(name: string, value: string, wanted: string): void;
}

/** What no conversion can do without. */
const PARTS = ['read', 'meshoptimizer', 'images', 'write'] as const;
/** The first of them warms both ways up and doesn't count. */
const ROUNDS = 5;

/**
 * The whole way from a file's bytes to the files of its package, in turn with what no conversion can do without, each by
 * the cheapest way known: bare reading, the same reduction, images decoded and encoded only where the target wants
 * another size or format of them, our own writer.
 */
export async function benchWhole({ bytes, document, target, context, bare, clear, say }: Given): Promise<void> {
  const whole = async () => {
    const start = performance.now(),
      { document: read } = await readCharacter([{ path: 'a.glb', bytes }]);
    const { steps, measuringSeconds, made } = await convert({
      name: 'Bench',
      source: { document: async () => read },
      target,
      recipe: defaultRecipe(),
      created: '2026-01-01',
      context,
      eyes: look,
      aside: startAside,
    });
    return {
      steps,
      made,
      measuring: measuringSeconds * 1000,
      without: performance.now() - start - measuringSeconds * 1000,
    };
  };
  const parts = bareParts(bytes, document, target, bare),
    rounds: (Awaited<ReturnType<typeof whole>> & { needed: number[] })[] = [];
  for (let i = 0; i < ROUNDS; i++) {
    clear();
    const needed = await parts();
    clear();
    rounds.push({ needed, ...(await whole()) });
  }
  rounds.shift();
  const needed = PARTS.map((_, part) => median(rounds.map((round) => round.needed[part]))),
    unavoidable = needed.reduce((sum, ms) => sum + ms, 0);
  const without = median(rounds.map((round) => round.without)),
    measuring = median(rounds.map((round) => round.measuring));
  const stepsAlone = median(rounds.map((round) => round.steps.reduce((sum, step) => sum + step.seconds * 1000, 0)));
  const model = rounds[0].made?.find((entry) => entry.path.endsWith('.glb'));
  const [, bareMeasured] = await timed(
    bareMeasuring(document, (await readCharacter([model as { path: string; bytes: Uint8Array }])).document),
  );
  process.stdout.write(`\n${target.title}\n`);
  process.stdout.write(
    `  bare ${PARTS.map((part, i) => `${part} ${needed[i].toFixed(0)}`).join(', ')} ms; conversion ${without.toFixed(0)} ms, of it ${rounds[0].steps.map((step, i) => `${step.id} ${(median(rounds.map((round) => round.steps[i].seconds)) * 1000).toFixed(0)}`).join(', ')}; measuring ${measuring.toFixed(0)} ms, by three-mesh-bvh ${bareMeasured.toFixed(0)} ms\n`,
  );
  say(
    'Whole conversion ÷ (bare read + meshoptimizer + images + write)',
    ((without + measuring) / unavoidable).toFixed(2),
    '≤ 1.5',
  );
  say('  without measuring', (without / unavoidable).toFixed(2), '≤ 1.5');
  say('  steps alone', (stepsAlone / unavoidable).toFixed(2), '≤ 1.5');
  say('Measuring, all of it ÷ rest and poses by three-mesh-bvh', (measuring / bareMeasured).toFixed(2), '');
  say('Whole conversion ÷ all of these parts', ((without + measuring) / (unavoidable + bareMeasured)).toFixed(2), '');
  say('  seconds', ((without + measuring) / 1000).toFixed(1), '');
}

/** Bare reading; the same triangles to the same number with the attributes that have to be kept; the same images; bare writing. Milliseconds of each. */
function bareParts(
  bytes: Uint8Array,
  document: Document,
  target: Target,
  bare: () => PlatformIO,
): () => Promise<number[]> {
  const all = listParts(document),
    triangles = all.reduce((sum, part) => sum + part.triangles, 0);
  // Normals, UVs, joint weights, patterns of the morphs; to gather them counts on our side alone.
  const gathered = all.flatMap((part) => {
    const position = part.prim.getAttribute('POSITION');
    return position
      ? [
          {
            part,
            positions: floatsOf(position),
            indices: Uint32Array.from(trianglesOf(part.prim)),
            ...gatherAttributes(part.prim, floatsOf(position), part.vertices, SIMPLIFY_DEFAULTS),
          },
        ]
      : [];
  });
  const simplify = async () => {
    for (const { part, positions, indices, values, weights } of gathered)
      MeshoptSimplifier.simplifyWithAttributes(
        indices,
        positions,
        3,
        values,
        weights.length,
        weights,
        null,
        Math.floor((part.triangles * target.triangles.max) / triangles) * 3,
        1,
      );
  };
  const plans = planTextures(document, {
    ...target.textures,
    maxMemory: target.textures.maxMemoryMB === undefined ? undefined : target.textures.maxMemoryMB * 1048576,
  }).filter(({ from, to }) => from.width !== to.width || from.height !== to.height || from.mimeType !== to.mimeType);
  const images = async () => {
    for (const { texture, to } of plans) {
      const { width, height, mimeType } = to,
        small = sharp(texture.getImage() as Uint8Array).resize({ width, height, fit: 'fill' });
      await small.toFormat(mimeType === 'image/jpeg' ? 'jpeg' : mimeType === 'image/webp' ? 'webp' : 'png').toBuffer();
    }
  };
  return async () => {
    const io = bare(),
      [read, reading] = await timed(() => io.readBinary(bytes));
    return [reading, (await timed(simplify))[1], (await timed(images))[1], (await timed(() => writeGlb(read)))[1]];
  };
}
