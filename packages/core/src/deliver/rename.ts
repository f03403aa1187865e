import type { Document } from '@gltf-transform/core';
import { listParts, type MaterialKind, skeletonOf } from '../character/index.ts';
import type { Finding } from '../problem.ts';
import { type Named, type NewNames, namesBy, type Target } from '../targets/index.ts';

export interface Renamed {
  findings: Finding[];
  /** What each material is, under its new name: names told it before. */
  materialKinds: Record<string, MaterialKind>;
  /** Nodes that carry a mesh: old name → new one. */
  parts: Record<string, string>;
}

/** Names parts, materials and maps as a target wants them; joints and morphs have rules of their own. */
export function renameForDelivery(document: Document, target: Target, character: string): Renamed {
  const { part, material, map } = target.package.names ?? {},
    says = { character, target: target.title },
    root = document.getRoot(),
    parts = listParts(document),
    kindOf = new Map(parts.flatMap((one) => (one.material ? [[one.material, one.kind] as const] : []))),
    out: Renamed = { findings: [], materialKinds: {}, parts: {} };
  if (part) {
    const joints = new Set(skeletonOf(document).joints),
      nodes = [...new Set(parts.map(({ node }) => node))].filter((node) => !joints.has(node)),
      own = new Set(nodes),
      all = nodes.map(
        (node): Named => ({
          name: node.getName() || node.getMesh()?.getName() || 'part',
          kind: parts.find((one) => one.node === node)?.kind,
        }),
      ),
      made = namesBy(part, all, says, {
        taken: root.listNodes().flatMap((node) => (own.has(node) ? [] : [node.getName()])),
      });
    nodes.forEach((node, i) => {
      if (node.getName()) out.parts[node.getName()] = made.names[i];
      node.setName(made.names[i]);
      node.getMesh()?.setName(made.names[i]);
    });
    tell(out.findings, made, 'part', part);
  }
  if (material) {
    const all = root.listMaterials(),
      made = namesBy(
        material,
        all.map((one) => ({ name: one.getName(), kind: kindOf.get(one) })),
        says,
      );
    all.forEach((one, i) => one.setName(made.names[i]));
    tell(out.findings, made, 'material', material);
  }
  if (map) {
    const all = root.listTextures(),
      made = namesBy(
        map,
        all.map((one) => ({ name: baseOf(one.getURI()) || one.getName() || 'map' })),
        says,
        {
          files: true,
        },
      );
    all.forEach((one, i) => {
      const ending = /\.[^./]+$/.exec(one.getURI())?.[0] ?? '';
      one.setName(made.names[i]).setURI(one.getURI() ? `${made.names[i]}${ending}` : '');
    });
    tell(out.findings, made, 'map', map);
  }
  for (const [one, kind] of kindOf) out.materialKinds[one.getName()] = kind;
  return out;
}

const baseOf = (uri: string): string => uri.replace(/^.*\//, '').replace(/\.[^.]+$/, '');

function tell(findings: Finding[], { collided, cut }: NewNames, what: string, pattern: string): void {
  const those = (n: number) => `${n} ${what}${n === 1 ? '' : 's'}`;
  if (collided)
    findings.push({
      code: 'package.names-collide',
      severity: 'info',
      message: `${those(collided)} would have had a name that another has by “${pattern}”; a number stands behind ${collided === 1 ? 'it' : 'them'}.`,
      measured: collided,
    });
  if (cut)
    findings.push({
      code: 'package.names-long',
      severity: 'warning',
      message: `${those(cut)} would have had a name of more than 80 letters by “${pattern}”; the rest was cut off.`,
      measured: cut,
      limit: 0,
    });
}
