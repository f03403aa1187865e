import { type AnimationClip, type Group, LoadingManager, type Object3D, type WebGLRenderer } from 'three';
import { hangOn, type LevelFound, surfacesOf, trianglesOf } from './levels.ts';
import { levelsHeld } from './levels-held.ts';
import { usdLevels } from './usd-levels.ts';
import { withoutMorphs } from './without-morphs.ts';
import { CantTry, endingOf, type ModelKind, type Package } from './open-package.ts';

export interface Loaded {
  scene: Object3D;
  clips: AnimationClip[];
  /** Files that the model asked for in vain. */
  missing: string[];
  /** What goes on by itself from frame to frame, as springs of hair do. */
  update?(seconds: number): void;
  /** Who opened it. */
  by: string;
  shows: Shows;
  /** Levels of detail behind the nearest, not hung on it yet. */
  levels: LevelFound[];
}

/** What a loader has of a figure at all: what it can't show is no fault of the package. */
export interface Shows {
  morphs: boolean;
  /** `any`: under names of its own. */
  clips: 'named' | 'any' | 'none';
}

/**
 * Opens a package as a viewer elsewhere would, by the loaders of the library we draw with, each fetched when it is asked
 * for: nothing here is shared with our readers. Parts in files of their own come together on the joints of the first.
 * @throws CantTry with that loader's reason
 */
export async function loadModel(given: Package, renderer: WebGLRenderer): Promise<Loaded> {
  const { models } = given,
    first = await openOne(given, given.model, renderer),
    levels = first.levels.map((level) => ({
      ...level,
      fromM: models.find(({ level: n, inside }) => inside && n === level.n)?.fromM ?? level.fromM,
    }));
  for (const { path, level, fromM = 0, inside } of models) {
    if (inside || path === given.model) continue;
    const other = await openOne(given, path, renderer);
    for (const file of other.missing) if (!first.missing.includes(file)) first.missing.push(file);
    other.scene.updateMatrixWorld(true);
    if (level === 0) {
      addTo(levels, other.levels);
      hangOn(first.scene, surfacesOf(other.scene));
    } else
      addTo(levels, [
        { n: level, fromM, surfaces: surfacesOf(other.scene), triangles: Math.round(trianglesOf(other.scene)) },
      ]);
  }
  return { ...first, levels };
}

/** More surfaces of levels that are there, and levels that aren't. */
function addTo(levels: LevelFound[], more: readonly LevelFound[]): void {
  for (const level of more) {
    const known = levels.find(({ n }) => n === level.n);
    if (!known) levels.push({ ...level });
    else {
      known.surfaces = [...known.surfaces, ...level.surfaces];
      known.triangles += level.triangles;
    }
  }
  levels.sort((a, b) => a.n - b.n);
}

async function openOne({ files }: Package, model: string, renderer: WebGLRenderer): Promise<Loaded> {
  const kind = endingOf(model) as ModelKind,
    missing: string[] = [],
    urls = new Map<string, string>(),
    manager = new LoadingManager();
  const folder = model.slice(0, model.lastIndexOf('/') + 1);
  manager.setURLModifier((url) => {
    if (/^(blob:|data:)/.test(url)) return url;
    // What the page itself brings for its loaders.
    if (/^(https?:\/\/|\/assets\/)/.test(url)) return url;
    const path = pathOf(folder, url),
      bytes = files.get(path) ?? byName(files, path);
    if (!bytes) {
      if (!missing.includes(path)) missing.push(path);
      return 'data:,';
    }
    const known = urls.get(path) ?? URL.createObjectURL(new Blob([bytes], { type: TYPES[endingOf(path)] ?? '' }));
    urls.set(path, known);
    return known;
  });
  const bytes = files.get(model) as Uint8Array<ArrayBuffer>,
    whole = bytes.slice().buffer;
  try {
    const settled = untilSettled(manager),
      loaded = await LOADERS[kind](whole, manager, renderer, { files, model });
    // Some loaders show their maps when they come.
    await settled();
    return { levels: [], ...loaded, missing };
  } catch (error) {
    throw new CantTry(
      `The loader for .${kind} doesn't open “${model}”: ${(error as Error)?.message || String(error)}. Convert it again, or deliver it as .glb.`,
    );
  } finally {
    // Images that come later hold on to theirs: the loaders wait for what they show.
    setTimeout(() => urls.forEach((url) => URL.revokeObjectURL(url)), 60_000);
  }
}

/** Longest that maps are waited for: a loader that never says it is done is not waited for. */
const MOST_WAIT_MS = 30_000;

/** @returns a wait until nothing is under way any more */
function untilSettled(manager: LoadingManager): () => Promise<void> {
  let open = 0,
    done = () => {};
  const start = manager.itemStart.bind(manager),
    end = manager.itemEnd.bind(manager);
  manager.itemStart = (url) => {
    open++;
    start(url);
  };
  manager.itemEnd = (url) => {
    open--;
    end(url);
    if (open === 0) done();
  };
  return () =>
    new Promise((resolve) => {
      if (open === 0) return resolve();
      const late = setTimeout(resolve, MOST_WAIT_MS);
      done = () => {
        clearTimeout(late);
        // What was decoded is handed on after it has ended.
        setTimeout(resolve);
      };
    });
}

