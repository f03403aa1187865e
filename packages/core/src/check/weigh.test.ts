import { describe, expect, it } from 'vitest';
import { parseTarget, SHIPPED_TARGETS } from '../targets/index.ts';
import type { Check } from './judgement.ts';
import { verdictOf } from './verdict.ts';
import { weighed } from './weigh.ts';

const broken = (rule: string, blocking: boolean): Check => ({
  rule,
  title: rule,
  ok: false,
  blocking,
  measured: 2,
  limit: 1,
  unit: '',
  message: '',
  station: 'check',
});
const target = (rules: object) => parseTarget({ ...SHIPPED_TARGETS[0], rules });

describe('rules weigh what a target says', () => {
  it('what it only notes stops nothing, what it blocks on does; the others weigh as ever', () => {
    const checks = [broken('triangles.max', true), broken('parity.pose', false), broken('mesh.slivers', true)],
      said = weighed(checks, target({ 'triangles.max': 'notes', 'parity.pose': 'blocks' }));
    expect(said.map(({ rule, blocking }) => [rule, blocking])).toEqual([
      ['triangles.max', false],
      ['parity.pose', true],
      ['mesh.slivers', true],
    ]);
    expect(verdictOf(weighed(checks.slice(0, 1), target({ 'triangles.max': 'notes' }))).state).toBe('noted');
    expect(weighed(checks, target({}))).toEqual(checks);
  });
  it.each([
    ['a weight that isn’t one', { 'triangles.max': 'maybe' }],
    ['what is no rule’s id', { 'All of them!': 'notes' }],
    ['a package that nobody can open', { 'delivered.opens': 'notes' }],
  ])('%s is refused', (_, rules) => {
    expect(() => target(rules)).toThrow(/rules/);
  });
});
