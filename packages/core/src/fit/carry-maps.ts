import type { Document, Material, Texture, TextureInfo } from '@gltf-transform/core';
import { placingOf } from '../appearance/index.ts';
import { floatsOf, keepOwn, type MapChannel, mapsOf, ownOf, textureFile, trianglesOf } from '../character/index.ts';
import { encoded } from '../formats/index.ts';
import {
  addOperation,
  type ImageCodec,
  type ImageContent,
  operationsOf,
  type Pixels,
  textureState,
} from '../pixels/index.ts';
import type { StepContext } from '../step.ts';
import { bakeMap, type MapSource } from './bake-map.ts';
import { fittedParts } from './carry-morphs.ts';
import { type FrameAt, framesOfTexels, framesOfTriangles } from './frames-at.ts';
import { commonFactor, factorOf, ratioTo, setFactor } from './material-factors.ts';
import { FROM_TRIANGLE, type Replaced, type ReplacedPart } from './replaced.ts';
import { oldSurface, type TexelPlaces, texelPlaces } from './texel-places.ts';
import { type Beside, besideIslands, finerBefore, type TexelSources, texelSources } from './texel-sources.ts';

export interface MapCarried {
  material: string;
  channel: MapChannel | string;
  file: string;
  /** Sides of the map that was and of the one that is, texels. */
  before: number;
  size: number;
}
export interface MapsCarried {
  maps: MapCarried[];
  /** Maps that can't be opened. */
  unreadable: string[];
}

const CORE: readonly MapChannel[] = ['baseColor', 'normal', 'metallicRoughness', 'occlusion', 'emissive'];
const COLORS: ReadonlySet<string> = new Set(['baseColor', 'emissive', 'diffuse', 'specularColor', 'sheenColor']);
const NORMALS: ReadonlySet<string> = new Set(['normal', 'clearcoatNormal']);
const contentOf = (channel: string): ImageContent =>
  COLORS.has(channel) ? 'color' : NORMALS.has(channel) ? 'normal' : 'data';

/** One map to be made: of each part of what was replaced the map that it has there. */
interface Wish {
  channel: MapChannel | string;
  /** The map that the new material has from the part under most of it; null where only another has one. */
  old: Texture | null;
  of(part: ReplacedPart): { texture: Texture; info: TextureInfo | null } | null;
}

/** Texels of a map of one size, and what was found out about them. */
interface Laid {
  places: TexelPlaces;
  beside: Beside;
  sources: Map<number, TexelSources>;
}
/** A layout that is coarser by less than a tenth takes maps of the same size; none is made larger than twice what it was. */
const ROUNDED = 0.9;
const MOST_LARGER = 2;
/** A part under less of a sheet gives it no map of its own. */
const LEAST_SHARE = 0.01;
/** Texels carried over the borders of islands, so that no seam shows in coarser mip levels. */
const OVER_BORDERS = 32;

interface Sheet {
  material: Material;
  stretches: ReturnType<typeof stretchOf>[];
}

/**
 * Every map of what was replaced, laid out as the new surface is. Maps are made one after the other, so that no more of them
 * than one lies open.
 * @param most sides of new maps at most, texels; null: as fine as those that were
 * @param leave maps that lie as they should
 */
export async function carryMaps(
  document: Document,
  replaced: Replaced,
  most: number | null,
  context: StepContext,
  stop: () => void,
  leave: ReadonlySet<Texture> = new Set(),
): Promise<MapsCarried> {
  const old = oldSurface(replaced),
    sheets = sheetsOf(document),
    framesBySet = new Map<number, FrameAt>(),
    frames = (set: number) => {
      const found = framesBySet.get(set) ?? oldFrames(replaced, set);
      framesBySet.set(set, found);
      return found;
    },
    out: MapsCarried = { maps: [], unreadable: [] };
  let done = 0,
    writing = Promise.resolve();
  for (const sheet of sheets) {
    const wishes = bySize(
        wishesOf(sheet, replaced, document).filter(({ old }) => !(old && leave.has(old))),
        replaced,
      ),
      finer = finerBefore(sheet.stretches, replaced);
    let laid: Laid | null = null;
    for (const wish of wishes) {
      stop();
      context.progress(
        (done + wishes.indexOf(wish) / wishes.length) / sheets.length,
        `${wish.channel} of “${sheet.material.getName()}”`,
      );
      const open = await openedMaps(wish, replaced, context.images, out.unreadable);
      if (!open.size) continue;
      const before = Math.max(...[...open.values()].map(({ width, height }) => Math.max(width, height))),
        // As fine as it was, or nearly: islands of the new layout may be smaller.
        size = Math.min(most ?? 8192, powerOfTwo(Math.round(before * Math.min(MOST_LARGER, finer * ROUNDED))));
      if (laid?.places.size !== size) {
        const places = texelPlaces(sheet.stretches, old, size, stop);
        laid = { places, beside: besideIslands(places, OVER_BORDERS), sources: new Map() };
      }
      const pixels = bake(wish, sheet, replaced, laid, open, frames, stop),
        fresh = textureOf(document, wish, sheet.material);
      wear(sheet.material, wish, fresh);
      // One is written while the next is drawn.
      await writing;
      writing = written(fresh, wish, sheet.material, pixels, context);
      out.maps.push({
        material: sheet.material.getName(),
        channel: wish.channel,
        file: textureFile(fresh),
        before,
        size,
      });
    }
    done++;
  }
  await writing;
  return out;
}

