import { DOMParser, type Element } from '@xmldom/xmldom';
import type { AnimationClip, Object3D } from 'three';
import { ColladaLoader } from 'three/addons/loaders/ColladaLoader.js';
import { extentOf, jointsOutside, meshesOf, type MorphSeen } from './body.ts';
import { all, faultsOf, numbersOf } from './dae-faults.ts';
import { openFile } from './images.ts';
import type { DeliveredFile } from './raw.ts';
import { nothingSeen, type Seen } from './seen.ts';
import { withoutImages } from './without-images.ts';

const IMAGE = /\.(png|jpe?g|webp|avif|ktx2)$/i;
/** A hundredth of a millimetre, metres. */
const MOVES = 1e-5;

/** Sees a delivered .dae with its maps, by the loader of the library we draw with and by the elements themselves. */
export async function lookAtDae(model: DeliveredFile, files: readonly DeliveredFile[]): Promise<Seen> {
  const out: Seen = { ...nothingSeen(), validator: { errors: [], warnings: [], unused: [] } },
    text = new TextDecoder().decode(model.bytes);
  try {
    const root = new DOMParser({ onError: () => {} }).parseFromString(text, 'application/xml').documentElement;
    if (root?.nodeName !== 'COLLADA') throw new Error('it is no COLLADA');
    // Before it is loaded: the loader stumbles over what is at fault.
    out.validator.errors = faultsOf(root, new Set(files.map(({ path }) => path)));
    const { scene, animations } = loaded(text, root),
      extent = extentOf(scene);
    out.images = await Promise.all(
      files.filter(({ path }) => IMAGE.test(path)).map(({ path, bytes }) => openFile(path, bytes)),
    );
    out.joints = jointsOutside(scene);
    out.clips = clipsIn(scene, animations);
    out.sizeMm = extent && ([0, 1, 2].map((k) => (extent.high[k] - extent.low[k]) * 1000) as [number, number, number]);
    out.morphs = morphsIn(root);
    out.notFinite = meshesOf(scene).flatMap((mesh) =>
      Object.entries(mesh.geometry.attributes).flatMap(([name, { array }]) => {
        const count = Array.from(array as ArrayLike<number>).filter((x) => !Number.isFinite(x)).length;
        return count ? [{ where: `${mesh.name}.${name}`, count }] : [];
      }),
    );
  } catch (error) {
    out.refused = (error as Error).message;
  }
  return out;
}

/**
 * Morphs are passed over: the loader has none, and stumbles over a skin of one. They are looked at apart.
 */
function loaded(text: string, root: Element): { scene: Object3D; animations: AnimationClip[] } {
  const { warn, info, debug, log } = console,
    before = (globalThis as { DOMParser?: unknown }).DOMParser,
    meshOf = new Map(
      all(root, 'morph').map((morph) => [
        `#${(morph.parentNode as Element).getAttribute('id')}`,
        morph.getAttribute('source') ?? '',
      ]),
    ),
    bare = text
      .replace(/(<skin source=")([^"]+)/g, (_, start, link) => start + (meshOf.get(link) ?? link))
      .replace(/<instance_controller url="([^"]+)">([\s\S]*?)<\/instance_controller>/g, (whole, link, inner) =>
        meshOf.has(link) ? `<instance_geometry url="${meshOf.get(link)}">${inner}</instance_geometry>` : whole,
      );
  for (const say of ['warn', 'info', 'debug', 'log'] as const) console[say] = () => {};
  (globalThis as { DOMParser?: unknown }).DOMParser = DOMParser;
  try {
    const read = withoutImages(() => new ColladaLoader().parse(bare, ''));
    if (!read) throw new Error('its elements can’t be read');
    return { scene: read.scene, animations: read.scene.animations ?? [] };
  } finally {
    Object.assign(console, { warn, info, debug, log });
    (globalThis as { DOMParser?: unknown }).DOMParser = before;
  }
}

/** Morphs by the names of the meshes they lead to, as places less those of the mesh they start from. */
function morphsIn(root: Element): MorphSeen[] {
  const rows = new Map<string, MorphSeen>(),
    unit = Number(all(root, 'unit')[0]?.getAttribute('meter') ?? 1),
    ids = new Map(all(root, 'geometry').map((one) => [one.getAttribute('id'), one]));
  for (const morph of all(root, 'morph')) {
    const base = numbersOf(all(ids.get((morph.getAttribute('source') ?? '').slice(1)) ?? root, 'float_array')[0]);
    for (const id of (all(morph, 'IDREF_array')[0]?.textContent ?? '').trim().split(/\s+/)) {
      const mesh = ids.get(id),
        name = mesh?.getAttribute('name') ?? '',
        row = rows.get(name) ?? { name, vertices: 0, farthestMm: 0 },
        to = numbersOf(mesh && all(mesh, 'float_array')[0]);
      rows.set(name, row);
      for (let i = 0; i < to.length; i += 3) {
        const far = unit * Math.hypot(to[i] - base[i], to[i + 1] - base[i + 1], to[i + 2] - base[i + 2]);
        if (far > MOVES) row.vertices++;
        row.farthestMm = Math.max(row.farthestMm, far * 1000);
      }
    }
  }
  return [...rows.values()];
}

/** Channels of clips, and those whose node isn't in the scene. */
function clipsIn(scene: Object3D, animations: readonly AnimationClip[]): Seen['clips'] {
  const tracks = animations.flatMap((clip) => clip.tracks.map((track) => track.name));
  return {
    channels: tracks.length,
    unbound: tracks.filter(
      (name) => !scene.getObjectByProperty('uuid', name.split('.')[0]) && !scene.getObjectByName(name.split('.')[0]),
    ),
  };
}
