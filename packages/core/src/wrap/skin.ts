import type { Document } from '@gltf-transform/core';
import { createDeformer, type Deformer, influencesOf, INNER_KINDS, type Part } from '../character/index.ts';
import { jointRoles, roleIndex } from '../rig/index.ts';
import type { Followed, Placed } from './align.ts';
import { type Mesh, meshOf } from './mesh.ts';
import type { NamedLoop } from './loops.ts';
import { type Before, opennessOf } from './openness.ts';

/** A figure's skin as one surface at rest. */
export interface Skin extends Placed {
  deformer: Deformer;
  /** xyz of each vertex of all skin parts, metres. */
  rest: Float32Array;
  mesh: Mesh;
  followed: Followed;
  /** Eyeballs, teeth and tongue: what stands before sockets and in the mouth. */
  inside: Before[];
  /** Plates of nails; null where there are none of their own. */
  nails: Mesh | null;
  /** Loops that somebody gave this skin; found by its shape where nobody did. */
  loops?: readonly NamedLoop[];
}

/** Kinds of parts whose surface is a body's own. */
export const isSkin = ({ kind }: Pick<Part, 'kind'>): boolean => kind === 'skin' || kind === 'lips';

export function skinOf(document: Document): Skin {
  const deformer = createDeformer(document, isSkin, false),
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    { skeleton } = deformer,
    roles = roleIndex(jointRoles(document, skeleton)),
    nails = createDeformer(document, ({ kind }) => kind === 'nail', false);
  return {
    deformer,
    rest,
    mesh: meshOf(rest, deformer.indices),
    followed: followedBy(deformer),
    skeleton,
    roles,
    inside: insideOf(document),
    nails: nails.vertices ? meshOf(nails.evaluate(new Float32Array(nails.vertices * 3)), nails.indices) : null,
  };
}

/** Eyeballs, teeth and tongue, at rest. */
export function insideOf(document: Document): Skin['inside'] {
  const inner = createDeformer(document, ({ kind }) => INNER_KINDS.includes(kind), false);
  return inner.vertices
    ? [{ places: inner.evaluate(new Float32Array(inner.vertices * 3)), corners: inner.indices }]
    : [];
}

/** How open each point of a skin is. */
export const skinOpenness = (
  { mesh, inside }: Pick<Skin, 'mesh' | 'inside'>,
  stop?: () => void,
  rays?: number,
): Float32Array => opennessOf(mesh.places, mesh.normals, [mesh, ...inside], stop, rays);

/** Weights of all vertices, joints by their numbers in the skeleton. */
export function followedBy({ ranges, skeleton, vertices }: Deformer): Followed {
  const own = ranges.map(({ part }) => influencesOf(part.prim)),
    perVertex = Math.max(1, ...own.map((one) => one?.perVertex ?? 0)),
    joints = new Uint16Array(vertices * perVertex),
    weights = new Float32Array(vertices * perVertex);
  ranges.forEach(({ part, firstVertex }, r) => {
    const one = own[r],
      numbers = part.node
        .getSkin()
        ?.listJoints()
        .map((joint) => skeleton.index.get(joint) ?? 0);
    if (!one || !numbers) return;
    for (let i = 0; i < one.joints.length; i++) {
      const at = (firstVertex + Math.floor(i / one.perVertex)) * perVertex + (i % one.perVertex);
      joints[at] = numbers[one.joints[i]] ?? 0;
      weights[at] = one.weights[i];
    }
  });
  return { perVertex, joints, weights };
}
