import { parseTarget, SHIPPED_TARGETS } from '@dimetra/core';
import { expect, it } from 'vitest';
import { differsFrom } from './differs-from.ts';

it('says what the target a copy was made of has otherwise, field by field', () => {
  const [own] = SHIPPED_TARGETS,
    other = parseTarget({
      ...own,
      triangles: { max: 12_345 },
      restPose: 'arms-out',
      textures: { ...own.textures, asSeen: true, formats: ['image/webp', 'image/png'] },
      package: { ...own.package, levels: [{ triangles: 300, fromM: 4 }] },
    }),
    says = (field: string) => differsFrom(own, other, field);
  expect(says('triangles.max')).toBe('12,345');
  expect(says('restPose')).toBe('“arms-out”');
  expect(says('textures.asSeen')).toBe('asked for');
  expect(says('textures.formats')).toBe('image/webp, image/png');
  expect(says('package.levels')).toBe('something else');
  expect(says('influences.max')).toBeUndefined();
  expect(differsFrom(other, own, 'package.levels')).toBe('nothing asked');
  expect(says('no.such.field')).toBeUndefined();
});