const TYPES: Record<string, string> = {
  png: 'image/png',
  jpg: 'image/jpeg',
  jpeg: 'image/jpeg',
  webp: 'image/webp',
  ktx2: 'image/ktx2',
};

function pathOf(folder: string, url: string): string {
  const parts: string[] = [];
  for (const part of `${folder}${decodeURI(url)}`.replace(/\\/g, '/').split('/')) {
    if (part === '..') parts.pop();
    else if (part && part !== '.') parts.push(part);
  }
  return parts.join('/');
}
/** Dropped files come without their folders. */
const byName = (files: Package['files'], path: string) => {
  const name = path.slice(path.lastIndexOf('/') + 1);
  return [...files].find(([own]) => own.slice(own.lastIndexOf('/') + 1) === name)?.[1];
};

type Opened = Omit<Loaded, 'missing' | 'levels'> & Partial<Pick<Loaded, 'levels'>>;
type Load = (
  bytes: ArrayBuffer,
  manager: LoadingManager,
  renderer: WebGLRenderer,
  given: Pick<Package, 'files' | 'model'>,
) => Promise<Opened>;

const loadGltf: Load = async (bytes, manager, renderer, { model }) => {
  const { GLTFLoader } = await import('three/addons/loaders/GLTFLoader.js'),
    loader = new GLTFLoader(manager),
    text = new TextDecoder('latin1').decode(bytes.slice(0, 4_000_000));
  // Decoders are large; whether a file asks for one stands in its JSON.
  if (text.includes('KHR_draco_mesh_compression')) {
    const { DRACOLoader } = await import('three/addons/loaders/DRACOLoader.js');
    loader.setDRACOLoader(new DRACOLoader());
  }
  if (/(EXT|KHR)_meshopt_compression/.test(text)) {
    const { MeshoptDecoder } = await import('three/addons/libs/meshopt_decoder.module.js');
    loader.setMeshoptDecoder(MeshoptDecoder);
  }
  if (text.includes('KHR_texture_basisu')) {
    const { packedMapsLoader } = await import('./packed-maps.ts');
    loader.setKTX2Loader(packedMapsLoader(manager, renderer));
  }
  const isVrm = endingOf(model) === 'vrm';
  if (isVrm) {
    const { VRMLoaderPlugin } = await import('@pixiv/three-vrm');
    // The plugin's declarations follow another version of the library's.
    loader.register((parser) => new VRMLoaderPlugin(parser as never) as never);
  }
  const gltf = await loader.parseAsync(bytes, ''),
    vrm = gltf.userData.vrm as { springBoneManager?: { update(seconds: number): void } } | undefined;
  if (!gltf.scene) throw new Error('it holds no scene');
  return {
    scene: gltf.scene,
    levels: await levelsHeld(gltf),
    clips: gltf.animations,
    shows: { morphs: true, clips: 'named' },
    by: isVrm ? 'the open loader for VRM' : 'a glTF loader',
    ...(vrm?.springBoneManager && {
      update: (seconds: number) => vrm.springBoneManager?.update(Math.min(seconds, 1 / 30)),
    }),
  };
};

const loadUsd: Load = async (bytes, manager, _renderer, { model }) => {
  const { USDLoader } = await import('three/addons/loaders/USDLoader.js'),
    scene = new USDLoader(manager).parse(bytes) as Group;
  return {
    scene,
    levels: await usdLevels(new Uint8Array(bytes), endingOf(model) === 'usdz', scene),
    clips: scene.animations ?? [],
    by: 'a USD loader',
    shows: { morphs: false, clips: 'any' },
  };
};

const LOADERS: Record<ModelKind, Load> = {
  glb: loadGltf,
  gltf: loadGltf,
  vrm: loadGltf,
  usdz: loadUsd,
  usda: loadUsd,
  usd: loadUsd,
  usdc: loadUsd,
  async dae(bytes, manager) {
    const { ColladaLoader } = await import('three/addons/loaders/ColladaLoader.js'),
      found = new ColladaLoader(manager).parse(withoutMorphs(new TextDecoder().decode(bytes)), '');
    if (!found) throw new Error('it holds no scene');
    return {
      scene: found.scene,
      clips: found.scene.animations ?? [],
      by: 'a COLLADA loader',
      shows: { morphs: false, clips: 'any' },
    };
  },
  async obj(bytes, manager, _renderer, { files }) {
    const { OBJLoader } = await import('three/addons/loaders/OBJLoader.js'),
      loader = new OBJLoader(manager),
      library = [...files].find(([path]) => endingOf(path) === 'mtl');
    if (library) {
      const { MTLLoader } = await import('three/addons/loaders/MTLLoader.js'),
        materials = new MTLLoader(manager).parse(new TextDecoder().decode(library[1]), '');
      materials.preload();
      loader.setMaterials(materials);
    }
    return {
      scene: loader.parse(new TextDecoder().decode(bytes)),
      clips: [],
      by: 'an OBJ loader',
      shows: { morphs: false, clips: 'none' },
    };
  },
};
