import type { Document, Texture } from '@gltf-transform/core';
import {
  kindsOf,
  type MapChannel,
  mapsOf,
  type MaterialKind,
  METAL_KINDS,
  textureFile,
  wordsOf,
} from '../character/index.ts';
import type { ImageCodec, Pixels } from '../pixels/index.ts';
import { foreignLayout, type KnownLayout, seamsOfMaterial, type SmallPicture, smallPicture } from './layout/index.ts';
import type { MapFault, MapFaultCode } from './map-fault.ts';
import { imageName } from './naming.ts';
import {
  type Curved,
  type GlossAsked,
  type GreenFound,
  type Holding,
  isOneValue,
  judgeCurve,
  judgeGloss,
  judgeGreen,
  judgeHolding,
  judgeLayout,
  type LayoutFound,
  mapStatistics,
  type MapStatistics,
  middleValue,
} from './reading/index.ts';

/** All that is remembered of an image: dozens of them at full size are gigabytes. */
interface Seen {
  statistics: MapStatistics;
  /** One value all over, alpha too. */
  even: boolean;
  holding: Holding;
  curved: Curved;
  green: GreenFound | null;
  picture: SmallPicture;
}

/** Smaller images have too few texels to speak of. */
const LEAST_SIDE = 8;

/**
 * Maps whose pixels contradict what they are used for, material by material; an image that can't be read is told.
 * @param known layouts that a skin's map may have been painted for instead of its own
 */
export async function findMapFaults(
  document: Document,
  images: ImageCodec,
  known: readonly KnownLayout[] = [],
): Promise<MapFault[]> {
  const kindOf = kindsOf(document),
    seen = new Map<Texture, Seen | string | null>(),
    asked = new Set<string>(),
    surfaces: Surface[] = [],
    normals: { at: At; green: GreenFound | null }[] = [],
    constants: MapFault[] = [],
    out: MapFault[] = [];
  for (const material of document.getRoot().listMaterials()) {
    const kind = kindOf(material);
    for (const { channel, texture } of mapsOf(material)) {
      const key = `${textures(document).indexOf(texture)} ${CHANNEL_GROUP[channel] ?? channel}`;
      if (!CHANNEL_GROUP[channel] || asked.has(key)) continue;
      asked.add(key);
      let found = seen.get(texture);
      if (found === undefined) {
        found = await look(texture, images);
        seen.set(texture, found);
      }
      if (!found) continue;
      const at = { texture, material, channel };
      if (typeof found === 'string') {
        out.push({ ...at, code: 'textures.unreadable', measured: 0, sure: true, why: found });
        continue;
      }
      // Several readings of one image: what is folded into a factor in one place may be needed in another.
      if (foldable(found, channel) && soleUse(document, texture, CHANNEL_GROUP[channel]))
        constants.push({ ...at, code: 'textures.constant', measured: 1, sure: true, why: 'all its texels are alike' });
      if (channel === 'metallicRoughness') {
        const faults = surfaceFaults(at, found, kind);
        out.push(...faults.found);
        surfaces.push({ at, kind, middle: faults.middle, named: namedOf(texture), glossy: faults.gloss });
      } else if (found.holding === 'constant') continue;
      else if (channel === 'normal' || channel === 'clearcoatNormal') {
        out.push(...normalFaults(at, found));
        normals.push({ at, green: found.green });
      } else if (channel === 'baseColor') {
        out.push(...colorFaults(at, found));
        if (LAID_OUT.has(kind)) out.push(...layoutFaults(document, at, found, known));
      }
    }
  }
  // What becomes a factor is made right first.
  return [...out, ...greenOfSet(normals), ...glossFaults(surfaces), ...constants];
}

/** Whether a map says one thing everywhere that a factor can say. White says so on purpose where none would be taken for a map that is missing. */
function foldable({ even, statistics }: Seen, channel: MapChannel): boolean {
  const [r, g, b] = statistics.channels;
  return even && (channel !== 'baseColor' || Math.min(r.mean, g.mean, b.mean) < 250);
}

