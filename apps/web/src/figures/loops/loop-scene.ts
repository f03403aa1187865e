import type { FigureLoop, LoopSurface } from '@dimetra/core';
import * as THREE from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';

/** Pixels from the middle of a handle that still hold it. */
const GRIP = 11;
const COLOR = { skin: 0x9aa6ad, loop: 0x6fb7a8, loose: 0x87909a, picked: 0xf0b35a, handle: 0xf2ead6, rim: 0x11161d };

/** A figure's skin with its loops on it, to be looked at from all sides; drawn when something changes. */
export class LoopScene {
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly camera = new THREE.PerspectiveCamera(30, 1, 0.005, 20);
  private readonly controls: OrbitControls;
  private readonly skin = new THREE.Mesh(
    new THREE.BufferGeometry(),
    new THREE.MeshStandardMaterial({
      color: COLOR.skin,
      roughness: 0.8,
      side: THREE.DoubleSide,
      polygonOffset: true,
      polygonOffsetFactor: 1,
      polygonOffsetUnits: 1,
    }),
  );
  private readonly lines = new THREE.Group();
  private readonly rims = points(COLOR.rim, 13);
  private readonly dots = points(COLOR.handle, 9);
  private readonly active = points(COLOR.picked, 11);
  private readonly ray = new THREE.Raycaster();
  private wanted = 0;
  private handles: readonly THREE.Vector3[] = [];

  constructor(private readonly canvas: HTMLCanvasElement) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: true, alpha: true });
    this.renderer.setPixelRatio(window.devicePixelRatio);
    const lamp = new THREE.DirectionalLight(0xffffff, 1.6);
    lamp.position.set(0.6, 1, 1.4);
    this.camera.add(lamp);
    this.scene.add(
      this.camera,
      new THREE.AmbientLight(0xffffff, 0.9),
      this.skin,
      this.lines,
      this.rims,
      this.dots,
      this.active,
    );
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.addEventListener('change', this.draw);
    this.camera.position.set(0, 1.4, 3.4);
    this.controls.target.set(0, 0.9, 0);
    this.controls.update();
  }

  setSkin({ places, corners }: Pick<LoopSurface, 'places' | 'corners'>): void {
    const { geometry } = this.skin;
    geometry.setAttribute('position', new THREE.BufferAttribute(places, 3));
    geometry.setIndex(new THREE.BufferAttribute(corners, 1));
    geometry.computeVertexNormals();
    geometry.computeBoundingSphere();
    this.draw();
  }

  setLoops(loops: readonly FigureLoop[], picked: string | null): void {
    release(this.lines);
    for (const { name, at, holds } of loops) {
      const color = name === picked ? COLOR.picked : holds ? COLOR.loop : COLOR.loose,
        geometry = new THREE.BufferGeometry().setAttribute('position', new THREE.Float32BufferAttribute(at, 3)),
        line = new THREE.LineLoop(
          geometry,
          new THREE.LineBasicMaterial({ color, depthTest: name !== picked, transparent: true }),
        );
      line.renderOrder = name === picked ? 2 : 1;
      this.lines.add(line);
    }
    this.draw();
  }

  /** Dots that a loop is bent by, or that one is being drawn through. */
  setHandles(at: readonly (readonly number[])[], active: number | null): void {
    this.handles = at.map(([x, y, z]) => new THREE.Vector3(x, y, z));
    put(this.rims, this.handles);
    put(this.dots, this.handles);
    put(this.active, active === null || !this.handles[active] ? [] : [this.handles[active]]);
    this.draw();
  }

  /** Looks at a loop from outside; at the whole skin where there is none. */
  frame(loop: FigureLoop | undefined): void {
    const sphere = new THREE.Sphere(),
      from = new THREE.Vector3(0, 0, 1);
    if (loop) {
      const nodes = Array.from({ length: loop.at.length / 3 }, (_, i) => new THREE.Vector3().fromArray(loop.at, i * 3));
      sphere.setFromPoints(nodes);
      from.copy(facing(nodes, this.skin.geometry));
    } else if (this.skin.geometry.boundingSphere) sphere.copy(this.skin.geometry.boundingSphere);
    const far = Math.max(0.02, sphere.radius * (loop ? 1.7 : 1.05)) / Math.sin((this.camera.fov * Math.PI) / 360);
    this.controls.target.copy(sphere.center);
    this.camera.position.copy(sphere.center).addScaledVector(from, far);
    this.controls.update();
    this.draw();
  }

  /** The place of the skin that is seen at a place of the canvas. */
  placeAt(x: number, y: number): [number, number, number] | null {
    const { clientWidth, clientHeight } = this.canvas;
    this.ray.setFromCamera(new THREE.Vector2((2 * x) / clientWidth - 1, 1 - (2 * y) / clientHeight), this.camera);
    return this.ray.intersectObject(this.skin)[0]?.point.toArray() ?? null;
  }

  /** Where a handle is on the canvas. */
  screenOf(handle: number): [number, number] | null {
    const at = this.handles[handle]?.clone().project(this.camera);
    return at ? [((at.x + 1) / 2) * this.canvas.clientWidth, ((1 - at.y) / 2) * this.canvas.clientHeight] : null;
  }

  handleAt(x: number, y: number): number | null {
    let best: number | null = null,
      least = GRIP;
    this.handles.forEach((_, i) => {
      const [px, py] = this.screenOf(i) ?? [Infinity, 0],
        off = Math.hypot(px - x, py - y);
      if (off < least) [best, least] = [i, off];
    });
    return best;
  }

  /** Whether dragging turns the view. */
  setTurning(on: boolean): void {
    this.controls.enabled = on;
  }

  zoom(by: number): void {
    this.camera.position.lerp(this.controls.target, by);
    this.controls.update();
  }

  draw = (): void => {
    this.wanted ||= requestAnimationFrame(() => {
      this.wanted = 0;
      const { clientWidth, clientHeight } = this.canvas;
      if (!clientWidth || !clientHeight) return;
      this.renderer.setSize(clientWidth, clientHeight, false);
      this.camera.aspect = clientWidth / clientHeight;
      this.camera.updateProjectionMatrix();
      this.renderer.render(this.scene, this.camera);
      this.canvas.dataset.drawn = String(Number(this.canvas.dataset.drawn ?? 0) + 1);
    });
  };

  dispose(): void {
    cancelAnimationFrame(this.wanted);
    this.controls.dispose();
    release(this.lines);
    for (const thing of [this.skin, this.rims, this.dots, this.active]) {
      thing.geometry.dispose();
      (thing.material as THREE.Material).dispose();
    }
    this.renderer.dispose();
  }
}

