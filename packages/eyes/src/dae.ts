import { DOMParser, type Element } from '@xmldom/xmldom';
import type { AnimationClip, Object3D } from 'three';
import { ColladaLoader } from 'three/addons/loaders/ColladaLoader.js';
import { extentOf, jointsOutside, meshesOf, type MorphSeen } from './body.ts';
import { openFile } from './images.ts';
import type { DeliveredFile } from './raw.ts';
import { nothingSeen, type Seen } from './seen.ts';
import { withoutImages } from './without-images.ts';

const IMAGE = /\.(png|jpe?g|webp|avif|ktx2)$/i;
/** A hundredth of a millimetre, metres. */
const MOVES = 1e-5;
type Rows = Seen['validator']['errors'];

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

const all = (element: Element, name: string): Element[] => Array.from(element.getElementsByTagName(name));
const numbersOf = (element: Element | undefined): number[] =>
  (element?.textContent ?? '').trim().split(/\s+/).filter(Boolean).map(Number);

/** Links to nothing, corners that are no vertex, arrays of another length than said, weights that name no joint, maps that aren't there. */
function faultsOf(root: Element, paths: ReadonlySet<string>): Rows {
  const rows: Rows = [],
    say = (code: string, pointer: string, message: string) => {
      const row = rows.find((one) => one.code === code);
      if (row) row.count++;
      else rows.push({ code, count: 1, message, pointer });
    },
    ids = new Map(
      all(root, '*').flatMap((element) =>
        element.getAttribute('id') ? [[element.getAttribute('id'), element]] : [],
      ) as [string, Element][],
    );
  for (const element of all(root, '*'))
    for (const name of ['url', 'source', 'target']) {
      const link = element.getAttribute(name) ?? '';
      if (link.startsWith('#') && !ids.has(link.slice(1))) say('NO_TARGET', link, `“${link}” isn't in the file`);
    }
  for (const array of [...all(root, 'float_array'), ...all(root, 'Name_array'), ...all(root, 'IDREF_array')]) {
    const there = (array.textContent ?? '').trim().split(/\s+/).filter(Boolean);
    if (there.length !== Number(array.getAttribute('count')))
      say('COUNT', array.getAttribute('id') ?? '', `it says ${array.getAttribute('count')} and holds ${there.length}`);
    if (array.nodeName === 'IDREF_array')
      for (const id of there) if (!ids.has(id)) say('NO_TARGET', id, `“${id}” isn't in the file`);
  }
  const lengthOf = (link: string | null): number => {
    const source = ids.get((link ?? '').slice(1)),
      inner = source?.nodeName === 'vertices' ? all(source, 'input')[0]?.getAttribute('source') : link,
      accessor = all(ids.get((inner ?? '').slice(1)) ?? root, 'accessor')[0];
    return Number(accessor?.getAttribute('count'));
  };
  for (const triangles of all(root, 'triangles')) {
    const inputs = all(triangles, 'input'),
      most = Math.min(...inputs.map((input) => lengthOf(input.getAttribute('source')))),
      corners = numbersOf(all(triangles, 'p')[0]);
    if (corners.length !== Number(triangles.getAttribute('count')) * 3 || corners.some((v) => !(v >= 0 && v < most)))
      say('FACES', triangles.getAttribute('material') ?? '', 'a corner is no vertex, or there are fewer than said');
  }
  for (const weights of all(root, 'vertex_weights')) {
    const [joints, values] = all(weights, 'input').map((input) => lengthOf(input.getAttribute('source'))),
      pairs = numbersOf(all(weights, 'v')[0]),
      asked = numbersOf(all(weights, 'vcount')[0]).reduce((sum, n) => sum + n, 0);
    if (pairs.length !== asked * 2 || pairs.some((n, i) => !(n >= 0 && n < (i % 2 ? values : joints))))
      say('INFLUENCES', '', 'a weight names no joint or no value');
  }
  for (const image of all(root, 'image')) {
    const path = decodeURI((all(image, 'init_from')[0]?.textContent ?? '').trim());
    if (!paths.has(path)) say('NO_IMAGE', path, `“${path}” isn't there`);
  }
  return rows;
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