/** Channels that are looked at, and those that read an image alike. */
const CHANNEL_GROUP: Partial<Record<MapChannel, string>> = {
  baseColor: 'color',
  normal: 'normal',
  clearcoatNormal: 'normal',
  metallicRoughness: 'surface',
  occlusion: 'occlusion',
  emissive: 'emissive',
};
const textures = (document: Document) => document.getRoot().listTextures();

/** Whether all places that use an image read it alike. */
function soleUse(document: Document, texture: Texture, group: string | undefined): boolean {
  return document
    .getRoot()
    .listMaterials()
    .every((material) =>
      mapsOf(material).every((use) => use.texture !== texture || CHANNEL_GROUP[use.channel] === group),
    );
}

/** @returns what an image says, null where it is too small to say anything, or why it can't be read */
async function look(texture: Texture, images: ImageCodec): Promise<Seen | string | null> {
  const image = texture.getImage();
  if (!image?.length) return 'it is empty';
  let pixels: Pixels;
  try {
    pixels = await images.decode(image);
  } catch {
    return 'it is cut off, damaged, too large or no image';
  }
  const statistics = mapStatistics(pixels),
    even = isOneValue(pixels),
    small = pixels.width < LEAST_SIDE || pixels.height < LEAST_SIDE,
    holding =
      small && statistics.channels.some(({ spread }) => spread >= 0.6) ? 'color' : judgeHolding(pixels, statistics);
  return small && holding !== 'constant'
    ? null
    : {
        statistics,
        even,
        holding,
        curved: judgeCurve(statistics),
        green: holding.startsWith('normal') && holding !== 'normal-object' ? judgeGreen(pixels) : null,
        picture: smallPicture(pixels),
      };
}

type At = Pick<MapFault, 'texture' | 'material' | 'channel'>;

function normalFaults(at: At, { holding, green, statistics }: Seen): MapFault[] {
  const fault = (code: MapFaultCode, why: string, sure = true, measured = 1): MapFault => ({
    ...at,
    code,
    why,
    sure,
    measured,
    holding,
  });
  const out: MapFault[] = [];
  if (holding === 'grey')
    return [fault('textures.bump-as-normal', 'it is grey, and directions never are: it holds heights')];
  if (holding === 'color') return [fault('textures.not-normal', 'its texels are no directions of length one', false)];
  if (holding === 'normal-object')
    return [fault('textures.normal-object', 'its directions point all around, as those of a whole figure do', false)];
  const median = statistics.channels[0].median;
  if (holding === 'normal-encoded' || holding === 'normal-decoded')
    out.push(
      fault(
        'textures.normal-curve',
        `level surface is ${median} of 255 in it instead of 128: it was saved as though it were colours`,
        true,
        median,
      ),
    );
  if (holding === 'normal-two' || holding === 'normal-alpha')
    out.push(
      fault(
        'textures.normal-third',
        holding === 'normal-two' ? 'its blue is no direction' : 'its first direction lies in alpha',
      ),
    );
  // Turned by its own mend where a third direction or a curve is made right first: both look at red and green alone.
  if (green?.points === 'down')
    out.push(
      fault(
        'textures.green-down',
        `bumps fit together ${green.ratio.toFixed(1)} times better with green pointing down`,
        true,
        Math.round(green.ratio * 10) / 10,
      ),
    );
  return out;
}

/** Normal maps whose own bumps don't tell, where those of the others that do all point down. */
function greenOfSet(normals: readonly { at: At; green: GreenFound | null }[]): MapFault[] {
  const ways = normals.flatMap(({ green }) => (green && green.points !== 'unclear' ? [green.points] : []));
  if (!ways.length || ways.includes('up')) return [];
  return normals
    .filter(({ green }) => green?.points === 'unclear')
    .map(({ at }) => ({
      ...at,
      code: 'textures.green-down',
      measured: 1,
      sure: false,
      why: 'its own bumps fit either way, and those of the other normal maps point down',
    }));
}

