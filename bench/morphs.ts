import { type Document } from '@gltf-transform/core';
import { copyDocument, listMorphNames, listParts, SHIPPED_TARGETS, stepById } from '@dimetra/core';
import * as v from 'valibot';
import { median, timed } from './timing.ts';

/** Folding every morph of a figure into its shape at rest, alone and with the joints that go along; told in milliseconds. */
export async function benchMorphs(
  say: (name: string, value: string, wanted: string) => void,
  document: Document,
  context: Parameters<NonNullable<ReturnType<typeof stepById>>['run']>[3],
): Promise<void> {
  const step = stepById('morphs.fold');
  if (!step) throw new Error('benchMorphs: expected the step morphs.fold');
  const names = listMorphNames(document),
    triangles = listParts(document).reduce((sum, part) => sum + part.triangles, 0),
    fold = Object.fromEntries(names.map((name, i) => [name, ((i * 7) % 11) / 11 - 0.45]));
  for (const joints of [false, true]) {
    const settings = v.parse(step.settings, { fold, joints }),
      times: number[] = [];
    for (let i = 0; i < 5; i++) {
      const copy = copyDocument(document);
      times.push((await timed(() => step.run(copy, settings as never, SHIPPED_TARGETS[0], context)))[1]);
    }
    say(
      `fold ${names.length} morphs, ${Math.round(triangles / 1000)}k triangles${joints ? ', joints along' : ''}`,
      `${Math.round(median(times))} ms`,
      joints ? '–' : '< 500 ms',
    );
  }
}
