import type { Seen } from '@dimetra/eyes';
import { isHumanoidRole } from '../character/index.ts';
import type { Contents } from '../inspect/index.ts';
import type { Station } from '../step.ts';
import { expressionSetOf } from '../targets/index.ts';
import { contentsApart } from './contents.ts';
import { firstFew, type Judgement, judged, noneOf } from './judgement.ts';
import type { Stated } from './stated.ts';

/** What the validator may warn of in a delivery, with the reason why it does no harm. Everything else blocks. */
export const HARMLESS_WARNINGS: Readonly<Record<string, string>> = {
  MESH_PRIMITIVE_GENERATED_TANGENT_SPACE:
    "Tangents that a file doesn't hold are made where it is shown, by the method the format names (MikkTSpace), from the same normals and texture places.",
};

/** What may stand in a delivery without being asked for by anything in it, with the reason. */
export const HARMLESS_UNUSED: Readonly<Record<string, string>> = {
  'UNUSED_OBJECT TEXCOORD':
    'Texture places of a part without maps are content: materials made where it stands need them.',
};

/** What the validator, which doesn't know KHR_texture_basisu, says of images that are shown by it; our second eyes open those. */
const UNKNOWN_OF_PACKED: readonly string[] = ['VALUE_NOT_IN_LIST', 'IMAGE_UNRECOGNIZED_FORMAT', 'UNUSED_OBJECT images'];

/** What it says of views and buffers that hold coded arrays, for the same reason (KHR_draco_mesh_compression, EXT_meshopt_compression). */
const UNUSED = 'UNUSED_OBJECT';

/** How far what another loader draws may be from what the report states, millimetres. */
const SIZE_MM = 1,
  MORPH_MM = 0.1;

export interface DeliveredSubject {
  seen: Seen;
  stated: Stated;
  /** What the report says the figure is made of, and what our own reader finds in the delivered bytes. */
  contents: { stated: Contents; read: Contents };
  /** Roles of the joints that are delivered. */
  roles?: readonly string[];
  /** A level that lies in the file of the nearest: the file's maps are judged with that. */
  inside?: boolean;
}

/** The second pair of eyes as rules: the delivered bytes, opened by code that shares nothing with ours, are what the report says. */
export function judgeDelivered({ seen, stated, contents, roles = [], inside }: DeliveredSubject): Judgement[] {
  const none = (
    rule: string,
    title: string,
    found: readonly string[],
    station: Station,
    message: (list: string) => string,
  ): Judgement => noneOf({ rule, title, station }, found, (list) => message(firstFew(list, 4, '; ')));
  // Of as many images as are packed, shown and open, and of images alone.
  const ofPacked = ({ code, count, pointer }: Seen['validator']['errors'][number]) =>
    seen.packed > 0 && count === seen.packed && pointer.startsWith('/images/') && UNKNOWN_OF_PACKED.includes(code);
  const ofCoded = ({ code, count }: Seen['validator']['errors'][number]) =>
    count > 0 &&
    count ===
      {
        [`${UNUSED} bufferViews`]: seen.coded.views,
        [`${UNUSED} buffers`]: seen.coded.buffers,
        [`${UNUSED} nodes`]: seen.standIns,
        // Where joints go out alone, it is what says that they are joints.
        [`${UNUSED} skins`]: contents.stated.parts.length ? 0 : 1,
      }[code];
  const notes = (rows: Seen['validator']['errors'], harmless: Readonly<Record<string, string>>) =>
    rows
      .filter((row) => !harmless[row.code] && !ofPacked(row) && !ofCoded(row))
      .map((row) => `${row.code} ${row.count} times, first at ${row.pointer || 'the file itself'}`);
  const opens = judged(
    { rule: 'delivered.opens', title: 'Opened by another loader', station: 'deliver' },
    seen.refused ? 'refused' : 'opens',
    'opens',
    !seen.refused,
  );
  const bytes = [
    { ...opens, message: seen.refused && `Another loader refuses what is delivered: ${seen.refused}.` },
    none(
      'delivered.valid',
      "Errors by the format's validator",
      notes(seen.validator.errors, {}),
      'deliver',
      (list) => `The format's own validator finds errors: ${list}.`,
    ),
    none(
      'delivered.warnings',
      "Warnings by the format's validator",
      notes(seen.validator.warnings, HARMLESS_WARNINGS),
      'deliver',
      (list) => `The format's own validator warns of what is not on the short list of harmless warnings: ${list}.`,
    ),
    none(
      'delivered.finite',
      "Numbers that aren't finite",
      seen.notFinite.map(({ where, count }) => `${count} at ${where}`),
      'reduce',
      (list) => `Numbers that aren't finite are delivered: ${list}.`,
    ),
    none(
      'delivered.images',
      "Maps that don't open or have another size",
      inside ? [] : imagesApart(seen, contents.stated),
      'textures',
      (list) => `Maps aren't what the report states: ${list}.`,
    ),
    none(
      'delivered.unused',
      'Delivered and used by nothing',
      notes(seen.validator.unused, HARMLESS_UNUSED),
      'deliver',
      (list) => `Something is delivered that nothing uses: ${list}.`,
    ),
    none(
      'delivered.contents',
      'Read again, unlike the report',
      contentsApart(contents.stated, contents.read),
      'deliver',
      (list) => `Read again, the package isn't made of what the report states: ${list}.`,
    ),
  ];
  // Without a scene there is nothing to say about what hangs in it.
  if (seen.refused) return bytes;
  return [
    ...bytes,
    none(
      'delivered.joints',
      'Joints outside the scene',
      seen.joints.outside,
      'skeleton',
      (list) =>
        `${seen.joints.outside.length} of ${seen.joints.joints} joints don't hang in the scene that is shown: ${list}.`,
    ),
    none(
      'delivered.shown',
      'Meshes outside the scene',
      seen.hidden,
      'deliver',
      (list) => `Meshes don't hang in the scene that is shown: ${list}.`,
    ),
    none(
      'delivered.clips',
      'Clip channels that move nothing',
      seen.clips.unbound,
      'motion',
      (list) => `${seen.clips.unbound.length} of ${seen.clips.channels} clip channels find nothing to move: ${list}.`,
    ),
    sizeRule(seen, stated),
    none(
      'delivered.morphs',
      'Morphs that move something else',
      morphsApart(seen, stated),
      'morphs',
      (list) => `Morphs don't move what the report states: ${list}.`,
    ),
    ...(seen.vrm === undefined
      ? []
      : [
          none(
            'delivered.vrm',
            'Not understood by the open loader for VRM',
            vrmApart(seen.vrm, stated, roles),
            'deliver',
            (list) => `The open loader for VRM finds something else: ${list}.`,
          ),
        ]),
  ];
}

