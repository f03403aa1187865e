import { type MapUse, placingOf } from '@dimetra/core';
import * as THREE from 'three';
import type { LoadedFigure } from './load.ts';

const PREVIEW_PIXELS = 1024;

interface Shared {
  texture: THREE.Texture;
  /** Settles when the image has arrived or failed. */
  load: Promise<void>;
  users: number;
}
/** By image and use. Source and result wear mostly the same images: each lies in the graphics memory once. */
const shared = new Map<string, Shared>();

/** Images that some figure on a stage uses. */
export const mapsInUse = (): number => shared.size;

/** The images of one figure, by address; the stage draws again when one arrives. */
export class FigureTextures {
  private readonly mine = new Map<string, Shared>();
  readonly loads: Promise<void>[] = [];

  constructor(
    private readonly figure: LoadedFigure,
    private readonly onImage: () => void,
  ) {}

  /** A map as it lies on the surface: by which UVs, moved how, and what is beyond its edges. */
  get(use: Pick<MapUse, 'texture' | 'info'> | null, color: boolean): THREE.Texture | null {
    const hash = use && this.figure.imageOf.get(use.texture);
    if (!use || !hash) return null;
    const lies = use.info ? placingOf(use.info) : AT_HOME,
      key = `${hash}/${color}/${JSON.stringify(lies)}`;
    let own = this.mine.get(key);
    if (!own) {
      own = shared.get(key) ?? bring(key, hash, color, lies);
      own.users++;
      this.mine.set(key, own);
      this.loads.push(own.load.then(this.onImage));
    }
    return own.texture;
  }

  dispose(): void {
    for (const [key, own] of this.mine) {
      if (--own.users) continue;
      own.texture.dispose();
      if (shared.get(key) === own) shared.delete(key);
    }
    this.mine.clear();
  }
}

type Placing = ReturnType<typeof placingOf>;
const AT_HOME: Placing = { set: 0, affine: null, wrapU: 'repeat', wrapV: 'repeat' };
const WRAPPINGS: Record<Placing['wrapU'], THREE.Wrapping> = {
  repeat: THREE.RepeatWrapping,
  clamp: THREE.ClampToEdgeWrapping,
  mirror: THREE.MirroredRepeatWrapping,
};
/** Sets of UVs that the stage's surfaces have. */
const SETS = 2;

function bring(key: string, hash: string, color: boolean, { set, affine, wrapU, wrapV }: Placing): Shared {
  const texture = new THREE.Texture();
  texture.flipY = false;
  texture.wrapS = WRAPPINGS[wrapU];
  texture.wrapT = WRAPPINGS[wrapV];
  texture.channel = Math.min(SETS - 1, set);
  if (affine) {
    texture.matrixAutoUpdate = false;
    texture.matrix.set(affine[0], affine[1], affine[2], affine[3], affine[4], affine[5], 0, 0, 1);
  }
  texture.anisotropy = 4;
  texture.colorSpace = color ? THREE.SRGBColorSpace : THREE.NoColorSpace;
  const load = new Promise<void>((resolve) => {
    const image = new Image();
    image.onload = () => {
      texture.image = image;
      texture.needsUpdate = true;
      resolve();
    };
    // What didn't come may come for the next figure.
    image.onerror = () => {
      shared.delete(key);
      resolve();
    };
    image.src = `/api/v1/images/${hash}?max=${PREVIEW_PIXELS}`;
  });
  const made = { texture, load, users: 0 };
  shared.set(key, made);
  return made;
}
