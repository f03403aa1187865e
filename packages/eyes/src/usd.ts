import { type AnimationClip, type Mesh, type Object3D, PropertyBinding } from 'three';
import { unzipSync } from 'three/addons/libs/fflate.module.js';
import { USDLoader } from 'three/addons/loaders/USDLoader.js';
import { USDAParser } from 'three/addons/loaders/usd/USDAParser.js';
import { extentOf, jointsOutside, meshesOf, type MorphSeen } from './body.ts';
import { openFile } from './images.ts';
import { nothingSeen, type Seen } from './seen.ts';
import type { DeliveredFile } from './raw.ts';
import { layerAtLevel } from './usd-level.ts';
import { withoutImages } from './without-images.ts';

/** A hundredth of a millimetre, metres. */
const MOVES = 1e-5;
const IMAGE = /\.(png|jpe?g|webp|avif|exr|ktx2)$/i;

/** Sees a level of a delivered .usda with its images, or a .usdz, by the loader and the text parser of the library we draw with. */
export async function lookAtUsd(model: DeliveredFile, files: readonly DeliveredFile[], level = 0): Promise<Seen> {
  const out: Seen = { ...nothingSeen(), validator: { errors: [], warnings: [], unused: [] } };
  try {
    const { layer, images } = /\.usdz$/i.test(model.path)
        ? unpacked(model)
        : { layer: model.bytes, images: besideOf(files) },
      text = new TextDecoder().decode(layer),
      shown = level ? layerAtLevel(text, level) : text,
      specs = new USDAParser().parseData(shown).specsByPath as Specs,
      // The nearest is what the file shows as it is.
      scene = loaded(level ? new TextEncoder().encode(shown) : model.bytes),
      extent = extentOf(scene);
    out.validator.errors = faultsOf(specs, images, model);
    out.images = await Promise.all([...images].map(([path, bytes]) => openFile(path, bytes)));
    out.joints = jointsOutside(scene);
    out.clips = clipsOf(scene);
    out.sizeMm = extent && ([0, 1, 2].map((k) => (extent.high[k] - extent.low[k]) * 1000) as [number, number, number]);
    out.morphs = shapesOf(specs);
    out.notFinite = notFiniteIn(scene);
  } catch (error) {
    out.refused = (error as Error).message;
  }
  return out;
}

type Specs = Record<string, { fields: Record<string, unknown> }>;
interface Inside {
  layer: Uint8Array;
  images: Map<string, Uint8Array>;
}

function unpacked({ bytes }: DeliveredFile): Inside {
  const files = Object.entries(unzipSync(bytes)),
    [first] = files;
  if (!first || !/\.usd[ac]?$/i.test(first[0])) throw new Error('the first file of the package is no layer');
  return { layer: first[1], images: new Map(files.filter(([path]) => IMAGE.test(path))) };
}
const besideOf = (files: readonly DeliveredFile[]): Inside['images'] =>
  new Map(files.filter(({ path }) => IMAGE.test(path)).map(({ path, bytes }) => [path, bytes]));

const loaded = (bytes: Uint8Array): Object3D => withoutImages(() => new USDLoader().parse(bytes.slice().buffer));

const saidAt = (specs: Specs, path: string): unknown => specs[path]?.fields.default;

/**
 * What a layer may not say: images that aren't there, materials, skeletons and shapes that aren't, weights and joints of another
 * number than points (Universal Scene Description, UsdSkel and UsdPreviewSurface), and a package whose files aren't stored on
 * 64-byte boundaries (USDZ).
 */
