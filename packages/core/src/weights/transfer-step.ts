import type { Document, Skin } from '@gltf-transform/core';
import * as v from 'valibot';
import {
  bindWhereJointsStand,
  createDeformer,
  influencesOf,
  inverseBindsOf,
  listParts,
  skeletonOf,
  type Influences,
  type Part,
  type Skeleton,
  copyDocument,
  bakePlaces,
  writeInfluences,
} from '../character/index.ts';
import { standAsFound, matchFigure, spanOf, jointRoles } from '../rig/index.ts';
import { invertAffine, multiply } from '../geometry/index.ts';
import { type Finding, throwIfAborted } from '../problem.ts';
import { measure } from '../measures.ts';
import { worded } from '../settings.ts';
import { defineStep, otherCharacter } from '../step.ts';
import { transferWeights, type WeightDonor } from './transfer.ts';

/** Where less of a part than this lies on the donor, it is something else that stands about. */
const NEAR_ENOUGH = 0.3;
/** A skin whose joints carry the mesh to different places at rest can't take on other joints, metres. */
const AT_REST = 1e-4;

export const transferStep = defineStep({
  id: 'weights.transfer',
  station: 'weights',
  title: 'Take weights from another surface',
  says: 'What no joint moves takes its weights from the skin it lies on, where both face the same way; what lies elsewhere is filled in smoothly between. Parts named here take new weights too.',
  needs: ['K6', 'H4'],
  settings: v.object({
    /** Another character to take weights from, as the application or the command line names it; the same character where left out. */
    donor: v.optional(v.nullable(v.string()), null),
    /** Parts to take from; none named: the skin, or where there is none all that is bound. */
    from: v.optional(v.array(v.string()), []),
    /** Parts that take; none named: those that no joint moves. */
    to: v.optional(v.array(v.string()), []),
    /** How far apart the surfaces may lie, centimetres. */
    reachCm: worded(v.optional(v.pipe(v.number(), v.minValue(0.1), v.maxValue(50)), 6), {
      title: 'Reach, cm',
      step: 1,
    }),
    /** How far their directions may differ, degrees. */
    angle: v.optional(v.pipe(v.number(), v.minValue(1), v.maxValue(90)), 40),
    influences: v.optional(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(16)), 8),
  }),
  givesWeights: true,
  reads: () => null,
  applies: (document, _target, settings) =>
    Boolean(settings?.to.length) ||
    (receiversOf(document, []).length > 0 && (Boolean(settings?.donor) || document.getRoot().listSkins().length > 0)),
  async run(document, settings, _target, context) {
    const findings: Finding[] = [],
      receivers = receiversOf(document, settings.to),
      measures = { parts: 0, matched: 0, filled: 0, nearest: 0 };
    for (const name of settings.to)
      if (!receivers.some((part) => part.id === name))
        findings.push({
          code: 'weights.no-such-part',
          severity: 'warning',
          message: `There is no part “${name}” to give weights to; it was renamed, joined or left out before.`,
          where: name,
        });
    let donor: Donor | null = await donorFor(document, settings, context, new Set(receivers));
    if (donor && !donor.surface.indices.length) {
      findings.push({
        code: 'weights.no-donor',
        severity: 'warning',
        message: 'Nothing with weights is left to take weights from: choose parts that follow joints.',
        repair: 'weights.transfer',
      });
      donor = null;
    }
    // Named parts come first and unasked; a material that lies far off goes along with the rest of its mesh. Where nothing
    // is bound at all, half a figure would stay behind: everything goes along.
    const bare = !document
        .getRoot()
        .listNodes()
        .some((node) => node.getMesh() && node.getSkin()),
      queue = donor ? receivers.map((part) => ({ part, asked: settings.to.length > 0 || bare })) : [];
    for (const [i, { part, asked }] of queue.entries()) {
      throwIfAborted(context.signal);
      context.progress(i / queue.length, `weights for “${part.name}”`);
      const done = give(document, part.id, donor as Donor, settings, asked);
      if (done === null) {
        if (
          listParts(document)
            .find((entry) => entry.id === part.id)
            ?.node.getSkin()
        )
          queue.push({ part, asked: true });
        else
          findings.push({
            code: 'weights.left-out',
            severity: 'warning',
            message: `“${part.name}” follows no joint, and too little of it lies within ${settings.reachCm} cm of the body: it was left as it is. Name it at the weights station if it is worn.`,
            where: part.name,
            repair: 'weights.transfer',
          });
        continue;
      }
      if (typeof done === 'string') {
        findings.push({
          code: 'weights.not-transferred',
          severity: 'warning',
          message: done,
          where: part.name,
          repair: 'weights.transfer',
        });
        continue;
      }
      measures.parts++;
      measures.matched += done.matched;
      measures.filled += done.filled;
      measures.nearest += done.nearest;
      findings.push({
        code: 'weights.transferred',
        severity: 'info',
        message: `“${part.name}” moves with ${donor?.title}: ${share(done.matched, done)} of its points lay on it, ${share(done.filled, done)} were filled between those${done.nearest ? `, ${share(done.nearest, done)} took the nearest` : ''}.`,
        where: part.name,
        measured: done.matched,
      });
    }
    return {
      measures: [
        measure('parts-given-weights', 0, measures.parts),
        measure('points-matched', 0, measures.matched),
        measure('points-filled', 0, measures.filled + measures.nearest),
      ],
      findings,
    };
  },
});
type Settings = v.InferOutput<typeof transferStep.settings>;
interface Donor {
  surface: WeightDonor;
  title: string /** Joints of the receiving document, by the donor's numbers; −1 where it has none. */;
  skeleton: Skeleton;
}

