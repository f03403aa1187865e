import {
  BoxGeometry,
  BufferGeometry,
  CanvasTexture,
  Color,
  CylinderGeometry,
  DirectionalLight,
  Float32BufferAttribute,
  Fog,
  Group,
  HemisphereLight,
  LineBasicMaterial,
  LineSegments,
  Mesh,
  MeshLambertMaterial,
  MeshStandardMaterial,
  PlaneGeometry,
  PointLight,
  RepeatWrapping,
  type Scene,
  SphereGeometry,
  TorusGeometry,
} from 'three';
import { BRIDGE, LADDER, POSTS, QUAY } from './plan.ts';

export interface Port {
  /** Turns the sun: degrees round the compass (0 from the south, 90 from the west) and above the horizon. */
  sun(around: number, above: number): void;
  /** Lamps on the bridge and the quay. */
  lamps(lit: boolean): void;
  /** What follows a figure so that its shadow is fine: the middle of what the sun draws finely. */
  follow(x: number, y: number, z: number): void;
  /** What can be pointed at to go there. */
  ground: Mesh[];
}

const MORNING = new Color(0xb9cbd6),
  DUSK = new Color(0x232b38);

/** The port of Vell Sund: quay with bollards and crates, a pilot vessel's bridge with its ladder, water, lamps, sun. */
export function buildPort(scene: Scene): Port {
  const stone = new MeshLambertMaterial({ color: 0x8f9496, map: slabs() }),
    hull = new MeshLambertMaterial({ color: 0x4c6b78 }),
    deck = new MeshLambertMaterial({ color: 0x6d7377, map: planks() }),
    iron = new MeshLambertMaterial({ color: 0x2b3034 }),
    rail = new MeshLambertMaterial({ color: 0xd8d3c4 }),
    crate = new MeshLambertMaterial({ color: 0x8a6f4b }),
    water = new MeshLambertMaterial({ color: 0x2f4a55 });
  const box = (w: number, h: number, d: number, x: number, y: number, z: number, material: MeshLambertMaterial) => {
    const mesh = new Mesh(new BoxGeometry(w, h, d), material);
    mesh.position.set(x, y, z);
    mesh.receiveShadow = true;
    scene.add(mesh);
    return mesh;
  };
  const quay = box(QUAY.east - QUAY.west, 1.2, QUAY.south - QUAY.north, 0, -0.6, (QUAY.south + QUAY.north) / 2, stone);
  const bridge = box(
    BRIDGE.east - BRIDGE.west,
    0.14,
    BRIDGE.south - BRIDGE.north,
    0,
    BRIDGE.height - 0.07,
    (BRIDGE.south + BRIDGE.north) / 2,
    deck,
  );
  box(
    BRIDGE.east - BRIDGE.west - 0.2,
    BRIDGE.height + 1,
    BRIDGE.south - BRIDGE.north - 0.2,
    0,
    BRIDGE.height / 2 - 0.64,
    (BRIDGE.south + BRIDGE.north) / 2 - 0.1,
    hull,
  );
  // The wheelhouse behind.
  box(5, 2.1, 0.2, 0, BRIDGE.height + 1.05, BRIDGE.north + 0.1, rail);
  for (const x of [-1.7, 0, 1.7]) box(1.3, 0.7, 0.04, x, BRIDGE.height + 1.35, BRIDGE.north + 0.22, iron);
  buildLadder(box, rail);
  buildRails(box, rail);
  for (const { x, z, radius } of POSTS) {
    if (radius === 0.35) bollard(scene, x, z, iron);
    else if (radius > 0.5)
      for (let n = 0; n < (radius > 1 ? 2 : 1); n++)
        box(radius * 1.4, 0.7, radius * 1.2, x + n * 0.12, 0.35 + n * 0.7, z, crate);
    else lampPost(scene, x, z, iron);
  }
  const sea = new Mesh(new PlaneGeometry(400, 400).rotateX(-Math.PI / 2), water);
  sea.position.y = -1;
  scene.add(sea);
  scene.add(measure());
  scene.background = MORNING.clone();
  scene.fog = new Fog(MORNING.clone(), 30, 140);
  return { ...lights(scene), ground: [quay, bridge] };
}

type Box = (w: number, h: number, d: number, x: number, y: number, z: number, m: MeshLambertMaterial) => Mesh;

function buildLadder(box: Box, material: MeshLambertMaterial): void {
  const top = BRIDGE.height + 0.9;
  for (const side of [-1, 1]) box(0.05, top, 0.05, side * (LADDER.halfWidth + 0.05), top / 2, LADDER.z, material);
  for (let y = LADDER.rung; y < BRIDGE.height; y += LADDER.rung)
    box(LADDER.halfWidth * 2 + 0.1, 0.035, 0.035, 0, y, LADDER.z, material);
}

function buildRails(box: Box, material: MeshLambertMaterial): void {
  const { west, east, north, south, height } = BRIDGE,
    gap = LADDER.halfWidth + 0.12;
  for (const y of [0.55, 1.05]) {
    for (const [from, to] of [
      [west, -gap],
      [gap, east],
    ])
      box(to - from, 0.04, 0.04, (from + to) / 2, height + y, south, material);
    for (const x of [west, east]) box(0.04, 0.04, south - north, x, height + y, (south + north) / 2, material);
  }
  for (let x = west; x <= east + 0.01; x += 1.5)
    if (Math.abs(x) > gap) box(0.04, 1.05, 0.04, x, height + 0.52, south, material);
}