function colorFaults(at: At, { holding, curved, green }: Seen): MapFault[] {
  if (holding === 'normal' && green?.points !== 'unclear')
    return [
      { ...at, code: 'textures.not-colour', why: 'it holds directions, as normal maps do', sure: false, measured: 1 },
    ];
  if (curved === 'to-linear')
    return [
      {
        ...at,
        code: 'textures.colour-linear',
        why: 'its values are those that decoding colours leaves, so it is shown too dark',
        sure: true,
        measured: 1,
        curved,
      },
    ];
  return [];
}

/** Kinds of which figures know how they are laid out. */
const LAID_OUT: ReadonlySet<MaterialKind> = new Set(['skin', 'lips']);

/** A map that fits another figure's seams and not those of the surface that wears it. */
function layoutFaults(document: Document, at: At, { picture }: Seen, known: readonly KnownLayout[]): MapFault[] {
  const found = known.length ? foreignLayout(picture, seamsOfMaterial(document, at.material), known) : null;
  if (!found) return [];
  const percent = (share: number) => `${Math.round(share * 100)} %`;
  return [
    {
      ...at,
      code: 'textures.foreign-layout',
      measured: Math.round(found.own * 100) / 100,
      sure: true,
      figure: found.layout.figure,
      why: `it goes on across the seams of “${found.layout.part}” of ${found.layout.title} (${percent(found.theirs)} of what differs anywhere), and breaks at the seams that it lies on (${percent(found.own)})`,
    },
  ];
}

interface Surface {
  at: At;
  kind: MaterialKind;
  middle: number | null;
  named: GlossAsked['named'];
  glossy: boolean;
}

function surfaceFaults(
  at: At,
  { statistics, curved, holding }: Seen,
  kind: MaterialKind,
): { found: MapFault[]; middle: number | null; gloss: boolean } {
  const found: MapFault[] = [],
    { material } = at,
    order: LayoutFound = judgeLayout(statistics, kind, fileWords(at.texture)),
    letter = order.layout ? (order.layout.roughness ?? order.layout.gloss ?? 'g') : 'g',
    channel = statistics.channels[{ r: 0, g: 1, b: 2, a: 3 }[letter]];
  if (curved === 'to-srgb' && holding === 'grey')
    found.push({
      ...at,
      code: 'textures.data-curve',
      why: 'its values are those that encoding colours leaves, so it reads too high',
      sure: true,
      measured: 1,
      curved,
    });
  if (!order.layout) {
    if (material.getMetallicFactor() > 0 && !METAL_KINDS.includes(kind))
      found.push({
        ...at,
        code: 'textures.grey-surface',
        why: `one grey picture says both how rough and how metallic ${kind} is, and ${kind} is no metal`,
        sure: true,
        measured: 1,
      });
  } else if (order.ratio > 1 && (holding !== 'constant' || statistics.channels[3].spread >= 0.6))
    found.push({
      ...at,
      code: 'textures.channel-order',
      why: `its channels are ${order.words}: by what each holds that is ${order.ratio > 99 ? 'over 99' : order.ratio.toFixed(0)} times likelier than occlusion, roughness, metalness`,
      sure: order.sure,
      measured: Math.round(Math.min(99, order.ratio)),
      layout: order.layout,
    });
  const speaks = material.getRoughnessFactor() > 0.5;
  return { found, middle: speaks ? middleValue(channel) : null, gloss: order.layout?.gloss !== undefined };
}

function glossFaults(surfaces: readonly Surface[]): MapFault[] {
  // What is said to hold smoothness by its order is made roughness with that.
  const asked = surfaces.filter(({ glossy }) => !glossy),
    found = judgeGloss(asked);
  return asked.flatMap(({ at, middle }, i) =>
    found[i].holds === 'roughness' || middle === null
      ? []
      : [
          {
            ...at,
            code: 'textures.gloss-as-roughness' as const,
            measured: Math.round(middle * 100) / 100,
            sure: found[i].holds === 'gloss',
            why: found[i].why,
          },
        ],
  );
}

const fileWords = (texture: Texture): string[] =>
  wordsOf(
    textureFile(texture)
      .replace(/^.*[\\/]/, '')
      .replace(/\.[^.]+$/, ''),
  );
const namedOf = (texture: Texture): GlossAsked['named'] => imageName(textureFile(texture)).channel;
