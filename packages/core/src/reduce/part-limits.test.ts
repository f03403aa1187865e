import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { expect, it } from 'vitest';
import { copyDocument, listParts } from '../character/index.ts';
import { checkCharacter } from '../check/index.ts';
import { summarise } from '../inspect/index.ts';
import { parseTarget, SHIPPED_TARGETS, type Target } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { dressed } from '../testing/dressed.ts';
import { reduceStep } from './index.ts';

const given = dressed(),
  whole = listParts(given).reduce((sum, part) => sum + part.triangles, 0),
  targetWith = (triangles: Target['triangles']) => parseTarget({ ...SHIPPED_TARGETS[0], triangles });

async function reduced(target: Target) {
  const document = copyDocument(given);
  await reduceStep.run(document, v.parse(reduceStep.settings, {}), target, testContext());
  const rule = checkCharacter({ document, summary: summarise(document, 'Stoker', { seen: false }), target }).find(
    (check) => check.rule === 'triangles.parts',
  );
  return { of: trianglesByRole(document), rule };
}
function trianglesByRole(document: Document): Record<string, number> {
  const out: Record<string, number> = {};
  for (const { role, triangles } of listParts(document)) out[role] = (out[role] ?? 0) + triangles;
  return out;
}

it('a kind of part keeps to its limit, and the others get what that frees', async () => {
  const plain = await reduced(targetWith({ max: Math.round(whole / 2) })),
    limited = await reduced(targetWith({ max: Math.round(whole / 2), parts: { garment: Math.round(whole / 8) } }));
  expect(plain.rule).toBeUndefined();
  expect(plain.of.garment).toBeGreaterThan(whole / 8);
  expect(limited.of.garment).toBeLessThanOrEqual(whole / 8);
  expect(limited.of.garment).toBeGreaterThan(whole / 10);
  expect(limited.of.body).toBeGreaterThan(plain.of.body);
  expect(limited.rule).toMatchObject({ ok: true, limit: Math.round(whole / 8), measured: limited.of.garment });
});

it('is reduced for its kind alone where the whole has few enough, and told where it has too many', async () => {
  const target = targetWith({ max: whole, parts: { garment: 300 } }),
    { of, rule } = await reduced(target);
  expect(of.garment).toBeLessThanOrEqual(300);
  expect(of.body).toBe(trianglesByRole(given).body);
  expect(rule?.ok).toBe(true);
  const asItCame = checkCharacter({ document: given, summary: summarise(given, 'Stoker', { seen: false }), target });
  expect(asItCame.find((check) => check.rule === 'triangles.parts')).toMatchObject({ ok: false, limit: 300 });
  expect(() => targetWith({ max: 10, parts: { coat: 5 } } as never)).toThrow(/triangles\.parts/);
});
