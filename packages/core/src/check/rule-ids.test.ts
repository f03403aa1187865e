import { readdirSync, readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { expect, it } from 'vitest';
import { RULE_IDS, unknownRules } from '../targets/index.ts';

/** Ids as the code of the rules writes them. */
function writtenIds(): string[] {
  const here = fileURLToPath(new URL('.', import.meta.url)),
    sources = readdirSync(here, { recursive: true, encoding: 'utf8' })
      .filter((path) => path.endsWith('.ts') && !path.endsWith('.test.ts'))
      .map((path) => readFileSync(here + path, 'utf8'))
      .concat(['judge', 'delivered-files'].map((file) => readFileSync(`${here}../deliver/${file}.ts`, 'utf8')));
  const rooms = [...new Set(RULE_IDS.map((id) => id.split('.')[0]))].join('|');
  return [
    ...new Set(
      sources.flatMap((text) => [
        ...[...text.matchAll(new RegExp(`'((?:${rooms})\\.[a-z-]+)'`, 'g'))].map(([, id]) => id),
        ...[...text.matchAll(/rule: '([a-z]+\.[a-z-]+)'/g)].map(([, id]) => id),
        ...(text.includes('delivered.compressed-$')
          ? [...text.matchAll(/rule\(\s+'([a-z]+)',/g)].map(([, name]) => `delivered.compressed-${name}`)
          : []),
      ]),
    ),
  ];
}

it('every rule there is can be weighed by its id, and no other', () => {
  expect(writtenIds().sort()).toEqual([...RULE_IDS].sort());
  expect(unknownRules({ 'triangles.max': 'notes', 'triangles.most': 'notes' })).toEqual(['triangles.most']);
});