function sheetsOf(document: Document): Sheet[] {
  const sheets = new Map<Material, Sheet>();
  for (const { prim, material } of fittedParts(document)) {
    if (!material || !prim.getAttribute('TEXCOORD_0')) continue;
    const sheet = sheets.get(material) ?? { material, stretches: [] };
    sheet.stretches.push(stretchOf(prim));
    sheets.set(material, sheet);
  }
  return [...sheets.values()];
}

function stretchOf(prim: ReturnType<typeof fittedParts>[number]['prim']) {
  const of = (semantic: string) => {
    const accessor = prim.getAttribute(semantic);
    return accessor ? floatsOf(accessor) : new Float32Array(0);
  };
  return {
    positions: of('POSITION'),
    normals: of('NORMAL'),
    uv: of('TEXCOORD_0'),
    from: of(FROM_TRIANGLE),
    indices: trianglesOf(prim),
  };
}

/** Parts of what was replaced that a sheet lies on with more than a few of its vertices. */
function partsUnder(stretches: Sheet['stretches'], { parts }: Replaced): ReplacedPart[] {
  const count = new Float64Array(parts.length);
  let all = 0;
  for (const { from } of stretches)
    for (const triangle of from) {
      if (triangle < 0) continue;
      all++;
      count[parts.findIndex((part) => triangle < part.firstTriangle + part.triangles)]++;
    }
  return parts.filter((_, i) => count[i] > LEAST_SHARE * all);
}

/** Maps that a new material needs: those that it has, and those that only some of what it took the place of had. */
function wishesOf({ material, stretches }: Sheet, replaced: Replaced, document: Document): Wish[] {
  const parts = partsUnder(stretches, replaced),
    wishes: Wish[] = [],
    seen = new Set<Texture>(),
    named = new Map(
      document
        .getRoot()
        .listTextures()
        .map((texture) => [texture.getName(), texture]),
    ),
    at = (part: ReplacedPart, channel: string) => {
      const use = part.material && mapsOf(part.material).find((one) => one.channel === channel);
      return use ? { texture: use.texture, info: use.info } : null;
    };
  for (const { channel, texture } of mapsOf(material)) {
    if (seen.has(texture)) continue;
    seen.add(texture);
    wishes.push({ channel, old: texture, of: (part) => at(part, channel) });
  }
  for (const channel of CORE)
    if (!mapsOf(material).some((use) => use.channel === channel) && parts.some((part) => at(part, channel)))
      wishes.push({ channel, old: null, of: (part) => at(part, channel) });
  for (const channel of Object.keys(ownOf(material, 'maps') ?? {}))
    wishes.push({
      channel,
      old: null,
      of: (part) => {
        const name = part.material && ownOf(part.material, 'maps')?.[channel],
          texture = name ? named.get(name) : undefined;
        return texture ? { texture, info: null } : null;
      },
    });
  return wishes;
}

/** Largest first: those of one size share what was found out about its texels. */
function bySize(wishes: Wish[], { parts }: Replaced): Wish[] {
  const sideOf = (texture: Texture | undefined) => {
      const { width, height } = texture ? textureState(texture) : { width: 0, height: 0 };
      return Math.max(width, height);
    },
    sides = new Map(wishes.map((wish) => [wish, Math.max(0, ...parts.map((part) => sideOf(wish.of(part)?.texture)))]));
  return wishes.sort((a, b) => (sides.get(b) ?? 0) - (sides.get(a) ?? 0));
}

async function openedMaps(
  wish: Wish,
  { parts }: Replaced,
  images: ImageCodec,
  unreadable: string[],
): Promise<Map<ReplacedPart, Pixels>> {
  const out = new Map<ReplacedPart, Pixels>();
  for (const part of parts) {
    const found = wish.of(part),
      image = found?.texture.getImage(),
      pixels = image?.length ? await images.decode(image).catch(() => null) : null;
    if (pixels) out.set(part, pixels);
    else if (found && !unreadable.includes(textureFile(found.texture))) unreadable.push(textureFile(found.texture));
  }
  return out;
}