/** Every joint with a role is a bone of that name, every morph that is called as an expression is is one and moves as much. */
function vrmApart(vrm: Seen['vrm'], stated: Stated, roles: readonly string[]): string[] {
  if (!vrm) return ['it finds no VRM in the file at all'];
  const bones = new Set(vrm.bones),
    presets = new Set(expressionSetOf('vrm-1').entries.map(({ name }) => name)),
    expressions = new Map(vrm.expressions.map((row) => [row.name, row])),
    out = roles.flatMap((role) => (isHumanoidRole(role) && !bones.has(role) ? [`no bone “${role}”`] : []));
  for (const morph of stated.morphs) {
    const found = expressions.get(morph.name);
    if (!found && presets.has(morph.name)) out.push(`no expression “${morph.name}”`);
    else if (found && Math.abs(found.farthestMm - morph.farthestMm) > MORPH_MM)
      out.push(
        `“${morph.name}” moves by up to ${found.farthestMm.toFixed(2)} mm, its morph by ${morph.farthestMm.toFixed(2)}`,
      );
  }
  if (!vrm.authors.length) out.push('no author');
  return out;
}

function imagesApart(seen: Seen, { textures }: Contents): string[] {
  const left = textures.map((texture) => ({ ...texture })),
    out: string[] = [];
  for (const image of seen.images) {
    if (image.problem) {
      out.push(`“${image.name}” can't be opened (${image.problem})`);
      continue;
    }
    const at = left.findIndex((texture) => texture.width === image.width && texture.height === image.height);
    if (at < 0) out.push(`“${image.name}” is ${image.width} × ${image.height}, which no map is stated to be`);
    else left.splice(at, 1);
  }
  for (const texture of left)
    out.push(`“${texture.name}” is stated with ${texture.width} × ${texture.height} and isn't there`);
  return out;
}

function sizeRule(seen: Seen, stated: Stated): Judgement {
  const text = (size: readonly number[] | null) => (size ? size.map((mm) => mm.toFixed(1)).join(' × ') : 'nothing');
  const ok =
    seen.sizeMm === null || stated.sizeMm === null
      ? seen.sizeMm === stated.sizeMm
      : seen.sizeMm.every((mm, k) => Math.abs(mm - (stated.sizeMm as number[])[k]) <= SIZE_MM);
  return {
    rule: 'delivered.size',
    title: 'Width × height × depth at rest, as another loader draws it',
    station: 'deliver',
    unit: 'mm',
    blocking: true,
    measured: text(seen.sizeMm),
    limit: text(stated.sizeMm),
    ok,
    message: ok
      ? undefined
      : `Another loader draws the figure ${text(seen.sizeMm)} mm; the report states ${text(stated.sizeMm)} mm.`,
  };
}

function morphsApart(seen: Seen, stated: Stated): string[] {
  const found = new Map(seen.morphs.map((row) => [row.name, row])),
    out: string[] = [];
  for (const row of stated.morphs) {
    const other = found.get(row.name);
    found.delete(row.name);
    if (!other) out.push(`“${row.name}” isn't there`);
    else if (
      Math.abs(other.farthestMm - row.farthestMm) > MORPH_MM ||
      Math.abs(other.vertices - row.vertices) > Math.max(2, row.vertices * 0.01, row.undecided ?? 0)
    )
      out.push(
        `“${row.name}” moves ${other.vertices} vertices by up to ${other.farthestMm.toFixed(2)} mm, stated are ${row.vertices} and ${row.farthestMm.toFixed(2)}`,
      );
  }
  return [...out, ...[...found.keys()].map((name) => `“${name}” isn't stated`)];
}
