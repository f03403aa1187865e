import { validateBytes } from 'gltf-validator';
import { beforeAll, describe, expect, it } from 'vitest';
import type { Document } from '@gltf-transform/core';
import {
  floatsOf,
  jointRoles,
  listMorphNames,
  listParts,
  REQUIRED_ROLES,
  skeletonOf,
  summarise,
  weightSumError,
  writeGlb,
} from '@dimetra/core';
import { encodePixels, sha256 } from '@dimetra/platform';
import { buildPerson, SMALL } from './figure.ts';
import { makePerson, personById } from './index.ts';
import { grownPlace } from './parts/stature.ts';
import { GARMENTS, garmentNet } from './body/wardrobe.ts';
import { tesselJoints } from './body/joints.ts';

let pilot: Document, bytes: Uint8Array;
beforeAll(async () => {
  pilot = await makePerson('harbour-pilot', { size: 'small', encode: encodePixels });
  bytes = await writeGlb(pilot);
});

describe('the harbour pilot', () => {
  it('is a valid glTF of a clothed person, rigged and morphed', async () => {
    const { issues } = await validateBytes(bytes);
    expect(issues.numErrors, JSON.stringify(issues.messages.slice(0, 4))).toBe(0);
    const summary = summarise(pilot, 'pilot');
    expect(summary.heightCm).toBeGreaterThan(170);
    expect(summary.heightCm).toBeLessThan(190);
    expect(summary.upAxis + summary.facing).toBe('y+z');
    expect(summary.influencesMax).toBeGreaterThan(4);
    expect(summary.materials.length).toBeGreaterThanOrEqual(12);
    expect(new Set(summary.parts.map((part) => part.role))).toEqual(
      new Set([
        'head',
        'body',
        'eyes',
        'cornea',
        'tears',
        'lashes',
        'brows',
        'teeth',
        'tongue',
        'scalp',
        'hair',
        'nails',
        'garment',
        'footwear',
        'hands',
      ]),
    );
  });
  it('has weights that sum to one and faces that follow the joints', () => {
    for (const part of listParts(pilot)) expect(weightSumError(part.prim), part.name).toBeLessThan(1e-5);
  });
  it('has all required roles, found by their names', () => {
    const roles = jointRoles(pilot).map((found) => found.role);
    for (const role of REQUIRED_ROLES) expect(roles).toContain(role);
    expect(skeletonOf(pilot).joints.length).toBe(tesselJoints().length);
  });
  it('stands symmetrically', () => {
    const joints = new Map(tesselJoints().map((joint) => [joint.name, joint.at]));
    for (const [name, at] of joints) {
      const other = joints.get(name.replace(/_l(?=_|$)/, '_r'));
      if (/_l(_|$)/.test(name)) expect(other).toEqual([-at[0], at[1], at[2]]);
    }
  });
  it('has closed garments: every edge of a polygonised surface has two faces, or four where two sheets touch', () => {
    for (const name of GARMENTS) {
      const net = garmentNet(name, 1.6);
      const edges = new Map<string, number>();
      for (let q = 0; q < net.quads.length; q += 4)
        for (let k = 0; k < 4; k++) {
          const a = net.quads[q + k],
            b = net.quads[q + ((k + 1) % 4)],
            key = `${Math.min(a, b)}/${Math.max(a, b)}`;
          edges.set(key, (edges.get(key) ?? 0) + 1);
        }
      expect([...edges.values()].filter((n) => n % 2 === 1).length, name).toBe(0);
    }
  });
  it('moves with each morph only what the morph says', () => {
    expect(listMorphNames(pilot).length).toBeGreaterThanOrEqual(60);
    const head = listParts(pilot).find((part) => part.role === 'head');
    const positions = floatsOf(head?.prim.getAttribute('POSITION') as never);
    const delta = (name: string) =>
      floatsOf(head?.prim.listTargets()[head.morphNames.indexOf(name)].getAttribute('POSITION') as never);
    const [blink, left, right] = ['blink', 'blink_l', 'blink_r'].map(delta);
    let moved = 0;
    for (let i = 0; i < blink.length; i += 3) {
      for (let k = 0; k < 3; k++) expect(left[i + k] + right[i + k]).toBeCloseTo(blink[i + k], 5);
      if (Math.hypot(blink[i], blink[i + 1], blink[i + 2]) > 1e-4) {
        moved++;
        expect(positions[i + 1]).toBeGreaterThan(1.62);
      }
    }
    expect(moved).toBeGreaterThan(20);
  });
  it('has a morph that moves joints: each stands in the grown figure as it stood in the other', () => {
    const joints = tesselJoints(),
      body = listParts(pilot).find((part) => part.name === 'Body'),
      positions = floatsOf(body?.prim.getAttribute('POSITION') as never),
      delta = floatsOf(
        body?.prim.listTargets()[body.morphNames.indexOf('build_tall')].getAttribute('POSITION') as never,
      );
    for (const name of ['knee_l', 'elbow_r', 'chest_high', 'wrist_l']) {
      const at = joints.find((joint) => joint.name === name)?.at as [number, number, number],
        grown = grownPlace(at, 1.5);
      // The ring of skin around it rises with it.
      let near = 0,
        rise = 0;
      for (let i = 0; i < positions.length; i += 3)
        if (Math.hypot(positions[i] - at[0], positions[i + 1] - at[1], positions[i + 2] - at[2]) < 0.12) {
          near++;
          rise += delta[i + 1];
        }
      expect(near, name).toBeGreaterThan(3);
      expect(grown[1] - at[1], name).toBeCloseTo(rise / near, 2);
    }
    expect(grownPlace([0, 1.6, 0], 1.5)[1]).toBeCloseTo(1.675, 6);
    expect(grownPlace([0, 0.8, 0], 0.75)[1]).toBeCloseTo(0.8375, 6);
  });
  it('darkens what lies in folds: occlusion from the form itself', () => {
    const { parts } = buildPerson(personById('crane-operator'), { coarse: SMALL, progress() {} }),
      suit = parts.find((part) => part.name === 'Overalls'),
      [open] = suit?.extra ?? [];
    const mean = (test: (x: number, y: number, z: number) => boolean) => {
      let sum = 0,
        n = 0;
      for (let v = 0; v < open.length; v++)
        if (test(...([0, 1, 2].map((k) => suit?.surface.positions[v * 3 + k]) as [number, number, number]))) {
          sum += open[v];
          n++;
        }
      return sum / n;
    };
    expect(open.every((value) => value >= 0.25 && value <= 1)).toBe(true);
    expect(
      mean((x, y, z) => Math.abs(x) > 0.16 && Math.abs(x) < 0.21 && y > 1.25 && y < 1.34 && Math.abs(z) < 0.07),
    ).toBeLessThan(mean((x, y, z) => Math.abs(x) < 0.08 && y > 1.1 && y < 1.25 && z > 0.08) - 0.05);
  });
  it('is the same to the last byte when made again', async () => {
    expect(sha256(await writeGlb(await makePerson('harbour-pilot', { size: 'small', encode: encodePixels })))).toBe(
      sha256(bytes),
    );
  });
});