function bollard(scene: Scene, x: number, z: number, material: MeshLambertMaterial): void {
  const post = new Mesh(new CylinderGeometry(0.16, 0.2, 0.55, 12), material),
    head = new Mesh(new TorusGeometry(0.17, 0.06, 8, 16).rotateX(Math.PI / 2), material);
  post.position.set(x, 0.27, z);
  head.position.set(x, 0.5, z);
  scene.add(post, head);
}

function lampPost(scene: Scene, x: number, z: number, material: MeshLambertMaterial): void {
  const post = new Mesh(new CylinderGeometry(0.05, 0.07, 3.4, 10), material);
  post.position.set(x, 1.7, z);
  scene.add(post);
}

/** A rod of two metres, a mark every ten centimetres. */
function measure(): LineSegments {
  const points: number[] = [0, 0, 0, 0, 2, 0];
  for (let i = 0; i <= 20; i++) points.push(0, i / 10, 0, i % 5 ? 0.05 : 0.12, i / 10, 0);
  const rod = new LineSegments(
    new BufferGeometry().setAttribute('position', new Float32BufferAttribute(points, 3)),
    new LineBasicMaterial({ color: 0x1d2327 }),
  );
  rod.position.set(-1.5, 0, 1.5);
  return rod;
}

function lights(scene: Scene): Omit<Port, 'ground'> {
  const sky = new HemisphereLight(0xdfe9f0, 0x5d6460, 1.5),
    sun = new DirectionalLight(0xfff1dc, 2.6),
    lampLights = [
      [-3.6, 3.4, 0.4],
      [3.4, BRIDGE.height + 2.2, BRIDGE.north + 0.6],
    ].map(([x, y, z]) => {
      const light = new PointLight(0xffd9a0, 0, 14, 1.6),
        globe = new Mesh(
          new SphereGeometry(0.12, 12, 8),
          new MeshStandardMaterial({ color: 0xfff3d8, emissive: 0xffd9a0, emissiveIntensity: 0 }),
        );
      light.position.set(x, y, z);
      globe.position.copy(light.position);
      scene.add(light, globe);
      return { light, globe };
    });
  sun.castShadow = true;
  sun.shadow.mapSize.set(1024, 1024);
  sun.shadow.bias = -0.0006;
  sun.shadow.normalBias = 0.02;
  Object.assign(sun.shadow.camera, { left: -2.4, right: 2.4, top: 3, bottom: -2.4, near: 1, far: 40 });
  const group = new Group();
  group.add(sky, sun, sun.target);
  scene.add(group);
  let from: [number, number, number] = [0, 1, 0];
  const place = () => {
    const { x, y, z } = sun.target.position;
    sun.position.set(x + from[0] * 15, y + from[1] * 15, z + from[2] * 15);
  };
  return {
    sun(around, above) {
      const a = (around * Math.PI) / 180,
        h = (above * Math.PI) / 180;
      from = [-Math.sin(a) * Math.cos(h), Math.sin(h), Math.cos(a) * Math.cos(h)];
      const day = Math.max(0, Math.min(1, (above + 2) / 28));
      sun.intensity = 2.6 * Math.min(1, Math.max(0, above + 3) / 12);
      sun.color.setRGB(1, 0.72 + 0.24 * day, 0.5 + 0.38 * day);
      sky.intensity = 0.35 + 1.15 * day;
      (scene.background as Color).lerpColors(DUSK, MORNING, day);
      scene.fog?.color.copy(scene.background as Color);
      place();
    },
    lamps(lit) {
      for (const { light, globe } of lampLights) {
        // One that is off costs every surface its share all the same, as long as it is there.
        light.visible = lit;
        light.intensity = 26;
        globe.material.emissiveIntensity = lit ? 3 : 0;
      }
    },
    follow(x, y, z) {
      sun.target.position.set(x, y + 0.9, z);
      place();
    },
  };
}

/** Stone slabs of two metres, drawn once. */
const slabs = () =>
  pattern(14, 8, (context, size) => {
    context.fillStyle = '#d9dbda';
    context.fillRect(0, 0, size, size);
    context.strokeStyle = '#aeb2b3';
    context.lineWidth = 3;
    context.strokeRect(0, 0, size, size);
  });
const planks = () =>
  pattern(1, 12, (context, size) => {
    context.fillStyle = '#e6e3da';
    context.fillRect(0, 0, size, size);
    context.fillStyle = '#b9b5aa';
    context.fillRect(0, size - 5, size, 5);
  });

function pattern(x: number, y: number, draw: (context: CanvasRenderingContext2D, size: number) => void): CanvasTexture {
  const canvas = document.createElement('canvas'),
    size = 128;
  canvas.width = canvas.height = size;
  const context = canvas.getContext('2d');
  if (context) draw(context, size);
  const texture = new CanvasTexture(canvas);
  texture.wrapS = texture.wrapT = RepeatWrapping;
  texture.repeat.set(x, y);
  texture.anisotropy = 4;
  return texture;
}