const share = (
  count: number,
  { matched, filled, nearest }: { matched: number; filled: number; nearest: number },
): string => `${Math.round((100 * count) / Math.max(1, matched + filled + nearest))} %`;

/** Parts by name, or all that neither follow a joint nor hang under one. */
function receiversOf(document: Document, names: readonly string[]): Part[] {
  const parts = listParts(document).filter((part) => part.triangles > 0);
  // All materials of an unbound mesh go together: a mesh follows joints as a whole or not at all.
  if (names.length) {
    const nodes = new Set(
      parts.filter((part) => names.includes(part.id) && !part.node.getSkin()).map((part) => part.node),
    );
    return parts.filter((part) => names.includes(part.id) || nodes.has(part.node));
  }
  const { index } = skeletonOf(document),
    hangs = (part: Part) => {
      for (let at = part.node.getParentNode(); at; at = at.getParentNode()) if (index.has(at)) return true;
      return false;
    };
  return parts.filter((part) => !part.node.getSkin() && !hangs(part));
}

/** The surface that gives: of this character, or of another one stood beside it and scaled to its height. */
async function donorFor(
  document: Document,
  settings: Settings,
  context: { character?(name: string): Promise<{ document: Document; name: string }> },
  receivers: ReadonlySet<Part>,
): Promise<Donor | null> {
  if (!settings.donor) {
    const ids = new Set([...receivers].map((part) => part.id)),
      surface = surfaceOf(document, (part) => !ids.has(part.id), settings.from);
    return {
      surface,
      title: settings.from.length === 1 ? `“${settings.from[0]}”` : 'the body',
      skeleton: skeletonOf(document),
    };
  }
  const other = await otherCharacter(context, settings.donor, {
    code: 'weights.no-donor',
    wanted: 'Weights should come from another character',
    who: 'The character that weights should come from',
  });
  const standing = copyDocument(other.document);
  standAsFound(standing);
  const surface = surfaceOf(standing, () => true, settings.from),
    from = skeletonOf(standing);
  const scale = heightOf(document) / (heightOf(standing) || 1);
  surface.positions = surface.positions.map((x) => x * scale);
  const skeleton = document.getRoot().listSkins().length ? skeletonOf(document) : plant(document, from, scale);
  const slots = slotsFor(skeleton, document, standing, from),
    { joints, weights } = surface.influences;
  for (let k = 0; k < joints.length; k++) {
    const slot = slots[joints[k]];
    if (slot < 0) weights[k] = 0;
    else joints[k] = slot;
  }
  return { surface, title: `“${other.name}”`, skeleton };
}