function points(color: number, size: number): THREE.Points {
  const out = new THREE.Points(
    new THREE.BufferGeometry(),
    new THREE.PointsMaterial({ color, size, sizeAttenuation: false, depthTest: false, transparent: true }),
  );
  out.renderOrder = 3;
  out.frustumCulled = false;
  return out;
}

function put({ geometry }: THREE.Points, at: readonly THREE.Vector3[]): void {
  geometry.dispose();
  geometry.setAttribute(
    'position',
    new THREE.Float32BufferAttribute(
      at.flatMap((one) => one.toArray()),
      3,
    ),
  );
}

function release(group: THREE.Group): void {
  for (const line of group.children as THREE.LineLoop[]) {
    line.geometry.dispose();
    (line.material as THREE.Material).dispose();
  }
  group.clear();
}

/** The side that a loop is seen from: where the skin beside it faces. From the front where it runs around a limb. */
function facing(nodes: readonly THREE.Vector3[], skin: THREE.BufferGeometry): THREE.Vector3 {
  const at = skin.getAttribute('position'),
    normals = skin.getAttribute('normal'),
    sum = new THREE.Vector3(),
    one = new THREE.Vector3(),
    looked = nodes.filter((_, i) => i % Math.ceil(nodes.length / LOOKED) === 0);
  for (const node of looked) {
    let best = 0,
      least = Infinity;
    for (let p = 0; p < at.count; p++) {
      const off = one.fromBufferAttribute(at, p).distanceToSquared(node);
      if (off < least) [best, least] = [p, off];
    }
    sum.add(one.fromBufferAttribute(normals, best));
  }
  const agree = sum.length() / looked.length;
  if (agree < ROUND) return sum.set(0.25, 0.25, 1).normalize();
  // Between lips they face up and down as well: what there is to see is seen from the height of the eyes.
  if (agree < EVEN) sum.y = 0;
  return sum.normalize();
}
const LOOKED = 24,
  ROUND = 0.3,
  EVEN = 0.85;
