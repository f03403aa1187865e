import { look } from '@dimetra/eyes';
import {
  convert,
  type FigureWithBody,
  filesMade,
  type ReadResult,
  type Source,
  type StepStore,
  type Target,
  verdictSentence,
} from '@dimetra/core';
import { peakMemory, sha256, shippedBody, startAside, writeOutput } from '@dimetra/platform';
import type { Followed } from './read-recipe.ts';
import { createContext } from './session.ts';

/** Skins of figures: of those that were given, and of those that ship. */
const pieceOf =
  (figures: readonly FigureWithBody[]) =>
  async (hash: string): Promise<Uint8Array | null> =>
    figures.find(({ figure }) => figure.body?.file === hash)?.bytes ?? shippedBody(hash);

/** A character as it was read. */
interface Character {
  name: string;
  source: Source;
  findings?: ReadResult['findings'];
  /** Keeps what steps left for the next target of the same character. */
  store?: StepStore;
}

/** One character for one target, its package written to `out`. */
export async function convertOne(
  { name, source, findings = [], store }: Character,
  target: Target,
  { recipe, decided }: Followed,
  out: string,
  figures: readonly FigureWithBody[],
) {
  const started = performance.now();
  const done = await convert({
    name,
    source,
    target,
    recipe,
    decided,
    created: process.env.SOURCE_DATE ?? new Date().toISOString().slice(0, 10),
    context: { ...createContext(), piece: pieceOf(figures) },
    aside: startAside,
    eyes: look,
    store,
  });
  const files = await filesMade(done, store);
  await writeOutput(out, files);
  const { report } = done;
  const output = {
    schema: 1,
    target: target.id,
    source: report.source,
    result: report.result,
    steps: report.steps,
    verdict: report.verdict,
    checks: report.checks,
    parity: report.parity,
    stated: report.stated,
    findings,
    files: [
      ...done.sealed.files,
      ...files
        .filter((file) => file.path === 'manifest.json')
        .map((file) => ({ path: file.path, bytes: file.bytes.length, sha256: sha256(file.bytes) })),
    ],
    seconds: Math.round((performance.now() - started) / 10) / 100,
    measuringSeconds: Math.round(done.measuringSeconds * 100) / 100,
    peakMemoryBytes: peakMemory(),
  };
  const text = `${name} for ${target.title}: ${report.source.triangles} → ${report.result.triangles} triangles, ${report.source.joints.length} → ${report.result.joints.length} joints, ${report.parity.shape.rest.rmsMm} mm RMS at rest. ${verdictSentence(done.verdict)}\n${report.checks
    .filter((check) => !check.ok)
    .map((check) => `${check.blocking ? 'blocks' : 'noted'}: ${check.message}\n`)
    .join('')}`;
  return { output, text, blocking: done.verdict.state === 'blocks' };
}