/** Bound parts as one surface at rest, their joints by number in the document's skeleton. */
function surfaceOf(document: Document, allowed: (part: Part) => boolean, names: readonly string[]): WeightDonor {
  const bound = listParts(document).filter(
    (part) => part.node.getSkin() && part.prim.getAttribute('JOINTS_0') && allowed(part),
  );
  const skin = bound.filter((part) => part.kind === 'skin' || part.kind === 'lips'),
    chosen = new Set(
      (names.length ? bound.filter((part) => names.includes(part.id)) : skin.length ? skin : bound).map(
        (part) => part.id,
      ),
    );
  const deformer = createDeformer(document, (part) => chosen.has(part.id), false),
    positions = deformer.evaluate(new Float32Array(deformer.vertices * 3));
  const parts = deformer.ranges.map(({ part, firstVertex }) => ({
    first: firstVertex,
    influences: influencesOf(part.prim) as Influences,
    joints:
      part.node
        .getSkin()
        ?.listJoints()
        .map((joint) => deformer.skeleton.index.get(joint) ?? 0) ?? [],
  }));
  const perVertex = Math.max(4, ...parts.map((part) => part.influences.perVertex)),
    influences: Influences = {
      perVertex,
      joints: new Uint16Array(deformer.vertices * perVertex),
      weights: new Float32Array(deformer.vertices * perVertex),
    };
  for (const part of parts) {
    const own = part.influences;
    for (let i = 0; i < own.joints.length; i++) {
      const to = (part.first + Math.floor(i / own.perVertex)) * perVertex + (i % own.perVertex);
      influences.joints[to] = part.joints[own.joints[i]] ?? 0;
      influences.weights[to] = own.weights[i];
    }
  }
  return { positions, indices: deformer.indices, influences };
}

function heightOf(document: Document): number {
  const deformer = createDeformer(document, undefined, false),
    positions = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    { joints } = deformer.skeleton;
  // Two rigs compare by their joints: hats and hair say nothing of a body's size.
  if (joints.length > 8) return spanOf(deformer.skeleton);
  let low = Infinity,
    high = -Infinity;
  for (let i = 1; i < positions.length; i += 3) {
    low = Math.min(low, positions[i]);
    high = Math.max(high, positions[i]);
  }
  return high - low;
}

/** Joints of the donor's rig in the receiving one; a joint it doesn't have gives its weight to the nearest above that it has. */
function slotsFor(skeleton: Skeleton, document: Document, standing: Document, from: Skeleton): Int32Array {
  const own = new Map(skeleton.joints.map((joint, i) => [joint.getName(), i])),
    slots = new Int32Array(from.joints.length).fill(-1);
  if (from.joints.every((joint) => own.has(joint.getName())))
    from.joints.forEach((joint, i) => {
      slots[i] = own.get(joint.getName()) as number;
    });
  else
    matchFigure(
      { skeleton: from, roles: jointRoles(standing, from) },
      { skeleton, roles: jointRoles(document, skeleton) },
    ).forEach((s, f) => {
      if (s >= 0) slots[s] = f;
    });
  for (let i = 0; i < slots.length; i++) if (slots[i] < 0 && from.parent[i] >= 0) slots[i] = slots[from.parent[i]];
  return slots;
}

/** A figure without joints gets those of the donor, in its own size. */
function plant(document: Document, from: Skeleton, scale: number): Skeleton {
  const skin = document.createSkin('skin'),
    made = from.joints.map((joint) => document.createNode(joint.getName())),
    inverse = new Float64Array(16),
    local = new Float64Array(16);
  const [scene] = document.getRoot().listScenes();
  from.joints.forEach((_joint, i) => {
    const parent = from.parent[i];
    if (parent >= 0) {
      invertAffine(inverse, 0, from.global, parent * 16);
      multiply(local, 0, inverse, 0, from.global, i * 16);
      made[parent].addChild(made[i]);
    } else {
      local.set(from.global.subarray(i * 16, i * 16 + 16));
      scene?.addChild(made[i]);
    }
    made[i].setMatrix([...local] as never);
    made[i].setTranslation(made[i].getTranslation().map((x) => x * scale) as [number, number, number]);
    skin.addJoint(made[i]);
  });
  const skeleton = skeletonOf(document);
  bindWhereJointsStand(document, skin, skeleton);
  return skeleton;
}