function bake(
  wish: Wish,
  { material, stretches }: Sheet,
  replaced: Replaced,
  at: Laid,
  open: ReadonlyMap<ReplacedPart, Pixels>,
  frames: (set: number) => FrameAt,
  stop: () => void,
): Pixels {
  const content = contentOf(wish.channel),
    channel = wish.channel as MapChannel,
    placings = replaced.parts.map((part) => {
      const info = wish.of(part)?.info;
      return info ? placingOf(info) : null;
    }),
    set = placings.find((placing) => placing)?.set ?? 0,
    sources = sourcesFor(at, stretches, replaced, set),
    factors = replaced.parts.map((part) => (part.material ? factorOf(part.material, channel) : [1, 1, 1, 1])),
    common = commonFactor(factors.filter((_, i) => sources.used[i]));
  if (content !== 'normal' || channel === 'normal') setFactor(material, channel, common);
  return bakeMap(
    at.places,
    sources,
    at.beside,
    replaced.parts.map((part, i): MapSource => {
      const pixels = open.get(part),
        { affine = null, wrapU = 'repeat', wrapV = 'repeat' } = placings[i] ?? {};
      return {
        slot: pixels ? { pixels, wrapU, wrapV, affine } : null,
        factor: content === 'normal' ? factors[i] : ratioTo(factors[i], common),
      };
    }),
    content,
    content === 'normal' ? { old: frames(set), own: framesOfTexels(stretches, at.places) } : null,
    stop,
  );
}

/** Texture places of one set of coordinates; nearly all maps lie by the first. */
function sourcesFor(at: Laid, stretches: Sheet['stretches'], replaced: Replaced, set: number): TexelSources {
  let found = at.sources.get(set);
  if (!found) {
    found = texelSources(at.places, stretches, replaced, set);
    at.sources.set(set, found);
  }
  return found;
}

const oldFrames = ({ positions, normals, indices, parts }: Replaced, set: number): FrameAt =>
  framesOfTriangles(
    parts.map((part) => {
      const accessor = part.mesh.listPrimitives()[0].getAttribute(`TEXCOORD_${set}`),
        from = part.firstVertex * 3,
        to = (part.firstVertex + part.vertices) * 3;
      return {
        positions: positions.subarray(from, to),
        normals: normals.subarray(from, to),
        uv: accessor ? floatsOf(accessor) : new Float32Array(part.vertices * 2),
        indices: indices
          .subarray(part.firstTriangle * 3, (part.firstTriangle + part.triangles) * 3)
          .map((v) => v - part.firstVertex),
      };
    }),
  );

function textureOf(document: Document, wish: Wish, material: Material): Texture {
  const name = `${material.getName()}_${wish.channel}`.replace(/[^\w.-]+/g, '_'),
    fresh = document.createTexture(name).setMimeType('image/png').setURI(`${name}.png`);
  // What had been decided for the image as it came holds for what was made of it.
  for (const operation of wish.old ? operationsOf(wish.old) : [])
    if (operation.op === 'invert') addOperation(fresh, operation);
  return fresh;
}

async function written(
  fresh: Texture,
  { channel }: Wish,
  material: Material,
  pixels: Pixels,
  { images }: StepContext,
): Promise<void> {
  const opaque = channel !== 'baseColor' || material.getAlphaMode() === 'OPAQUE';
  fresh.setImage(await encoded(images, pixels, { opaque }));
}

/** Puts a map in the place of the one that it was made of, wherever the material uses that; it lies as the surface is laid out. */
function wear(material: Material, { channel, old }: Wish, fresh: Texture): void {
  const uses = mapsOf(material);
  if (old) {
    for (const { texture, info } of uses)
      if (texture === old) info?.setTexCoord(0).setExtension('KHR_texture_transform', null);
    material.swap(old, fresh);
    for (const extension of material.listExtensions()) extension.swap(old, fresh);
    return;
  }
  if (channel === 'baseColor') material.setBaseColorTexture(fresh);
  else if (channel === 'normal') material.setNormalTexture(fresh);
  else if (channel === 'metallicRoughness') material.setMetallicRoughnessTexture(fresh);
  else if (channel === 'occlusion') material.setOcclusionTexture(fresh);
  else if (channel === 'emissive') material.setEmissiveTexture(fresh);
  else keepOwn(material, 'maps', { ...ownOf(material, 'maps'), [channel]: fresh.getName() });
}

const powerOfTwo = (size: number): number => {
  let side = 1;
  while (side < size) side *= 2;
  return side;
};
