import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';

const KEY = 'dimetra';

/** An expression by the morphs it plays. */
export const FaceSchema = v.object({
  name: v.string(),
  /** One of the standard's own. */
  preset: v.boolean(),
  morphs: v.array(v.object({ name: v.string(), weight: v.number() })),
  isBinary: v.optional(v.boolean()),
  overrideBlink: v.optional(v.picklist(['none', 'block', 'blend'])),
  overrideLookAt: v.optional(v.picklist(['none', 'block', 'blend'])),
  overrideMouth: v.optional(v.picklist(['none', 'block', 'blend'])),
});

/** How a file held what was read from it: what whoever makes another like it has to know. */
export const StoredSchema = v.object({
  compression: v.optional(v.picklist(['quantised', 'meshopt', 'draco'])),
  /** Maps packed for graphics processors. */
  packed: v.optional(v.picklist(['uastc', 'etc1s', 'smallest'])),
  /** Levels of detail behind the nearest that lie in the same file; from how far away on, metres, where that is said. */
  levels: v.optional(
    v.array(v.object({ triangles: v.number(), fromM: v.optional(v.number()), morphs: v.optional(v.boolean()) })),
  ),
});
export type Stored = v.InferOutput<typeof StoredSchema>;

/** What glTF has no field for, kept in the root extras under one key; read and written only here. */
export const DossierSchema = v.object({
  version: v.literal(1),
  /** Where the character came from, for the licence note (I10). */
  origin: v.optional(
    v.object({ files: v.array(v.string()), generator: v.optional(v.string()), copyright: v.optional(v.string()) }),
  ),
  stored: v.optional(StoredSchema),
  /** Unit and up axis as a format that has them declares; glTF's own are understood. */
  declared: v.optional(v.object({ upAxis: v.picklist(['x', 'y', 'z']), unitMetres: v.number() })),
  /** Unit and axes as found, before they were put right. */
  found: v.optional(
    v.object({
      upAxis: v.picklist(['x', 'y', 'z', '-x', '-y', '-z']),
      unitMetres: v.number(),
      facing: v.string(),
      evidence: v.array(v.string()),
    }),
  ),
  /** Joint node name → role, as the file itself says (VRM's humanoid map). */
  declaredRoles: v.optional(v.record(v.string(), v.string())),
  /** Figure whose joint names the character was found to have. */
  figure: v.optional(v.object({ id: v.string(), title: v.string() })),
  /** A skeleton that isn't bound to the mesh yet: the file it came in, names of its root joints; `placed` where it lies in the mesh already. */
  apart: v.optional(v.object({ file: v.string(), roots: v.array(v.string()), placed: v.optional(v.literal(true)) })),
  /** What VRM holds beyond glTF, nodes by name: version, licence, expressions, springs, look-at. */
  vrm: v.optional(
    v.object({
      version: v.picklist(['0.x', '1.0']),
      meta: v.optional(v.record(v.string(), v.unknown())),
      expressions: v.optional(v.unknown()),
      /** Its expressions by the names of their morphs, which stay where numbers don't. */
      faces: v.optional(v.array(FaceSchema)),
      springs: v.optional(v.unknown()),
      firstPerson: v.optional(v.unknown()),
      lookAt: v.optional(v.unknown()),
      constraints: v.optional(v.unknown()),
    }),
  ),
  /** Joint node name → role, corrected by hand. */
  jointRoles: v.optional(v.record(v.string(), v.string())),
  /** Material name → kind, where its name doesn't say it: found well enough to be acted on, or said by hand. */
  materialKinds: v.optional(v.record(v.string(), v.string())),
  /** Material name → what was found out about a material whose name says nothing, certain or not. */
  kindsFound: v.optional(
    v.record(v.string(), v.object({ kind: v.string(), confidence: v.number(), reason: v.string() })),
  ),
  /** Old joint name → new joint name, so that reports can follow a joint through a renaming. */
  renamedJoints: v.optional(v.record(v.string(), v.string())),
  /** Part that came in pieces: name of the piece → name of the whole. */
  joinedParts: v.optional(v.record(v.string(), v.string())),
  /** Part that became several, one a texture tile: its name → theirs. */
  splitParts: v.optional(v.record(v.string(), v.array(v.string()))),
  /** Morphs that a step took out or made others of, by name: who names one of them later made no slip. */
  formerMorphs: v.optional(v.array(v.string())),
  /** Morphs that came with another figure's polygons, beside the character's own. */
  figureMorphs: v.optional(v.array(v.string())),
  /** Parts that a target can't show and that were left out for it: name → reason. */
  leftOut: v.optional(v.record(v.string(), v.string())),
  /** Materials whose maps were laid out anew for other texture places: their names as they were. */
  laidOut: v.optional(v.array(v.string())),
  /** Joints whose weight went elsewhere: old name → new name of the joint that took it. */
  mergedJoints: v.optional(v.record(v.string(), v.string())),
  /** Joints that another figure has no place for: name → the joint that now carries it and its global rest there, so that the way back finds it again. */
  formerJoints: v.optional(v.record(v.string(), v.object({ under: v.string(), rest: v.array(v.number()) }))),
  /** Joint name → local translation and rotation that pose the character as it came, where its rest pose was changed. */
  homePose: v.optional(v.record(v.string(), v.object({ t: v.array(v.number()), r: v.array(v.number()) }))),
});
export type Dossier = v.InferOutput<typeof DossierSchema>;

/** The dossier of a document; an empty one where there is none. A field that can't be understood is lost alone. */
export function readDossier(document: Document): Dossier {
  const kept = document.getRoot().getExtras()[KEY] as Record<string, unknown> | undefined,
    out: Record<string, unknown> = { version: 1 };
  if (!v.is(v.looseObject({ version: v.literal(1) }), kept)) return { version: 1 };
  for (const [field, schema] of Object.entries(DossierSchema.entries)) {
    const parsed = kept[field] === undefined ? null : v.safeParse(schema, kept[field]);
    if (parsed?.success) out[field] = parsed.output;
  }
  return out as Dossier;
}

export function writeDossier(document: Document, dossier: Dossier): void {
  const root = document.getRoot();
  root.setExtras({ ...root.getExtras(), [KEY]: dossier });
}

export function updateDossier(document: Document, change: Partial<Dossier>): void {
  writeDossier(document, { ...readDossier(document), ...change });
}

export function removeDossier(document: Document): void {
  const root = document.getRoot();
  const { [KEY]: _, ...rest } = root.getExtras();
  root.setExtras(rest);
}
