import { describe, expect, it } from 'vitest';
import { decidedOf, toggled } from './decided.ts';

describe('what is decided of a morph', () => {
  it('is said in the order in which it is done', () => {
    const said = decidedOf({
      mirror: { names: ['frown'], from: 'right', flip: ['blink_l'] },
      split: { names: ['smile'], join: ['wink'] },
      fold: { fold: { age: -0.5, jaw: 0 }, mixes: [{ name: 'mood', weights: { smile: 1 } }] },
      drop: { names: ['age'], keep: ['frown'] },
      carry: { names: ['age'] },
    });
    expect(Object.fromEntries(said)).toEqual({
      frown: ['right onto left', 'kept'],
      blink_l: ['makes blink_r'],
      smile: ['split', 'in mood'],
      wink: ['joined'],
      age: ['carried', 'folded −0.5', 'dropped'],
    });
  });
  it('says nothing of the shape at rest beside a morph', () => {
    expect(decidedOf({ mirror: { names: 'base' }, split: {}, fold: {}, drop: {}, carry: {} }).size).toBe(0);
  });
});
it('puts names into a list, and takes them out where all are in it', () => {
  expect(toggled(undefined, ['a', 'b'])).toEqual(['a', 'b']);
  expect(toggled(['a'], ['a', 'b'])).toEqual(['a', 'b']);
  expect(toggled(['a', 'b', 'c'], ['a', 'b'])).toEqual(['c']);
  expect(toggled(['a'], ['a'])).toBeUndefined();
});
