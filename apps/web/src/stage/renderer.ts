import {
  influencesOf,
  poseByTurns,
  poseSkeleton,
  quatBetween,
  quatConjugate,
  quatMultiply,
  RANGE_OF_MOTION,
  rangeOfMotionAt,
  retarget,
  rolesFromSource,
  rotationOf,
  unit,
  type PlayableClip,
  type Quat,
  type Skeleton,
} from '@dimetra/core';
import type { Document } from '@gltf-transform/core';
import * as THREE from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
import { RoomEnvironment } from 'three/examples/jsm/environments/RoomEnvironment.js';
import type { Deviation } from '../figure/deviation.ts';
import type { StageFigure } from '../figure/build.ts';
import { RANGE, type Jump, type Look, type View } from '../store/view-slice.ts';
import { DifferencePass } from './difference.ts';
import { axesOf, floor, rod } from './furniture.ts';
import {
  backFaces,
  channelMaterial,
  heat,
  heatAgainst,
  isChannel,
  lookMaterial,
  segmentColor,
  wireOf,
} from './looks.ts';
import { type Shot, shotOf } from './shots.ts';

export type Side = 'source' | 'result';
export interface StageState {
  view: View;
  look: Look;
  skeleton: boolean;
  light: number;
  hidden: readonly string[];
  isolated: string | null;
  part: string | null;
  /** Name of the joint whose weights are shown, per side. */
  joint: Record<Side, string | null>;
  morphs: Readonly<Record<string, number>>;
  pose: string | null;
  clip: string | null;
  time: number;
  /** Turns by hand, by joint name of that side. */
  turned: Record<Side, ReadonlyMap<string, Quat>>;
  axes: boolean;
  deviation: Deviation | null;
  /** What the target allows at rest, millimetres: the step in the heat map. */
  limitMm: number;
  /** Faces of the source that would go to another material, and the region that was clicked: part id → faces. */
  regions: { misplaced: ReadonlyMap<string, readonly number[]>; chosen: ReadonlyMap<string, readonly number[]> };
}

const SIDE_COLOR: Record<Side, number> = { source: 0xd68f5c, result: 0x5cbaa6 };
/** Influences at which the scale of that look ends. */
export const MOST_INFLUENCES = 8;

const MISPLACED = new THREE.Color(0xe2c35a),
  CHOSEN = new THREE.Color(0xfff8e6);

/** Draws both figures with one camera, only when something changed. Frames are counted on the window for tests. */
export class StageRenderer {
  private readonly renderer: THREE.WebGLRenderer;
  private readonly camera = new THREE.PerspectiveCamera(28, 1, 0.02, 60);
  readonly controls: OrbitControls;
  private readonly scenes: Record<Side, THREE.Scene> = { source: new THREE.Scene(), result: new THREE.Scene() };
  private readonly figures: Record<Side, StageFigure | null> = { source: null, result: null };
  private readonly keys: Record<Side, THREE.DirectionalLight>;
  private readonly overlays: Record<Side, THREE.Group> = { source: new THREE.Group(), result: new THREE.Group() };
  private readonly looks = new Map<string, THREE.Material>();
  private state: StageState | null = null;
  private readonly difference = new DifferencePass();
  private waiting = false;
  /** Whether maps and the room's light are there; until then figures are drawn in plain clay, so that they are seen at once. */
  private dressed = false;
  private dressing = false;
  private soon: ReturnType<typeof setTimeout> | null = null;
  /** Place of the wipe, 0 … 1 of the width. */
  wipe = 0.5;
  private motion: Document | null = null;
  private readonly onBorrowed = new Map<StageFigure, PlayableClip[]>();
  private disposed = false;
  /** What the camera was sent to: close up both figures take the same pose, or one would be out of the picture. */
  private place: Jump = 'figure';

