import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { writeGlb } from '@dimetra/core';
import { stickFigure } from '../../../../packages/core/src/testing/stick-figure.ts';

/** Two people of one name in folders of their own below `crew`. */
export async function writeCrew(folder: string): Promise<void> {
  for (const [place, rings] of [
    ['crew/mate', 12],
    ['crew/cook', 14],
  ] as const) {
    mkdirSync(join(folder, place), { recursive: true });
    writeFileSync(join(folder, place, 'sailor.glb'), await writeGlb(stickFigure({ rings, sides: 10 })));
  }
}
