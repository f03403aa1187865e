import type { Node } from '@gltf-transform/core';

type Json = Record<string, unknown>;
const object = (value: unknown): Json => (typeof value === 'object' && value !== null ? (value as Json) : {});
const listOf = (value: unknown): unknown[] => (Array.isArray(value) ? value : []);

export interface KeptSprings {
  /** VRMC_springBone as the format writes it; null where nothing of it is left. */
  json: Json | null;
  /** Springs that were there, and those that still swing. */
  before: number;
  after: number;
}

/**
 * Springs of a VRM 1.0 file on the joints that are left of theirs; a chain that lost all but one of its joints swings no more.
 * @param kept VRMC_springBone with nodes by name
 * @param find the node that a name stands for now
 */
export function springsFor(
  kept: unknown,
  find: (name: string) => Node | null,
  numberOf: (node: Node) => number,
): KeptSprings {
  const { springs, colliders, colliderGroups } = object(kept),
    all = listOf(springs),
    nodeOf = (value: unknown) => (typeof value === 'string' ? find(value) : null),
    // Places in a list by what is left of it.
    placed = <T>(list: unknown, keep: (entry: Json) => T | null) => {
      const left: T[] = [],
        places = new Map<number, number>();
      listOf(list).forEach((entry, i) => {
        const one = keep(object(entry));
        if (one) places.set(i, left.push(one) - 1);
      });
      return {
        left,
        those: (numbers: unknown) => listOf(numbers).flatMap((number) => places.get(number as number) ?? []),
      };
    },
    spheres = placed(colliders, (entry) => {
      const node = nodeOf(entry.node);
      return node ? { ...entry, node: numberOf(node) } : null;
    }),
    groups = placed(colliderGroups, (entry) => {
      const those = spheres.those(entry.colliders);
      return those.length ? { ...entry, colliders: those } : null;
    }),
    swings = placed(springs, (entry) => {
      const joints = chainOf(
          listOf(entry.joints).flatMap((joint) => {
            const node = nodeOf(object(joint).node);
            return node ? [{ node, joint: object(joint) }] : [];
          }),
        ),
        { center, colliderGroups: of, ...rest } = entry,
        middle = nodeOf(center),
        those = groups.those(of);
      return joints.length < 2
        ? null
        : {
            ...rest,
            joints: joints.map(({ node, joint }) => ({ ...joint, node: numberOf(node) })),
            ...(middle && { center: numberOf(middle) }),
            ...(those.length && { colliderGroups: those }),
          };
    });
  return {
    before: all.length,
    after: swings.left.length,
    json: swings.left.length
      ? {
          specVersion: '1.0',
          ...(spheres.left.length && { colliders: spheres.left }),
          ...(groups.left.length && { colliderGroups: groups.left }),
          springs: swings.left,
        }
      : null,
  };
}

/** Joints of a chain, each below the one before; one that hangs elsewhere now ends it. */
function chainOf<T extends { node: Node }>(joints: readonly T[]): T[] {
  const out: T[] = [];
  for (const joint of joints) {
    const last = out.at(-1)?.node;
    if (last && !isBelow(joint.node, last)) break;
    out.push(joint);
  }
  return out;
}
function isBelow(node: Node, above: Node): boolean {
  for (let at = node.getParentNode(); at; at = at.getParentNode()) if (at === above) return true;
  return false;
}
