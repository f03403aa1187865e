import { describe, expect, it } from 'vitest';
import { jointRoles, planSkeleton, SHIPPED_TARGETS, skeletonOf, skeletonRule, type Target } from '@dimetra/core';
import { stickFigure } from '../../../../packages/core/src/testing/stick-figure.ts';
import { besideSources, depthOf, regionOf, weightShares } from './layout.ts';

describe('besideSources', () => {
  const y = (row: number) => row * 20 + 14;
  it('puts a row beside the one it is tied to, never over another, and loose ones after', () => {
    expect(besideSources([0, 1, 5], y)).toEqual([14, 34, 114]);
    expect(besideSources([3, 1, 2], y)).toEqual([74, 94, 114]);
    expect(besideSources([2, undefined, undefined], y)).toEqual([54, 74, 94]);
    expect(besideSources([], y)).toEqual([]);
  });
});

describe('regions and shares', () => {
  const document = stickFigure({
    extra: { strap: { under: 'chest', at: [0.1, 1.2, 0.1] }, earring: { under: 'head', at: [0.08, 1.6, 0] } },
  });
  const skeleton = skeletonOf(document);
  const plans = planSkeleton(
    document,
    skeletonRule(SHIPPED_TARGETS[0] as Target),
    {},
    skeleton,
    jointRoles(document, skeleton),
  );
  const at = (name: string) => skeleton.joints.findIndex((joint) => joint.getName() === name);
  it('sorts joints by where they hang', () => {
    expect(regionOf(plans, skeleton, at('leftIndexDistal'))).toBe('left hand');
    expect(regionOf(plans, skeleton, at('rightThumbProximal'))).toBe('right hand');
    expect(regionOf(plans, skeleton, at('jaw'))).toBe('face');
    expect(regionOf(plans, skeleton, at('head'))).toBe('body');
    expect(regionOf(plans, skeleton, at('earring'))).toBe('face');
    expect(regionOf(plans, skeleton, at('strap'))).toBe('body');
  });
  it('counts depth from the root', () => {
    expect([depthOf(skeleton, at('hips')), depthOf(skeleton, at('chest'))]).toEqual([0, 2]);
  });
  it('gives the strongest joint one, and no joint more', () => {
    const { share, vertices } = weightShares(document, skeleton);
    expect(Math.max(...share)).toBe(1);
    expect(vertices[at('hips')]).toBeGreaterThan(0);
    expect(vertices[at('strap')]).toBe(0);
  });
});
