import type { Document, Material, Texture } from '@gltf-transform/core';
import { copyMaterial, floatsOf, listParts, mapsOf, trianglesOf } from '../character/index.ts';
import { vertexNormals } from '../geometry/index.ts';
import { seamPlaces, seamsFit, seamsOfMaterial, smallPicture, type SmallPicture } from '../maps/index.ts';
import type { ImageCodec } from '../pixels/index.ts';
import type { StepContext } from '../step.ts';
import {
  type Correspondence,
  correspond,
  FULL,
  isSkin,
  type Skin,
  skinOf,
  trustOf,
  type Wrapped,
  wrapSkin,
} from '../wrap/index.ts';
import { carryMaps, type MapsCarried } from './carry-maps.ts';
import { laidPart } from './lay-body.ts';
import { standingSkin } from './figure-loops.ts';
import { type OpenedFigure, standing } from './open-figure.ts';
import { dropMaterial, FROM_SHARES, FROM_TRIANGLE, type Replaced } from './replaced.ts';

/** A material whose maps were looked at, and the part that they were painted for; null where they weren't, or it can't be told. */
export interface LayoutTold {
  material: string;
  part: string | null;
  own: number | null;
  theirs: number | null;
}
export interface LaidAnew extends MapsCarried {
  told: LayoutTold[];
}
type Range = Skin['deformer']['ranges'][number];
interface Painted {
  material: Material;
  range: Range;
  /** Maps of it that lie as they should. */
  leave: ReadonlySet<Texture>;
}

/**
 * Maps of a character's skin that were painted for another figure's texture places, laid out as its own are.
 * @param opened whose layout they have; nothing of it is kept
 * @param options.refuse throws where one of the skins can't be laid on the other
 */
export async function layOutAnew(
  document: Document,
  opened: OpenedFigure,
  context: StepContext,
  { stop, refuse }: { stop(): void; refuse(figure: Skin, own: Skin): void },
): Promise<LaidAnew> {
  const figure = standing(opened.document),
    { skin: body } = standingSkin(figure, opened),
    other = skinOf(document),
    out: LaidAnew = { maps: [], unreadable: [], told: [] };
  refuse(body, other);
  context.progress(0.03, 'looking what was painted for whom');
  const painted = await paintedFor(document, body, context.images, out.told);
  if (!painted.length) return out;
  const wrapped = wrapSkin(body, other, {
      settings: FULL,
      stop,
      after: (done) => context.progress(0.05 + 0.45 * done, 'the other figure takes on the shape'),
    }),
    at = correspond(other.mesh, other.mesh.places, wrapped.open.map(trustOf), { ...body.mesh, places: wrapped.places }),
    replaced = asReplaced(figure, body, wrapped);
  // One after the other: two materials may have been painted for one part.
  for (const [i, { material, range, leave }] of painted.entries()) {
    const source = copyMaterial(material),
      parts = replaced.parts.map((part, r) => ({
        ...part,
        material: body.deformer.ranges[r] === range ? source : null,
      })),
      share = (done: number) => 0.5 + (0.5 * (i + done)) / painted.length;
    placeOn(document, material, other, body, at);
    try {
      const { maps, unreadable } = await carryMaps(
        document,
        { ...replaced, parts },
        null,
        { ...context, progress: (done, what) => context.progress(share(done), what) },
        stop,
        leave,
      );
      out.maps.push(...maps);
      out.unreadable.push(...unreadable);
    } finally {
      dropMaterial(document, source);
      for (const { prim } of listParts(document))
        for (const semantic of [FROM_TRIANGLE, FROM_SHARES]) prim.setAttribute(semantic, null);
    }
  }
  return out;
}

/** Of each material of the skin the part of the figure across whose seams its colours go on, where they do so better than across its own. */
async function paintedFor(
  document: Document,
  { deformer }: Skin,
  images: ImageCodec,
  told: LayoutTold[],
): Promise<Painted[]> {
  const seams = deformer.ranges.map(({ part: { prim } }) => {
      const [position, uv] = [prim.getAttribute('POSITION'), prim.getAttribute('TEXCOORD_0')];
      return position && uv ? seamPlaces(floatsOf(position), floatsOf(uv), trianglesOf(prim)) : new Float32Array(0);
    }),
    out: Painted[] = [];
  for (const material of new Set(listParts(document).flatMap((part) => (isSkin(part) ? (part.material ?? []) : [])))) {
    const color = material.getBaseColorTexture(),
      picture = color && (await pictureOf(color, images, false));
    if (!picture) continue;
    const mine = seamsOfMaterial(document, material),
      own = seamsFit(picture, mine),
      fits = seams.map((one) => seamsFit(picture, one) ?? Infinity),
      best = fits.indexOf(Math.min(...fits)),
      theirs = Number.isFinite(fits[best]) ? fits[best] : null;
    if (own === null || theirs === null || theirs >= own) {
      told.push({ material: material.getName(), part: null, own: theirs === null ? null : own, theirs });
      continue;
    }
    const leave = new Set<Texture>();
    for (const { channel, texture } of mapsOf(material)) {
      if (texture === color) continue;
      const small = await pictureOf(texture, images, /normal/i.test(channel)),
        here = small && seamsFit(small, mine),
        there = small && seamsFit(small, seams[best]);
      // What can't be told goes along with the colours.
      if (here !== null && there !== null && here < there) leave.add(texture);
    }
    told.push({ material: material.getName(), part: deformer.ranges[best].part.name, own, theirs });
    out.push({ material, range: deformer.ranges[best], leave });
  }
  return out;
}

/** @param slopes of normals only how steep they are: their directions turn with the layout */
async function pictureOf(texture: Texture, images: ImageCodec, slopes: boolean): Promise<SmallPicture | null> {
  const image = texture.getImage(),
    pixels = image?.length ? await images.decode(image).catch(() => null) : null;
  if (!pixels) return null;
  const picture = smallPicture(pixels);
  if (slopes)
    for (let i = 0; i < picture.values.length; i += 3)
      picture.values[i] = picture.values[i + 1] = picture.values[i + 2];
  return picture;
}

/** A figure's skin as it came to lie, as though it had been replaced: what maps are taken from. */
function asReplaced(figure: Document, { deformer, mesh }: Skin, { places }: Wrapped): Replaced {
  const byPoint = vertexNormals(places, mesh.corners),
    spread = (of: Float32Array) => {
      const all = new Float32Array(deformer.vertices * 3);
      for (let v = 0; v < deformer.vertices; v++)
        all.set(of.subarray(mesh.pointOf[v] * 3, mesh.pointOf[v] * 3 + 3), v * 3);
      return all;
    };
  return {
    positions: spread(places),
    normals: spread(byPoint),
    indices: deformer.indices,
    parts: deformer.ranges.map(({ part, ...range }) => ({
      ...range,
      name: part.name,
      material: null,
      mesh: figure.createMesh(part.name).addPrimitive(part.prim),
      morphs: [],
      morph: () => null,
    })),
  };
}

/** Every vertex that wears a material knows its place on the figure's skin. */
function placeOn(document: Document, material: Material, other: Skin, body: Skin, at: Correspondence): void {
  for (const range of other.deformer.ranges) {
    if (range.part.material !== material) continue;
    const { from, shares } = laidPart(other, range, other.mesh, other.mesh.normals, body, at);
    range.part.prim
      .setAttribute(FROM_TRIANGLE, document.createAccessor().setType('SCALAR').setArray(from))
      .setAttribute(FROM_SHARES, document.createAccessor().setType('VEC2').setArray(shares));
  }
}
