import { validateBytes } from 'gltf-validator';
import { beforeAll, describe, expect, it } from 'vitest';
import type { Document } from '@gltf-transform/core';
import { floatsOf, jointRoles, listMorphNames, listParts, REQUIRED_ROLES, skeletonOf, summarise, weightSumError, writeGlb } from '@dimetra/core';
import { encodePixels, sha256 } from '@dimetra/platform';
import { makePerson } from './index.ts';
import { GARMENTS, garmentNet } from './body/wardrobe.ts';
import { tesselJoints } from './body/joints.ts';

let pilot: Document, bytes: Uint8Array;
beforeAll(async () => { pilot = await makePerson('harbour-pilot', { size: 'small', encode: encodePixels }); bytes = await writeGlb(pilot); }, 300_000);

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
    expect(new Set(summary.parts.map((part) => part.role))).toEqual(new Set(['head', 'body', 'eyes', 'cornea', 'tears', 'lashes', 'brows', 'teeth', 'tongue', 'scalp', 'hair', 'nails', 'garment', 'footwear', 'hands']));
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
    for (const [name, at] of joints) { const other = joints.get(name.replace(/_l(?=_|$)/, '_r')); if (/_l(_|$)/.test(name)) expect(other).toEqual([-at[0], at[1], at[2]]); }
  });
  it('has closed garments: every edge of a polygonised surface has two faces, or four where two sheets touch', () => {
    for (const name of GARMENTS) {
      const net = garmentNet(name, 1.6);
      const edges = new Map<string, number>();
      for (let q = 0; q < net.quads.length; q += 4) for (let k = 0; k < 4; k++) { const a = net.quads[q + k], b = net.quads[q + ((k + 1) % 4)], key = `${Math.min(a, b)}/${Math.max(a, b)}`; edges.set(key, (edges.get(key) ?? 0) + 1); }
      expect([...edges.values()].filter((n) => n % 2 === 1).length, name).toBe(0);
    }
  });
  it('moves with each morph only what the morph says', () => {
    expect(listMorphNames(pilot).length).toBeGreaterThanOrEqual(60);
    const head = listParts(pilot).find((part) => part.role === 'head');
    const positions = floatsOf(head?.prim.getAttribute('POSITION') as never);
    const delta = (name: string) => floatsOf(head?.prim.listTargets()[head.morphNames.indexOf(name)].getAttribute('POSITION') as never);
    const [blink, left, right] = ['blink', 'blink_l', 'blink_r'].map(delta);
    let moved = 0;
    for (let i = 0; i < blink.length; i += 3) {
      for (let k = 0; k < 3; k++) expect(left[i + k] + right[i + k]).toBeCloseTo(blink[i + k], 5);
      if (Math.hypot(blink[i], blink[i + 1], blink[i + 2]) > 1e-4) { moved++; expect(positions[i + 1]).toBeGreaterThan(1.62); }
    }
    expect(moved).toBeGreaterThan(20);
  });
  it('is the same to the last byte when made again', async () => { expect(sha256(await writeGlb(await makePerson('harbour-pilot', { size: 'small', encode: encodePixels })))).toBe(sha256(bytes)); }, 300_000);
});
