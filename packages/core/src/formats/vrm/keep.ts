import type { Document, GLTF, Node } from '@gltf-transform/core';
import { isHumanoidRole, readDossier, updateDossier } from '../../character/index.ts';
import type { Finding } from '../../problem.ts';
import { facesOf, oldFacesOf } from './expressions.ts';

type Json = Record<string, unknown>;
const object = (value: unknown): Json | null =>
  typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Json) : null;

const listOf = (value: unknown): unknown[] => (Array.isArray(value) ? value : []);

/** Thumb bones of VRM 0.x are called one joint further out than in 1.0. */
const OLD_THUMB: Record<string, string> = { ThumbProximal: 'ThumbMetacarpal', ThumbIntermediate: 'ThumbProximal' };
/** Keys whose number is a node of the file. */
const NODE_KEYS = new Set(['node', 'source', 'center', 'firstPersonBone']);

/**
 * Keeps what VRM 1.0 and 0.x hold beyond glTF in the dossier: the humanoid map as declared roles, expressions,
 * springs, look-at and licence, with nodes by name, since their numbers change.
 */
export function keepVrm(document: Document, json: GLTF.IGLTF, findings: Finding[]): void {
  const extensions = json.extensions as Record<string, unknown> | undefined;
  const now = object(extensions?.VRMC_vrm),
    old = object(extensions?.VRM);
  if (!now && !old) return;
  const nodes = document.getRoot().listNodes();
  const nameOf = distinctNames(nodes);
  const roles: Record<string, string> = {};
  const tie = (bone: string, index: unknown) => {
    const name = typeof index === 'number' ? nameOf[index] : undefined;
    if (name !== undefined && isHumanoidRole(bone)) roles[name] = bone;
  };
  if (now)
    for (const [bone, entry] of Object.entries(object(object(now.humanoid)?.humanBones) ?? {}))
      tie(bone, object(entry)?.node);
  else
    for (const entry of listOf(object(old?.humanoid)?.humanBones)) {
      const bone = String(object(entry)?.bone ?? '');
      tie(
        bone.replace(/Thumb(Proximal|Intermediate)$/, (thumb) => OLD_THUMB[thumb]),
        object(entry)?.node,
      );
    }
  const meta = object(now?.meta) ?? object(old?.meta) ?? undefined;
  const named = (value: unknown) => (value === undefined ? undefined : withNames(value, nameOf));
  updateDossier(document, {
    declaredRoles: roles,
    vrm: {
      version: now ? '1.0' : '0.x',
      meta,
      expressions: named(now?.expressions ?? old?.blendShapeMaster),
      faces: now ? facesOf(document, now.expressions) : oldFacesOf(document, old?.blendShapeMaster),
      springs: named(extensions?.VRMC_springBone ?? old?.secondaryAnimation),
      firstPerson: named(now?.firstPerson ?? old?.firstPerson),
      lookAt: named(now?.lookAt),
      constraints: named(constraintsOf(json)),
    },
  });
  keepLicence(document, meta);
  findings.push({
    code: 'vrm.kept',
    severity: 'info',
    message: `VRM ${now ? '1.0' : '0.x'}: ${Object.keys(roles).length} joints have their role from the file; expressions, springs and licence are kept with the character; a delivery says what of them stays behind.`,
    measured: Object.keys(roles).length,
  });
}

/** Roles are tied by name, so names must differ among joints and among meshes; nodes without one get one. */
function distinctNames(nodes: readonly Node[]): string[] {
  const takenBy = { joints: new Set<string>(), meshes: new Set<string>() };
  return nodes.map((node, i) => {
    const taken = takenBy[node.getMesh() ? 'meshes' : 'joints'];
    let name = node.getName() || `node_${i}`;
    for (let n = 2; taken.has(name); n++) name = `${node.getName() || `node_${i}`}_${n}`;
    taken.add(name);
    if (name !== node.getName()) node.setName(name);
    return name;
  });
}

function withNames(value: unknown, nameOf: readonly string[]): unknown {
  if (Array.isArray(value)) return value.map((entry) => withNames(entry, nameOf));
  const entries = object(value);
  if (!entries) return value;
  return Object.fromEntries(
    Object.entries(entries).map(([key, inner]) => {
      if (NODE_KEYS.has(key) && typeof inner === 'number') return [key, nameOf[inner] ?? null];
      if (key === 'bones' && Array.isArray(inner))
        return [key, inner.map((entry) => (typeof entry === 'number' ? (nameOf[entry] ?? null) : entry))];
      return [key, withNames(inner, nameOf)];
    }),
  );
}

function constraintsOf(json: GLTF.IGLTF): unknown {
  const found = (json.nodes ?? []).flatMap((node, i) => {
    const said = (node.extensions as Json | undefined)?.VRMC_node_constraint;
    return said ? [{ node: i, ...object(said) }] : [];
  });
  return found.length ? found : undefined;
}

/** Author and licence travel with the character (I10). */
function keepLicence(document: Document, meta: Json | undefined): void {
  if (!meta) return;
  const text = (value: unknown) => (Array.isArray(value) ? value.join(', ') : typeof value === 'string' ? value : '');
  const copyright = [
    text(meta.copyrightInformation),
    text(meta.authors ?? meta.author),
    text(meta.licenseUrl ?? meta.otherLicenseUrl ?? meta.licenseName),
  ]
    .filter(Boolean)
    .join(' · ');
  if (!copyright) return;
  const asset = document.getRoot().getAsset();
  asset.copyright = [asset.copyright, copyright].filter(Boolean).join(' · ');
  const { origin } = readDossier(document);
  if (origin) updateDossier(document, { origin: { ...origin, copyright: asset.copyright } });
}
