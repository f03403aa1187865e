import { compareCharacters, standAsFound } from '@dimetra/core';
import { startAside } from '@dimetra/platform';
import { createContext, openCharacter } from './session.ts';
import { areReports, compareReports } from './compare-reports.ts';
import type { Parsed } from './arguments.ts';
import { UsageError } from './usage.ts';

export async function compareCommand({ positionals, values }: Parsed): Promise<number> {
  if (positionals.length !== 2) throw new UsageError('compare takes two inputs.');
  if (areReports(positionals)) return compareReports(positionals, values.json === true);
  const samples = values.samples === undefined ? undefined : Number(values.samples);
  if (samples !== undefined && !(Number.isInteger(samples) && samples > 0 && samples <= 1_000_000))
    throw new UsageError('--samples takes a whole number from 1 to 1000000.');
  const context = createContext();
  const [a, b] = [await openCharacter(positionals[0]), await openCharacter(positionals[1])];
  // One of the two may lie or be in centimetres: the same person all the same. Heights above the floor are compared as they are.
  for (const { document } of [a, b]) standAsFound(document, { floor: false });
  const parity = await compareCharacters(a.document, b.document, {
    samples,
    images: context.images,
    appearance: { nearestM: 0.5 },
    aside: startAside,
    progress: context.progress,
  });
  if (values.json) {
    process.stdout.write(`${JSON.stringify(parity)}\n`);
    return 0;
  }
  const worst = (rows: typeof parity.shape.poses) =>
    rows.reduce((most, row) => (row.rmsMm > most.rmsMm ? row : most), { name: 'none', rmsMm: 0, p99Mm: 0, maxMm: 0 });
  const show = (title: string, row: { rmsMm: number; p99Mm: number; maxMm: number }) =>
    `${title.padEnd(36)} RMS ${row.rmsMm.toFixed(3)} mm, 99 % ${row.p99Mm.toFixed(2)}, largest ${row.maxMm.toFixed(2)}`;
  const pose = worst(parity.shape.poses),
    morph = worst(parity.shape.morphs);
  process.stdout.write(
    [
      show('at rest', parity.shape.rest),
      ...(parity.shape.covered ? [show('under clothes, at rest', parity.shape.covered)] : []),
      show(`worst of ${parity.shape.morphs.length} morphs (${morph.name})`, morph),
      show(`worst of ${parity.shape.poses.length} poses (${pose.name})`, pose),
      `base colour ΔE ${parity.appearance.baseColorDeltaE.mean} (99 % ${parity.appearance.baseColorDeltaE.p99})`,
      ...(parity.appearance.views ?? []).flatMap(({ view, converted: { deltaE, regions } }) =>
        regions.length
          ? [
              `${view.name.padEnd(36)} ΔE ${deltaE.mean.toFixed(2)}, ${regions[0].from ?? 'nothing'} → ${regions[0].to ?? 'nothing'} on ${regions[0].mm2} mm²`,
            ]
          : [],
      ),
      `gone ${parity.inventory.lost.length}, new ${parity.inventory.added.length}, renamed ${parity.inventory.renamed.length}`,
      '',
    ].join('\n'),
  );
  return 0;
}