/** One part takes its weights: a sentence where it can't, null where it lies too far off and nobody asked for it by name. */
function give(document: Document, id: string, donor: Donor, settings: Settings, asked: boolean) {
  const part = listParts(document).find((entry) => entry.id === id) as Part;
  const deformer = createDeformer(document, (entry) => entry.id === id, false),
    positions = deformer.evaluate(new Float32Array(deformer.vertices * 3));
  const done = transferWeights(
    donor.surface,
    { positions, indices: deformer.indices },
    { reach: settings.reachCm / 100, angle: settings.angle, most: settings.influences },
  );
  const own = part.node.getSkin(),
    skin = own ?? document.getRoot().listSkins()[0];
  if (!asked && !own && done.matched < NEAR_ENOUGH * (done.matched + done.filled + done.nearest)) return null;
  const slots = joinSkin(document, skin, donor.skeleton, done.influences);
  if (!slots)
    return `“${part.name}” is bound so that its joints don't agree where it stands at rest. Let the skeleton station mend its binds first.`;
  for (let k = 0; k < done.influences.joints.length; k++)
    done.influences.joints[k] = done.influences.weights[k] > 0 ? (slots.get(done.influences.joints[k]) ?? 0) : 0;
  if (!own) placeForSkin(document, part, skin);
  writeInfluences(document, part.prim, done.influences);
  return done;
}

/** An unbound mesh gets a skin whose joints carry it to where it stands now. */
function placeForSkin(document: Document, part: Part, skin: Skin): void {
  const node = bakePlaces(document, [part]).get(part) ?? part.node,
    now = skeletonOf(document),
    stands = new Float64Array(16);
  const binds = inverseBindsOf(skin),
    [first] = skin.listJoints();
  multiply(stands, 0, now.global, (now.index.get(first) ?? 0) * 16, binds, 0);
  if (stands.every((x, k) => Math.abs(x - (k % 5 === 0 ? 1 : 0)) < 1e-6)) {
    node.setSkin(skin);
    return;
  }
  // The skin's own meshes are drawn in other units or axes: this one is bound by itself, as it stands.
  const other = document.createSkin(skin.getName());
  for (const joint of skin.listJoints()) other.addJoint(joint);
  bindWhereJointsStand(document, other, now);
  node.setSkin(other);
}

/** Numbers of the joints within a skin; those it lacks are put in, bound so that the mesh stays where it stands. Null where its binds disagree. */
function joinSkin(
  document: Document,
  skin: Skin,
  skeleton: Skeleton,
  influences: Influences,
): Map<number, number> | null {
  const now = skeletonOf(document),
    binds = inverseBindsOf(skin),
    at = new Float64Array(16),
    stands = new Float64Array(16);
  const slots = new Map(skin.listJoints().map((joint, i) => [skeleton.index.get(joint) ?? -1, i]));
  skin.listJoints().forEach((joint, i) => {
    if (i === 0) multiply(stands, 0, now.global, (now.index.get(joint) ?? 0) * 16, binds, 0);
  });
  for (const [i, joint] of skin.listJoints().entries()) {
    multiply(at, 0, now.global, (now.index.get(joint) ?? 0) * 16, binds, i * 16);
    if (at.some((x, k) => Math.abs(x - stands[k]) > AT_REST * Math.max(1, Math.abs(stands[0])))) return null;
  }
  const wanted = new Set<number>(),
    own = [...binds];
  influences.joints.forEach((joint, k) => {
    if (influences.weights[k] > 0 && !slots.has(joint)) wanted.add(joint);
  });
  for (const joint of [...wanted].sort((a, b) => a - b)) {
    const inverse = new Float64Array(16);
    invertAffine(inverse, 0, skeleton.global, joint * 16);
    multiply(at, 0, inverse, 0, stands, 0);
    slots.set(joint, skin.listJoints().length);
    skin.addJoint(skeleton.joints[joint]);
    own.push(...at);
  }
  if (wanted.size)
    skin.setInverseBindMatrices(document.createAccessor().setType('MAT4').setArray(Float32Array.from(own)));
  return slots;
}