  constructor(private readonly canvas: HTMLCanvasElement) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: true, alpha: true, preserveDrawingBuffer: true });
    this.renderer.toneMapping = THREE.ACESFilmicToneMapping;
    this.renderer.toneMappingExposure = 1.02;
    this.renderer.setScissorTest(true);
    this.keys = { source: new THREE.DirectionalLight(0xfff4e8, 2), result: new THREE.DirectionalLight(0xfff4e8, 2) };
    for (const side of ['source', 'result'] as const) {
      const scene = this.scenes[side];
      scene.environmentIntensity = 0.4;
      scene.add(this.keys[side], this.keys[side].target, this.overlays[side], floor(), rod());
    }
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.enableDamping = false;
    this.controls.addEventListener('change', () => this.draw());
    this.camera.position.set(0.9, 1.25, 4.6);
    this.controls.target.set(0, 0.92, 0);
    this.controls.update();
  }

  setFigure(side: Side, figure: StageFigure | null): void {
    const before = this.figures[side];
    if (before) {
      this.scenes[side].remove(before.group);
      before.dispose();
    }
    this.figures[side] = figure;
    if (figure) this.scenes[side].add(figure.group);
    if (this.state) this.apply(this.state);
    this.draw();
  }

  apply(state: StageState): void {
    this.state = state;
    for (const side of ['source', 'result'] as const) {
      const figure = this.figures[side];
      if (!figure) continue;
      this.pose(figure, side, state);
      for (const item of figure.parts) {
        const { mesh, part } = item;
        mesh.visible = state.isolated ? part.id === state.isolated : !state.hidden.includes(part.id);
        if (mesh.morphTargetInfluences && mesh.morphTargetDictionary)
          for (const [name, i] of Object.entries(mesh.morphTargetDictionary))
            mesh.morphTargetInfluences[i] = state.morphs[name] ?? 0;
        this.dress(item, side, state);
      }
      this.drawOverlay(side, figure, state);
    }
    const turn = (state.light * Math.PI) / 180;
    for (const key of Object.values(this.keys)) {
      key.position.set(Math.sin(turn) * 3, 3.2, Math.cos(turn) * 3);
      key.target.position.set(0, 1.2, 0);
    }
    this.draw();
  }

  /** Two rest poses are compared, posed and played from the one the character came in; side by side each stands in its own. */
  private pose(figure: StageFigure, side: Side, state: StageState): void {
    const turned = state.turned[side],
      moving = state.pose !== null || state.clip !== null || turned.size > 0;
    const close = !['figure', 'behind'].includes(this.place);
    const base =
      figure.home && (moving || close || ['wipe', 'overlay', 'difference'].includes(state.view))
        ? figure.home
        : figure.skeleton;
    const matrices = this.matricesOf(figure, base, state, turned);
    figure.bones.forEach((bone, i) => bone.matrixWorld.fromArray(matrices, i * 16));
    for (const { mesh } of figure.parts) if (mesh instanceof THREE.SkinnedMesh) mesh.skeleton.update();
  }

  private matricesOf(
    figure: StageFigure,
    base: Skeleton,
    state: StageState,
    turned: ReadonlyMap<string, Quat>,
  ): Float64Array {
    if (state.clip === RANGE) return rangeOfMotionAt(base, this.rolesOf(figure), state.time);
    if (state.clip !== null)
      return (
        (
          figure.clips().find((clip) => clip.name === state.clip) ??
          this.borrowed(figure, base).find((clip) => clip.name === state.clip)
        )?.at(state.time) ?? base.global
      );
    if (turned.size)
      return poseByTurns(
        base,
        new Map(
          base.joints.flatMap((joint, i) => {
            const turn = turned.get(joint.getName());
            return turn ? [[i, turn] as const] : [];
          }),
        ),
      );
    const pose = RANGE_OF_MOTION.find((entry) => entry.name === state.pose);
    return pose ? poseSkeleton(base, this.rolesOf(figure), pose) : base.global;
  }

  /** A result bends through the joints that its source's became. */
  private rolesOf(figure: StageFigure): StageFigure['roles'] {
    const { source } = this.figures;
    return source && source !== figure ? rolesFromSource(source, figure, figure.renamed) : figure.roles;
  }

  private dress(item: StageFigure['parts'][number], side: Side, state: StageState): void {
    const { mesh, own, part } = item;
    const picked = state.part === part.id;
    if (!this.dressed && state.look === 'material') {
      mesh.material = this.look(
        'sketch',
        () => new THREE.MeshLambertMaterial({ color: 0xb9b2a6, side: THREE.DoubleSide }),
      );
      mesh.visible &&= !own.transparent;
    } else if (state.look === 'material') mesh.material = own;
    else if (state.look === 'weights' || state.look === 'deviation') {
      this.paint(item, side, state);
      mesh.material = this.look(
        'painted',
        () => new THREE.MeshStandardMaterial({ vertexColors: true, roughness: 0.85, side: THREE.DoubleSide }),
      );
    } else if (state.look === 'influences' || state.look === 'segments' || state.look === 'slots') {
      this.paint(item, side, state);
      mesh.material = this.look(
        'painted',
        () => new THREE.MeshStandardMaterial({ vertexColors: true, roughness: 0.85, side: THREE.DoubleSide }),
      );
    } else if (state.look === 'back faces') mesh.material = this.look('back faces', backFaces);
    else if (isChannel(state.look))
      mesh.material = this.look(`${state.look} ${own.uuid}`, () => channelMaterial(state.look, own));
    else mesh.material = this.look(state.look, () => lookMaterial(state.look as 'clay'));
    const edges = mesh.getObjectByName('edges');
    const wanted = state.look === 'wire' || picked;
    if (wanted && !edges) mesh.add(wireOf(mesh));
    const wire = mesh.getObjectByName('edges') as THREE.Mesh | undefined;
    if (wire) {
      wire.visible = wanted;
      (wire.material as THREE.MeshBasicMaterial).color.set(picked ? 0xf2ead6 : SIDE_COLOR[side]);
      (wire.material as THREE.MeshBasicMaterial).opacity = picked && state.look !== 'wire' ? 0.2 : 0.5;
      if (wire instanceof THREE.SkinnedMesh) wire.morphTargetInfluences = mesh.morphTargetInfluences;
    }
  }

  private look(name: string, make: () => THREE.Material): THREE.Material {
    let material = this.looks.get(name);
    if (!material) {
      material = make();
      this.looks.set(name, material);
    }
    return material;
  }

  /** Every vertex in the colours of its joints, mixed by weight: a segment a joint, soft where they share. */
  private paintSegments({ mesh, part }: StageFigure['parts'][number], side: Side): void {
    const { geometry } = mesh,
      colors = new Float32Array(geometry.getAttribute('position').count * 3).fill(0.05),
      influences = influencesOf(part.prim),
      skeleton = this.figures[side]?.skeleton;
    const tints =
      part.node
        .getSkin()
        ?.listJoints()
        .map((joint) => segmentColor(skeleton?.index.get(joint) ?? 0)) ?? [];
    if (influences)
      for (let k = 0; k < influences.joints.length; k++) {
        const w = influences.weights[k],
          tint = tints[influences.joints[k]];
        if (w > 0 && tint) {
          const at = Math.floor(k / influences.perVertex) * 3;
          colors[at] += w * tint.r;
          colors[at + 1] += w * tint.g;
          colors[at + 2] += w * tint.b;
        }
      }
    geometry.setAttribute('color', new THREE.BufferAttribute(colors, 3));
  }

  /** Every material in a colour of its own, alike on both sides; over it what would go elsewhere and what was clicked. */
  private paintSlots({ mesh, part }: StageFigure['parts'][number], side: Side, state: StageState): void {
    const { geometry } = mesh,
      index = geometry.getIndex() as THREE.BufferAttribute,
      colors = new Float32Array(geometry.getAttribute('position').count * 3);
    const names = [
      ...new Set(
        (this.figures.source ?? this.figures.result)?.parts.map((entry) => entry.part.material?.getName() ?? ''),
      ),
    ].sort();
    const own = segmentColor(Math.max(0, names.indexOf(part.material?.getName() ?? ''))).multiplyScalar(0.7);
    for (let i = 0; i < colors.length; i += 3) own.toArray(colors, i);
    const over = (faces: readonly number[] | undefined, color: THREE.Color) => {
      for (const face of faces ?? []) for (let k = 0; k < 3; k++) color.toArray(colors, index.getX(face * 3 + k) * 3);
    };
    if (side === 'source') {
      over(state.regions.misplaced.get(part.id), MISPLACED);
      over(state.regions.chosen.get(part.id), CHOSEN);
    }
    geometry.setAttribute('color', new THREE.BufferAttribute(colors, 3));
  }

  private paint(item: StageFigure['parts'][number], side: Side, state: StageState): void {
    if (state.look === 'segments') {
      this.paintSegments(item, side);
      return;
    }
    if (state.look === 'slots') {
      this.paintSlots(item, side, state);
      return;
    }
    const { mesh, part } = item,
      { geometry } = mesh;
    const count = geometry.getAttribute('position').count;
    const colors = new Float32Array(count * 3);
    const values = new Float32Array(count);
    if (state.look === 'influences') {
      const influences = influencesOf(part.prim);
      if (influences)
        for (let k = 0; k < influences.joints.length; k++)
          if (influences.weights[k] > 0) values[Math.floor(k / influences.perVertex)] += 1 / MOST_INFLUENCES;
    } else {
      const name = state.joint[side];
      const joints = part.node.getSkin()?.listJoints() ?? [];
      const index = joints.findIndex((joint) => joint.getName() === name);
      const influences = influencesOf(part.prim);
      if (influences && index >= 0)
        for (let k = 0; k < influences.joints.length; k++)
          if (influences.joints[k] === index) values[Math.floor(k / influences.perVertex)] += influences.weights[k];
    }
    const color = new THREE.Color(),
      distances = state.look === 'deviation' ? state.deviation?.[side].get(part.id) : undefined,
      apart = distances?.length === count ? distances : null;
    for (let i = 0; i < count; i++) {
      if (apart) heatAgainst(color, apart[i], state.limitMm);
      else heat(color, values[i]);
      color.toArray(colors, i * 3);
    }
    geometry.setAttribute('color', new THREE.BufferAttribute(colors, 3));
  }

  private drawOverlay(side: Side, figure: StageFigure, state: StageState): void {
    const overlay = this.overlays[side];
    overlay.clear();
    if (!state.skeleton) return;
    const points: number[] = [];
    const at = (i: number) => {
      const e = figure.bones[i].matrixWorld.elements;
      return [e[12], e[13], e[14]];
    };
    figure.skeleton.parent.forEach((parent, i) => {
      if (parent >= 0) points.push(...at(parent), ...at(i));
    });
    const lines = new THREE.LineSegments(
      new THREE.BufferGeometry().setAttribute('position', new THREE.Float32BufferAttribute(points, 3)),
      new THREE.LineBasicMaterial({ color: SIDE_COLOR[side], depthTest: false, transparent: true, opacity: 0.9 }),
    );
    lines.renderOrder = 10;
    const dots = new THREE.Points(
      new THREE.BufferGeometry().setAttribute(
        'position',
        new THREE.Float32BufferAttribute(
          figure.bones.flatMap((_, i) => at(i)),
          3,
        ),
      ),
      new THREE.PointsMaterial({
        color: 0xf2ead6,
        size: 4,
        sizeAttenuation: false,
        depthTest: false,
        transparent: true,
      }),
    );
    dots.renderOrder = 11;
    overlay.add(lines, dots);
    if (state.axes) overlay.add(axesOf(figure));
    const chosen = figure.skeleton.joints.findIndex((joint) => joint.getName() === state.joint[side]);
    if (chosen >= 0) {
      const mark = new THREE.Points(
        new THREE.BufferGeometry().setAttribute('position', new THREE.Float32BufferAttribute(at(chosen), 3)),
        new THREE.PointsMaterial({
          color: 0xffffff,
          size: 11,
          sizeAttenuation: false,
          depthTest: false,
          transparent: true,
        }),
      );
      mark.renderOrder = 12;
      overlay.add(mark);
    }
  }

  /** The joint under a point of the canvas, within a finger's width; only where joints are shown. */
  jointAt(x: number, y: number): { side: Side; joint: number; name: string } | null {
    if (!this.state?.skeleton) return null;
    const { side, left, width } = this.paneAt(x),
      figure = this.figures[side],
      height = this.canvas.clientHeight;
    if (!figure) return null;
    this.aim(width / height);
    let best = 12,
      found: number = -1;
    const p = new THREE.Vector3();
    figure.bones.forEach((bone, i) => {
      p.setFromMatrixPosition(bone.matrixWorld).project(this.camera);
      const off = Math.hypot(left + ((p.x + 1) / 2) * width - x, ((1 - p.y) / 2) * height - y);
      if (p.z < 1 && off < best) {
        best = off;
        found = i;
      }
    });
    return found < 0 ? null : { side, joint: found, name: figure.skeleton.joints[found].getName() };
  }

  /**
   * The turn that lets a joint follow a point of the canvas: of the joint above it, in the body's frame, added to what
   * that one is turned already. Null for a root.
   */
  follow(grip: { side: Side; joint: number }, x: number, y: number): { joint: string; turn: Quat } | null {
    const figure = this.figures[grip.side],
      above = figure?.skeleton.parent[grip.joint] ?? -1;
    if (!figure || !this.state || above < 0) return null;
    const { left, width } = this.paneAt(x, grip.side),
      height = this.canvas.clientHeight;
    this.aim(width / height);
    const tip = new THREE.Vector3().setFromMatrixPosition(figure.bones[grip.joint].matrixWorld),
      root = new THREE.Vector3().setFromMatrixPosition(figure.bones[above].matrixWorld);
    const depth = tip.clone().project(this.camera).z;
    const wanted = new THREE.Vector3(((x - left) / width) * 2 - 1, 1 - (y / height) * 2, depth).unproject(this.camera);
    const now = tip.sub(root),
      goal = wanted.sub(root);
    if (now.lengthSq() < 1e-10 || goal.lengthSq() < 1e-10) return null;
    const q = quatBetween(unit(now.toArray()), unit(goal.toArray())),
      name = figure.skeleton.joints[above].getName();
    // Turns are given in the frame that the joints above have turned to; the drag is seen in the body's.
    const carried = this.carriedTurn(figure, above),
      before = this.state.turned[grip.side].get(name) ?? [0, 0, 0, 1];
    return {
      joint: name,
      turn: quatMultiply(quatMultiply(quatMultiply(quatConjugate(carried), q), carried), before as Quat),
    };
  }

  /** How far the joints above have turned a joint away from its base pose. */
  private carriedTurn(figure: StageFigure, joint: number): Quat {
    const up = figure.skeleton.parent[joint];
    if (up < 0) return [0, 0, 0, 1];
    const base = figure.home ?? figure.skeleton;
    return quatMultiply(
      rotationOf(figure.bones[up].matrixWorld.elements),
      quatConjugate(rotationOf(base.global, up * 16)),
    );
  }

  private paneAt(x: number, side?: Side): { side: Side; left: number; width: number } {
    const width = this.canvas.clientWidth,
      view = this.figures.result ? (this.state?.view ?? 'pair') : 'source';
    if (view === 'pair') {
      const right = side ? side === 'result' : x >= width / 2;
      return {
        side: right ? 'result' : 'source',
        left: right ? Math.floor(width / 2) : 0,
        width: right ? width - Math.floor(width / 2) : Math.floor(width / 2),
      };
    }
    return {
      side:
        side ??
        (view === 'wipe' ? (x < width * this.wipe ? 'source' : 'result') : view === 'source' ? 'source' : 'result'),
      left: 0,
      width,
    };
  }

  private aim(aspect: number): void {
    this.camera.clearViewOffset();
    this.camera.aspect = aspect;
    this.camera.updateProjectionMatrix();
    this.camera.updateMatrixWorld();
  }

  /** A motion from elsewhere, for both figures: played through the roles of its joints. */
  setMotion(motion: Document | null): void {
    this.motion = motion;
    this.onBorrowed.clear();
    if (this.state) this.apply(this.state);
  }

  private borrowed(figure: StageFigure, base: Skeleton): PlayableClip[] {
    if (!this.motion) return [];
    let found = this.onBorrowed.get(figure);
    if (!found) {
      found = retarget(this.motion, base, figure.roles, { inPlace: true }).clips;
      this.onBorrowed.set(figure, found);
    }
    return found;
  }

  /** Names and lengths of the clips that the source brings, and of those it borrows. */
  clipsOf(side: Side): { name: string; seconds: number }[] {
    const figure = this.figures[side];
    return figure
      ? [...figure.clips(), ...this.borrowed(figure, figure.home ?? figure.skeleton)].map(({ name, seconds }) => ({
          name,
          seconds,
        }))
      : [];
  }

  /** Puts the camera where a jump looks from; distances follow the figure's height. */
  jump(to: Jump): void {
    const before = this.place;
    this.place = to;
    if (before !== to && this.state && Object.values(this.figures).some((figure) => figure?.home))
      this.apply(this.state);
    // What is looked at alone decides: a source that arrives torn apart would put the camera far off.
    const { source, result } = this.figures,
      figure = (this.state?.view === 'result' ? result : source) ?? source ?? result;
    if (!figure) return;
    const { target, direction, distance: usual, height } = shotOf(figure, to),
      whole = to === 'figure' || to === 'behind';
    // A single figure stands larger than one of a pair: it steps back and up, or its feet are behind the bars.
    const wide = whole && this.aspect() > 1,
      distance = wide ? usual * 1.07 : usual;
    if (wide) target.y -= height * 0.03;
    // A narrow view needs more distance for the same width.
    const widest = Math.max(...Object.values(this.figures).map((one) => (one ? shotOf(one, to).width : 0)));
    const narrow = Math.max(1, (whole ? Math.max(0.56, (0.86 * widest) / height) : 0.8) / Math.max(0.2, this.aspect()));
    this.controls.target.copy(target);
    this.camera.position.copy(target).addScaledVector(direction, distance * narrow);
    this.camera.near = distance / 40;
    this.camera.far = distance * 12 + height * 4;
    this.controls.update();
    this.draw();
  }

  private aspect(): number {
    const width = this.canvas.clientWidth || 1,
      height = this.canvas.clientHeight || 1;
    return (this.paired() ? width / 2 : width) / height;
  }
  private paired(): boolean {
    return this.state?.view === 'pair' && Boolean(this.figures.result);
  }

  /** For maps that arrive one by one: a picture for many of them. */
  drawSoon(): void {
    if (!this.dressed || this.soon) return;
    this.soon = setTimeout(() => {
      this.soon = null;
      this.draw();
    }, 200);
  }

  /** Lights the room and puts materials on, once the first figure's maps are there. */
  private dressUp(): void {
    if (this.dressed || this.dressing || !this.figures.source) return;
    this.dressing = true;
    const { ready } = this.figures.source;
    void Promise.race([ready, new Promise((resolve) => setTimeout(resolve, 6000))]).then(() => {
      if (this.disposed) return;
      this.lightRoom();
      this.dressed = true;
      if (this.state) this.apply(this.state);
      else this.draw();
    });
  }

  private lightRoom(): void {
    if (this.scenes.source.environment) return;
    const room = new THREE.PMREMGenerator(this.renderer);
    const environment = room.fromScene(new RoomEnvironment(), 0.04).texture;
    room.dispose();
    for (const scene of Object.values(this.scenes)) scene.environment = environment;
  }

  draw(): void {
    if (this.waiting || this.disposed) return;
    this.waiting = true;
    requestAnimationFrame(() => {
      this.waiting = false;
      if (!this.disposed) this.render();
    });
  }

  private render(): void {
    const width = this.canvas.clientWidth,
      height = this.canvas.clientHeight;
    if (!width || !height) return;
    const size = this.renderer.getSize(new THREE.Vector2());
    if (size.x !== width || size.y !== height) this.renderer.setSize(width, height, false);
    const view = this.figures.result ? (this.state?.view ?? 'pair') : 'source';
    const shoot = (side: Side, x: number, w: number, aspectWidth: number, clear = true) => {
      this.camera.aspect = aspectWidth / height;
      this.camera.updateProjectionMatrix();
      this.renderer.autoClear = clear;
      this.renderer.setScissor(x, 0, w, height);
      this.renderer.render(this.scenes[side], this.camera);
    };
    this.camera.clearViewOffset();
    if (view === 'pair') {
      const half = Math.floor(width / 2);
      this.renderer.setViewport(0, 0, half, height);
      shoot('source', 0, half, half);
      this.renderer.setViewport(half, 0, width - half, height);
      shoot('result', half, width - half, half);
    } else {
      this.renderer.setViewport(0, 0, width, height);
      if (view === 'source' || view === 'result') shoot(view, 0, width, width);
      else if (view === 'difference') {
        this.camera.aspect = width / height;
        this.camera.updateProjectionMatrix();
        this.renderer.setScissor(0, 0, width, height);
        this.difference.render(this.renderer, this.scenes, this.camera, width, height);
      } else if (view === 'wipe') {
        const x = Math.round(width * this.wipe);
        shoot('source', 0, x, width);
        shoot('result', x, width - x, width);
      } else {
        shoot('source', 0, width, width);
        this.renderer.clearDepth();
        this.ghost(true);
        shoot('result', 0, width, width, false);
        this.ghost(false);
      }
    }
    const counter = window as unknown as { dimetraFrames?: number; dimetraFigures?: number };
    counter.dimetraFrames = (counter.dimetraFrames ?? 0) + 1;
    if (this.figures.source) {
      counter.dimetraFigures = (counter.dimetraFigures ?? 0) + 1;
      this.dressUp();
    }
  }

  /** The result laid over the source, half seen through. */
  private ghost(on: boolean): void {
    for (const { mesh } of this.figures.result?.parts ?? []) {
      const material = mesh.material as THREE.Material & { userData: { kept?: [boolean, number] } };
      if (on && !material.userData.kept) {
        material.userData.kept = [material.transparent, material.opacity];
        material.transparent = true;
        material.opacity *= 0.5;
      } else if (!on && material.userData.kept) {
        [material.transparent, material.opacity] = material.userData.kept;
        delete material.userData.kept;
      }
    }
  }

  /** The part under a point of the canvas, by drawing part numbers into one pixel. */
  pick(x: number, y: number): { side: Side; part: string } | null {
    const width = this.canvas.clientWidth,
      height = this.canvas.clientHeight;
    const view = this.figures.result ? (this.state?.view ?? 'pair') : 'source';
    const side: Side =
      view === 'pair'
        ? x < width / 2
          ? 'source'
          : 'result'
        : view === 'wipe'
          ? x < width * this.wipe
            ? 'source'
            : 'result'
          : view === 'source'
            ? 'source'
            : 'result';
    const figure = this.figures[side];
    if (!figure) return null;
    const paneWidth = view === 'pair' ? width / 2 : width,
      paneX = view === 'pair' && side === 'result' ? x - width / 2 : x;
    this.camera.aspect = paneWidth / height;
    this.camera.setViewOffset(paneWidth, height, Math.floor(paneX), Math.floor(y), 1, 1);
    const target = new THREE.WebGLRenderTarget(1, 1);
    const kept = figure.parts.map(({ mesh }) => mesh.material);
    figure.parts.forEach(({ mesh }, i) => {
      mesh.material = new THREE.MeshBasicMaterial({
        color: new THREE.Color().setRGB((i + 1) / 255, 0, 0),
        side: THREE.DoubleSide,
        toneMapped: false,
      });
    });
    const others = this.scenes[side].children.filter((child) => child !== figure.group && child.visible);
    for (const other of others) other.visible = false;
    const wires = figure.parts.flatMap(({ mesh }) => mesh.children.filter((child) => child.visible));
    for (const wire of wires) wire.visible = false;
    const environment = this.scenes[side].environment;
    this.scenes[side].environment = null;
    this.renderer.setRenderTarget(target);
    this.renderer.setScissorTest(false);
    this.renderer.autoClear = true;
    this.renderer.setClearColor(0, 0);
    this.renderer.render(this.scenes[side], this.camera);
    const pixel = new Uint8Array(4);
    this.renderer.readRenderTargetPixels(target, 0, 0, 1, 1, pixel);
    this.renderer.setRenderTarget(null);
    this.renderer.setScissorTest(true);
    this.scenes[side].environment = environment;
    figure.parts.forEach(({ mesh }, i) => {
      (mesh.material as THREE.Material).dispose();
      mesh.material = kept[i];
    });
    for (const other of [...others, ...wires]) other.visible = true;
    this.camera.clearViewOffset();
    target.dispose();
    const index = pixel[0] - 1;
    return figure.parts[index] ? { side, part: figure.parts[index].part.id } : null;
  }

  /** The triangle of the source under a point of the canvas, as its part counts them. */
  pickFace(x: number, y: number): { part: string; face: number } | null {
    const hit = this.pick(x, y),
      item =
        hit?.side === 'source' ? this.figures.source?.parts.find((entry) => entry.part.id === hit.part) : undefined;
    if (!item) return null;
    const { left, width } = this.paneAt(x, 'source'),
      ray = new THREE.Raycaster();
    this.aim(width / this.canvas.clientHeight);
    ray.setFromCamera(
      new THREE.Vector2(((x - left) / width) * 2 - 1, 1 - (y / this.canvas.clientHeight) * 2),
      this.camera,
    );
    // A skinned mesh keeps the sphere of the pose that was asked for last.
    if (item.mesh instanceof THREE.SkinnedMesh) item.mesh.computeBoundingSphere();
    const face = ray.intersectObject(item.mesh, false)[0]?.faceIndex;
    return typeof face === 'number' ? { part: item.part.id, face } : null;
  }

  /** Settles when every map of a side's figure has arrived or failed; at once where no figure stands. */
  async mapsOf(side: Side): Promise<void> {
    await this.figures[side]?.ready;
  }

  /** A small picture of one part under the testing light, for swatches and the cast page. */
  portrait(side: Side, part: string | null, width: number, height: number): string | null {
    this.lightRoom();
    const figure = this.figures[side];
    if (!figure || !this.state) return null;
    const visible = figure.parts.map(({ mesh }) => mesh.visible),
      materials = figure.parts.map(({ mesh }) => mesh.material);
    const box = new THREE.Box3();
    figure.parts.forEach((item) => {
      item.mesh.visible = part === null || item.part.id === part;
      item.mesh.material = item.own;
      if (item.mesh.visible) {
        item.mesh.geometry.computeBoundingBox();
        box.union(item.mesh.geometry.boundingBox as THREE.Box3);
      }
    });
    const overlay = this.overlays[side];
    const hiddenThings = this.scenes[side].children.filter(
      (child) => child.visible && child !== figure.group && !(child instanceof THREE.Light),
    );
    for (const thing of [...hiddenThings, overlay]) thing.visible = false;
    const centre = box.getCenter(new THREE.Vector3()),
      size = box.getSize(new THREE.Vector3());
    const camera = new THREE.PerspectiveCamera(24, width / height, 0.01, 40);
    if (part === null) {
      // Head and shoulders, found by the joints: a figure that arrives torn has a box of any size.
      const { target, direction, distance } = shotOf(figure, 'head');
      camera.position.copy(target).addScaledVector(direction, distance * 1.75);
      centre.copy(target).y -= distance * 0.09;
    } else {
      const patch = frontPatch(figure.parts.find((item) => item.part.id === part)?.mesh as THREE.Mesh, centre);
      camera.position
        .copy(patch.at)
        .addScaledVector(patch.normal, Math.max(0.09, Math.min(0.75, Math.min(size.x, size.y) * 1.5)));
      centre.copy(patch.at);
    }
    camera.lookAt(centre);
    const url = this.snapshot(side, camera, width, height);
    figure.parts.forEach(({ mesh }, i) => {
      mesh.visible = visible[i];
      mesh.material = materials[i];
    });
    for (const thing of [...hiddenThings, overlay]) thing.visible = true;
    this.render();
    return url;
  }

  /** A figure as it is shown now (look, pose, morphs, hidden parts), from a shot; without floor, scale and joints. */
  photograph(side: Side, shot: Shot, width: number, height: number): string | null {
    this.lightRoom();
    const figure = this.figures[side];
    if (!figure || !this.state) return null;
    const { target, direction, distance, width: wide, height: high } = shotOf(figure, shot),
      aspect = width / height;
    const camera = new THREE.PerspectiveCamera(28, aspect, distance / 40, distance * 12 + 20),
      whole = shot === 'figure' || shot === 'behind' || shot === 'side';
    camera.position
      .copy(target)
      .addScaledVector(direction, distance * (whole ? Math.max(0.94, (0.96 * wide) / high / aspect) : 1));
    camera.lookAt(target);
    const things = [
      ...this.scenes[side].children.filter(
        (child) => child.visible && child !== figure.group && !(child instanceof THREE.Light),
      ),
      this.overlays[side],
    ].filter((thing) => thing.visible);
    for (const thing of things) thing.visible = false;
    const url = this.snapshot(side, camera, width, height);
    for (const thing of things) thing.visible = true;
    this.render();
    return url;
  }

  /** Where the camera stands and what it looks at. */
  cameraNow(): { at: number[]; to: number[] } {
    return { at: this.camera.position.toArray(), to: this.controls.target.toArray() };
  }
  putCamera({ at, to }: { at: readonly number[]; to: readonly number[] }): void {
    this.camera.position.set(at[0], at[1], at[2]);
    this.controls.target.set(to[0], to[1], to[2]);
    this.controls.update();
    this.draw();
  }

  /** The stage as it stands, at its own size. */
  asShown(): string {
    this.render();
    return this.canvas.toDataURL('image/png');
  }

  private snapshot(side: Side, camera: THREE.Camera, width: number, height: number): string {
    const before = this.renderer.getSize(new THREE.Vector2());
    this.renderer.setSize(width, height, false);
    this.renderer.setViewport(0, 0, width, height);
    this.renderer.setScissor(0, 0, width, height);
    this.renderer.autoClear = true;
    this.renderer.render(this.scenes[side], camera);
    const url = this.canvas.toDataURL('image/png');
    this.renderer.setSize(before.x, before.y, false);
    return url;
  }

  dispose(): void {
    this.disposed = true;
    this.controls.dispose();
    for (const figure of Object.values(this.figures)) figure?.dispose();
    this.difference.dispose();
    this.renderer.dispose();
  }
}

/** A place on a part that faces the front, on its left where it has two sides, and its normal: what a swatch is cut at. */
function frontPatch(mesh: THREE.Mesh, centre: THREE.Vector3): { at: THREE.Vector3; normal: THREE.Vector3 } {
  const position = mesh.geometry.getAttribute('position'),
    normal = mesh.geometry.getAttribute('normal');
  const middle = new THREE.Vector3(),
    p = new THREE.Vector3();
  let n = 0;
  for (let i = 0; i < position.count; i++)
    if (position.getX(i) > centre.x) {
      middle.add(p.fromBufferAttribute(position, i));
      n++;
    }
  middle.divideScalar(n || 1);
  let best = 0,
    worst = Infinity;
  for (let i = 0; i < position.count; i++) {
    const off = p.fromBufferAttribute(position, i).distanceTo(middle) + (normal.getZ(i) > 0.35 ? 0 : 0.25);
    if (off < worst) {
      worst = off;
      best = i;
    }
  }
  return {
    at: new THREE.Vector3().fromBufferAttribute(position, best),
    normal: new THREE.Vector3().fromBufferAttribute(normal, best).normalize(),
  };
}
