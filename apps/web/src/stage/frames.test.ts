import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { poseSkeleton, RANGE_OF_MOTION } from '@dimetra/core';
import { stickFigure } from '../../../../packages/core/src/testing/stick-figure.ts';
import { buildFigure } from '../figure/build.ts';
import { paint } from './painting.ts';
import { Posing } from './posing.ts';
import { SkeletonOverlay } from './skeleton-overlay.ts';
import { AS_IT_STANDS, type StageState } from './state.ts';

const figure = buildFigure({ document: stickFigure(), imageOf: new Map() } as never, () => {}, 'as meant');
const state = (change: Partial<StageState> = {}): StageState => ({
  ...AS_IT_STANDS,
  look: 'weights',
  skeleton: true,
  joint: { source: 'head', result: 'head' },
  ...change,
});
const both = { source: figure, result: null };

describe('from frame to frame', () => {
  it('bones and joints are moved, not made again, and stand where the pose puts them', () => {
    const overlay = new SkeletonOverlay('source'),
      posing = new Posing(both),
      points = () => overlay.group.children.map((thing) => (thing as THREE.Points).geometry.getAttribute('position'));
    posing.pose(figure, 'source', state(), false);
    overlay.show(figure, state());
    const before = points(),
      [, dots] = before,
      raised = RANGE_OF_MOTION.find((pose) => pose.name === 'arms raised');
    const hand = figure.skeleton.joints.findIndex((joint) => joint.getName() === 'leftHand'),
      low = dots.getY(hand);
    posing.pose(figure, 'source', state({ pose: 'arms raised' }), false);
    overlay.show(figure, state({ pose: 'arms raised' }));
    points().forEach((position, i) => expect(position).toBe(before[i]));
    const wanted = poseSkeleton(figure.skeleton, figure.roles, raised as (typeof RANGE_OF_MOTION)[number]);
    expect(dots.getY(hand)).toBeCloseTo(wanted[hand * 16 + 13], 5);
    expect(dots.getY(hand)).toBeGreaterThan(low + 0.3);
    overlay.show(figure, state({ skeleton: false }));
    expect(overlay.group.visible).toBe(false);
    overlay.dispose();
  });
  it('colours are painted again only where what they show has changed, into the same buffer', () => {
    const [item] = figure.parts,
      colors = () => item.mesh.geometry.getAttribute('color') as THREE.BufferAttribute,
      now = state();
    paint(item, 'source', now, both);
    const first = colors(),
      drawn = Array.from(first.array),
      { version } = first;
    paint(item, 'source', { ...now, time: 1, pose: 'squat' }, both);
    expect([colors() === first, first.version]).toEqual([true, version]);
    paint(item, 'source', { ...now, joint: { source: 'leftFoot', result: null } }, both);
    expect([colors() === first, first.version]).toEqual([true, version + 1]);
    expect(Array.from(first.array)).not.toEqual(drawn);
    paint(item, 'source', now, both);
    expect(Array.from(first.array)).toEqual(drawn);
  });
});