function faultsOf(specs: Specs, images: Inside['images'], model: DeliveredFile): Seen['validator']['errors'] {
  const rows: Seen['validator']['errors'] = [],
    say = (code: string, pointer: string, message: string) => {
      const row = rows.find((one) => one.code === code);
      if (row) row.count++;
      else rows.push({ code, count: 1, message, pointer });
    },
    paths = Object.keys(specs),
    floats = (path: string) => (saidAt(specs, path) as ArrayLike<number> | undefined)?.length ?? 0;
  for (const path of paths) {
    const { fields } = specs[path];
    for (const target of linksOf(fields)) {
      // The parser keeps no attribute without a value; its prim is enough.
      const to = target.replace(/\.outputs:.*$/, '');
      if (!specs[to]) say('NO_TARGET', path, `“${to}” isn't in the layer`);
    }
    if (path.endsWith('.inputs:file')) {
      const file = String(fields.default).replace(/^@|@$/g, '');
      if (!images.has(file)) say('NO_IMAGE', path, `“${file}” isn't there`);
    }
    if (path.endsWith('.points')) {
      const prim = path.slice(0, -'.points'.length),
        points = floats(path) / 3,
        indices = floats(`${prim}.primvars:skel:jointIndices`);
      if (indices !== floats(`${prim}.primvars:skel:jointWeights`) || indices % (points || 1) !== 0)
        say('INFLUENCES', prim, 'joints and weights aren’t as many for each point');
      const corners = (saidAt(specs, `${prim}.faceVertexIndices`) ?? []) as number[];
      if (corners.some((v) => !(v >= 0 && v < points))) say('FACES', prim, 'a face has a corner that is no point');
    }
  }
  if (/\.usdz$/i.test(model.path) && !isAligned(model.bytes))
    say('NOT_ALIGNED', '', 'files are packed or don’t begin on 64-byte boundaries');
  return rows;
}

function linksOf(fields: Record<string, unknown>): string[] {
  const lists = [fields.targetPaths, fields.connectionPaths].flatMap((list) => (Array.isArray(list) ? list : []));
  return lists.flatMap((text) =>
    String(text)
      .replace(/^\[|\]$/g, '')
      .split(',')
      .map((one) => one.trim().replace(/^<|>$/g, ''))
      .filter(Boolean),
  );
}

/** Local file headers of a ZIP archive, one after the other: stored, and the bytes of each on a multiple of 64. */
function isAligned(bytes: Uint8Array): boolean {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  for (let at = 0; at + 30 <= bytes.length && view.getUint32(at, true) === 0x04034b50; ) {
    const start = at + 30 + view.getUint16(at + 26, true) + view.getUint16(at + 28, true);
    if (view.getUint16(at + 8, true) !== 0 || start % 64 !== 0) return false;
    at = start + view.getUint32(at + 18, true);
  }
  return true;
}

/** Shapes by the names that meshes give them; the skeleton stands as it is bound, so that offsets are what is drawn. */
function shapesOf(specs: Specs): MorphSeen[] {
  const rows = new Map<string, MorphSeen>(),
    unit = Number(specs['/']?.fields.metersPerUnit ?? 1);
  for (const path of Object.keys(specs)) {
    if (!path.endsWith('.skel:blendShapes')) continue;
    const names = saidAt(specs, path) as string[],
      targets = linksOf(specs[path.replace(/blendShapes$/, 'blendShapeTargets')]?.fields ?? {});
    names.forEach((name, i) => {
      const offsets = (saidAt(specs, `${targets[i]}.offsets`) ?? []) as number[],
        row = rows.get(name) ?? { name, vertices: 0, farthestMm: 0 };
      rows.set(name, row);
      for (let k = 0; k < offsets.length; k += 3) {
        const far = unit * Math.hypot(offsets[k], offsets[k + 1], offsets[k + 2]);
        if (far > MOVES) row.vertices++;
        row.farthestMm = Math.max(row.farthestMm, far * 1000);
      }
    });
  }
  return [...rows.values()];
}

function clipsOf(scene: Object3D): Seen['clips'] {
  const clips = (scene as Object3D & { animations?: AnimationClip[] }).animations ?? [],
    tracks = clips.flatMap((clip) => clip.tracks.map((track) => `${clip.name}: ${track.name}`)),
    unbound = clips.flatMap((clip) =>
      clip.tracks
        .filter((track) => !PropertyBinding.findNode(scene, PropertyBinding.parseTrackName(track.name).nodeName))
        .map((track) => `${clip.name}: ${track.name}`),
    );
  return { channels: tracks.length, unbound };
}

function notFiniteIn(scene: Object3D): Seen['notFinite'] {
  return meshesOf(scene).flatMap((mesh: Mesh) =>
    Object.entries(mesh.geometry.attributes).flatMap(([name, { array }]) => {
      const count = Array.from(array as ArrayLike<number>).filter((x) => !Number.isFinite(x)).length;
      return count ? [{ where: `${mesh.name}.${name}`, count }] : [];
    }),
  );
}
