import {
  BufferAttribute,
  BufferGeometry,
  DoubleSide,
  FrontSide,
  Mesh,
  MeshBasicMaterial,
  PerspectiveCamera,
  Raycaster,
  Vector2,
} from 'three';
import { acceleratedRaycast, MeshBVH } from 'three-mesh-bvh';
import { describe, expect, it } from 'vitest';
import { createDeformer } from '../character/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { slot } from '../testing/sheets.ts';
import { testContext } from '../testing/context.ts';
import { LENS, lookAt, pointAt } from './camera.ts';
import { Painter } from './draw.ts';
import { createScene } from './from-document.ts';
import { CHANNELS, LIGHTS } from './light.ts';
import { Maps } from './maps.ts';
import { Raster } from './raster.ts';
import { middlesOf, type Scene } from './scene.ts';

const SIZE = 96;
const VIEWS: readonly (readonly [middle: [number, number, number], height: number, yaw: number, pitch: number])[] = [
  [[0, 0.9, 0], 2, 0, 4],
  [[0, 0.9, 0], 2, -120, 30],
  [[0, 1.6, 0], 0.5, 35, -10],
];

/** A figure whose map tells its own places: red grows with u, green with v. */
async function told(): Promise<Scene> {
  const scene = await createScene(
      createDeformer(stickFigure({ rings: 12, sides: 12 })),
      new Maps(testContext().images),
    ),
    base = slot(256, 256, (x, y) => [x, y, 128, 255], 'data');
  return {
    ...scene,
    // Places all over the map, and none beyond its edge.
    uv: [
      Float32Array.from(
        { length: scene.vertices * 2 },
        (_, i) => 0.1 + 0.8 * Math.abs(Math.sin(scene.position[(i >> 1) * 3 + (i & 1)] * 2)),
      ),
    ],
    materials: scene.materials.map((material) => ({ ...material, base, sets: 1, factor: [1, 1, 1, 1], metallic: 0 })),
  };
}

/** Rays of another library through the middles of pixels: which triangle is met first, how far away, and where on its map. */
function rays(scene: Scene, [middle, height, yaw, pitch]: (typeof VIEWS)[number], both: boolean) {
  const geometry = new BufferGeometry()
    .setAttribute('position', new BufferAttribute(scene.position.slice(), 3))
    .setAttribute('uv', new BufferAttribute(scene.uv[0].slice(), 2))
    .setIndex(new BufferAttribute(scene.index.slice(), 1));
  geometry.boundsTree = new MeshBVH(geometry, { indirect: true });
  const mesh = new Mesh(geometry, new MeshBasicMaterial({ side: both ? DoubleSide : FrontSide }));
  mesh.raycast = acceleratedRaycast;
  const away = height / 2 / Math.tan((LENS / 2) * (Math.PI / 180)),
    [y, p] = [yaw, pitch].map((degrees) => (degrees * Math.PI) / 180);
  const camera = new PerspectiveCamera(LENS, 1, 0.01, 50);
  camera.position.set(
    middle[0] + away * Math.sin(y) * Math.cos(p),
    middle[1] + away * Math.sin(p),
    middle[2] + away * Math.cos(y) * Math.cos(p),
  );
  camera.lookAt(...middle);
  camera.updateMatrixWorld();
  const raycaster = new Raycaster();
  return (pixel: number) => {
    const x = ((pixel % SIZE) + 0.5) / SIZE,
      row = (Math.floor(pixel / SIZE) + 0.5) / SIZE;
    raycaster.setFromCamera(new Vector2(x * 2 - 1, 1 - row * 2), camera);
    return raycaster.intersectObject(mesh)[0];
  };
}

describe('pictures, held against rays of another library', () => {
  it('show the same triangle on every pixel but rims, at the same place in space', async () => {
    const scene = await told(),
      raster = new Raster(SIZE);
    for (const both of [false, true])
      for (const view of VIEWS) {
        const camera = lookAt(...view),
          sided = { ...scene, materials: scene.materials.map((one) => ({ ...one, doubleSided: both })) },
          ray = rays(scene, view, both);
        raster.draw(sided, camera, middlesOf(sided));
        let seen = 0,
          other = 0,
          off = 0;
        raster.solid.forEach((triangle, pixel) => {
          const hit = ray(pixel);
          if (!hit && triangle < 0) return;
          seen++;
          if ((hit?.faceIndex ?? -1) !== triangle) other++;
          else if (hit) {
            const point = pointAt(camera, SIZE, pixel, raster.depth[pixel]);
            off = Math.max(off, Math.hypot(point[0] - hit.point.x, point[1] - hit.point.y, point[2] - hit.point.z));
          }
        });
        expect(seen).toBeGreaterThan(200);
        expect(other / seen).toBeLessThan(0.02);
        expect(off).toBeLessThan(0.003);
      }
  });
  it('take colours from the same place of the map', async () => {
    const scene = await told(),
      painter = new Painter(SIZE),
      picture = painter.picture(scene),
      flat = LIGHTS.indexOf('flat') * 3;
    for (const view of VIEWS) {
      const ray = rays(scene, view, false);
      painter.draw(scene, lookAt(...view), { meant: picture });
      const off: number[] = [];
      for (let pixel = 0; pixel < SIZE * SIZE; pixel++) {
        const hit = ray(pixel);
        if (!hit?.uv || picture.alpha[pixel] < 1) continue;
        // sRGB's curve (IEC 61966-2-1), written out once more.
        const linear = (c: number) => (c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4),
          from = pixel * CHANNELS + flat;
        // The middle of texel n lies at (n + ½) ÷ 256 of the map and holds n ÷ 255.
        const byte = (place: number) => (place * 256 - 0.5) / 255;
        off.push(
          Math.abs(picture.color[from] - linear(byte(hit.uv.x))) +
            Math.abs(picture.color[from + 1] - linear(byte(hit.uv.y))),
        );
      }
      off.sort((a, b) => a - b);
      expect(off.length).toBeGreaterThan(200);
      expect(off[Math.floor(off.length / 2)]).toBeLessThan(0.008);
      expect(off[Math.floor(off.length * 0.97)]).toBeLessThan(0.05);
    }
  });
});
