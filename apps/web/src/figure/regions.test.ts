import { describe, expect, it } from 'vitest';
import { facesOf, type Region } from './regions.ts';

const region = (parts: Region['parts']): Region => ({
  group: 'Head',
  from: 'Teeth',
  to: 'Skin_Head',
  triangles: parts.reduce((sum, part) => sum + part.faces.length, 0),
  parts,
});

describe('facesOf', () => {
  it('gathers the faces of several regions by part', () => {
    expect([
      ...facesOf([
        region([
          { id: 'Head', faces: [1, 2] },
          { id: 'Neck', faces: [0] },
        ]),
        region([{ id: 'Head', faces: [9] }]),
      ]),
    ]).toEqual([
      ['Head', [1, 2, 9]],
      ['Neck', [0]],
    ]);
    expect(facesOf([]).size).toBe(0);
  });
  it('changes none of the regions it was given', () => {
    const first = region([{ id: 'Head', faces: [1] }]);
    facesOf([first, region([{ id: 'Head', faces: [2] }])]);
    expect(first.parts[0].faces).toEqual([1]);
  });
});
