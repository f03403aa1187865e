import type { Document } from '@gltf-transform/core';
import * as THREE from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
import { RoomEnvironment } from 'three/examples/jsm/environments/RoomEnvironment.js';
import type { StageFigure } from '../figure/build.ts';
import { mapsInUse } from '../figure/textures.ts';
import type { Jump } from '../store/view-slice.ts';
import { putCameraAt } from './camera-place.ts';
import { Dressing } from './dressing.ts';
import { floor, rod } from './furniture.ts';
import { type OnStage, Picking } from './picking.ts';
import { Posing } from './posing.ts';
import { isWhole, type Shot } from './shots.ts';
import { Level } from './level.ts';
import { MarksOverlay } from './marks-overlay.ts';
import { SeatsOverlay } from './seats-overlay.ts';
import { WrapOverlay } from './wrap-overlay.ts';
import { PinsOverlay } from './pins-overlay.ts';
import { SkeletonOverlay } from './skeleton-overlay.ts';
import { Snapshots } from './snapshots.ts';
import type { Side, StageState } from './state.ts';
import { Views } from './views.ts';
import { WornLooks } from './worn-looks.ts';

/** What the stage's surroundings are told. */
export interface StageNews {
  /** The system has taken the drawing away, or it is back. */
  lost?(lost: boolean): void;
  /** Whether every figure is drawn with its maps and materials. */
  dressed?(dressed: boolean): void;
}

/** Draws both figures with one camera, only when something changed. Frames are counted on the window for tests. */
export class StageRenderer implements OnStage {
  readonly renderer: THREE.WebGLRenderer;
  readonly camera = new THREE.PerspectiveCamera(28, 1, 0.02, 60);
  readonly controls: OrbitControls;
  readonly scenes: Record<Side, THREE.Scene> = { source: new THREE.Scene(), result: new THREE.Scene() };
  readonly figures: Record<Side, StageFigure | null> = { source: null, result: null };
  private readonly keys: Record<Side, THREE.DirectionalLight>;
  private readonly overlays = { source: new SkeletonOverlay('source'), result: new SkeletonOverlay('result') };
  private readonly marks = new MarksOverlay();
  private readonly wrap = new WrapOverlay();
  private readonly seats = new SeatsOverlay();
  private readonly pins = { source: new PinsOverlay(), result: new PinsOverlay() };
  private readonly looks = new WornLooks();
  state: StageState | null = null;
  private readonly views = new Views(this);
  private readonly posing = new Posing(this.figures);
  private readonly snapshots = new Snapshots(this);
  readonly level = new Level(this);
  /** What lies under a point of the canvas. */
  readonly picking = new Picking(this);
  private waiting = false;
  private readonly dressing = new Dressing(
    this,
    (side, figure) => !this.disposed && this.figures[side] === figure,
    () => this.lightRoom(),
    () => (this.state ? this.apply(this.state) : this.draw()),
  );
  private soon: ReturnType<typeof setTimeout> | null = null;
  /** Place of the wipe, 0 … 1 of the width. */
  wipe = 0.5;
  private disposed = false;
  /** What the camera was sent to: close up both figures take the same pose, or one would be out of the picture. */
  private place: Jump = 'figure';

  constructor(
    readonly canvas: HTMLCanvasElement,
    private readonly told: StageNews = {},
    /** Nothing is drawn but the pictures that are asked for. */
    private readonly still = false,
  ) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: true, alpha: true, preserveDrawingBuffer: true });
    this.renderer.toneMapping = THREE.ACESFilmicToneMapping;
    this.renderer.toneMappingExposure = 1.02;
    this.renderer.setScissorTest(true);
    this.keys = { source: new THREE.DirectionalLight(0xfff4e8, 2), result: new THREE.DirectionalLight(0xfff4e8, 2) };
    for (const side of ['source', 'result'] as const) {
      const scene = this.scenes[side];
      scene.environmentIntensity = 0.4;
      scene.add(this.keys[side], this.keys[side].target, this.overlays[side].group, floor(), rod());
    }
    this.scenes.source.add(this.marks.group, this.wrap.group);
    this.scenes.result.add(this.seats.group);
    for (const side of ['source', 'result'] as const) this.scenes[side].add(this.pins[side].group);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.enableDamping = false;
    // Arrow keys move the picture while it has the focus.
    this.controls.listenToKeyEvents(canvas);
    this.controls.addEventListener('change', () => this.draw());
    canvas.addEventListener('webglcontextlost', this.lost);
    canvas.addEventListener('webglcontextrestored', this.restored);
    this.camera.position.set(0.9, 1.25, 4.6);
    this.controls.target.set(0, 0.92, 0);
    this.controls.update();
  }

  private readonly lost = (): void => this.told.lost?.(true);

  /** What lay in the graphics memory is gone: three.js brings figures and maps again, the room's light is ours to make. */
  private readonly restored = (): void => {
    for (const scene of Object.values(this.scenes)) {
      scene.environment?.dispose();
      scene.environment = null;
    }
    if (this.dressing.any()) this.lightRoom();
    if (this.state) this.apply(this.state);
    this.draw();
    this.told.lost?.(false);
  };

  setFigure(side: Side, figure: StageFigure | null): void {
    const before = this.figures[side];
    if (before) {
      this.scenes[side].remove(before.group);
      before.dispose();
      this.looks.forgetChannels();
    }
    this.figures[side] = figure;
    if (figure) this.scenes[side].add(figure.group);
    if (this.state) this.apply(this.state);
    this.level.put(this.place);
    this.draw();
  }

  apply(state: StageState): void {
    const before = this.state;
    this.state = state;
    if (before?.view !== state.view || before.mixed !== state.mixed) this.level.put(this.place);
    for (const side of ['source', 'result'] as const) {
      const figure = this.figures[side];
      if (!figure) {
        this.overlays[side].group.visible = false;
        continue;
      }
      this.pose(figure, side, state);
      for (const item of figure.parts) {
        const { mesh, part } = item;
        mesh.visible = state.isolated ? part.id === state.isolated : !state.hidden.includes(part.id);
        item.dials.set(state.played?.[side] ?? state.morphs, (side === 'source' && state.mixed?.get(part.id)) || null);
        this.looks.put(item, side, state, this.dressing.has(figure), this.figures);
      }
      this.overlays[side].show(figure, state);
    }
    this.marks.show(this.figures.source ? state.marks : null);
    this.wrap.show(this.figures.source ? state.wrap : null);
    this.seats.show(this.figures.result ? state.seats : null);
    for (const side of ['source', 'result'] as const)
      this.pins[side].show(this.figures[side] ? (state.pins?.[side] ?? null) : null);
    const turn = (state.light * Math.PI) / 180;
    for (const key of Object.values(this.keys)) {
      key.position.set(Math.sin(turn) * 3, 3.2, Math.cos(turn) * 3);
      key.target.position.set(0, 1.2, 0);
    }
    this.draw();
  }

  /** Two rest poses are compared, posed and played from the one the character came in; side by side each stands in its own. */
  private pose(figure: StageFigure, side: Side, state: StageState): void {
    const moving = state.pose !== null || state.clip !== null || state.turned[side].size > 0,
      close = !isWhole(this.place);
    this.posing.pose(figure, side, state, moving || close || ['wipe', 'overlay', 'difference'].includes(state.view));
  }

  /** A motion from elsewhere, for both figures: played through the roles of its joints. */
  setMotion(motion: Document | null): void {
    this.posing.setMotion(motion);
    if (this.state) this.apply(this.state);
  }

  /** Names and lengths of the clips that a side brings, and of those it borrows. */
  clipsOf(side: Side): { name: string; seconds: number }[] {
    const figure = this.figures[side];
    return figure ? this.posing.clipsOf(figure) : [];
  }

  /** Puts the camera where a jump looks from; distances follow the figure's height. */
  jump(to: Jump): void {
    const before = this.place;
    this.place = to;
    if (before !== to && this.state && Object.values(this.figures).some((figure) => figure?.home))
      this.apply(this.state);
    if (putCameraAt(this, this.level, to, this.aspect())) this.draw();
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
    if (!this.dressing.any() || this.soon) return;
    this.soon = setTimeout(() => {
      this.soon = null;
      this.draw();
    }, 200);
  }

  private lightRoom(): void {
    if (this.scenes.source.environment) return;
    const room = new THREE.PMREMGenerator(this.renderer);
    const environment = room.fromScene(new RoomEnvironment(), 0.04).texture;
    room.dispose();
    for (const scene of Object.values(this.scenes)) scene.environment = environment;
  }

  draw(): void {
    if (this.waiting || this.disposed || this.still) return;
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
    this.views.draw(width, height);
    const counter = window as unknown as { dimetraFrames?: number; dimetraFigures?: number };
    counter.dimetraFrames = (counter.dimetraFrames ?? 0) + 1;
    if (this.figures.source) counter.dimetraFigures = (counter.dimetraFigures ?? 0) + 1;
    // For tests: what is held for figures that are gone would grow these; of whom they are told.
    this.canvas.dataset.drawn = `${this.canvas.dataset.stands ?? ''} ${this.canvas.dataset.result ?? ''}`;
    this.canvas.dataset.textures = String(this.renderer.info.memory.textures);
    this.canvas.dataset.maps = String(mapsInUse());
    this.dressing.begin();
    const dressed = String(this.dressing.all());
    if (dressed !== this.canvas.dataset.dressed) {
      this.canvas.dataset.dressed = dressed;
      this.told.dressed?.(dressed === 'true');
    }
  }

  /** Settles when every map of a side's figure has arrived or failed; at once where no figure stands. */
  async mapsOf(side: Side): Promise<void> {
    await this.figures[side]?.ready;
  }

  /** Where the camera stands and what it looks at. */
  cameraNow(): { at: number[]; to: number[] } {
    return { at: this.camera.position.toArray(), to: this.controls.target.toArray() };
  }
  putCamera({ at, to }: { at: readonly number[]; to: readonly number[] }): void {
    // Said in places of the figures.
    this.level.off();
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

  /** A small picture of one part under the testing light, for swatches and the cast page. */
  async portrait(side: Side, part: string | null, width: number, height: number): Promise<string | null> {
    this.lightRoom();
    return this.disposed ? null : this.snapshots.portrait(side, part, width, height);
  }

  /** A figure as it is shown now (look, pose, morphs, hidden parts), from a shot; without floor, scale and joints. */
  photograph(side: Side, shot: Shot, width: number, height: number): string | null {
    this.lightRoom();
    const picture = this.snapshots.photograph(side, shot, width, height);
    // Taken with the stage's own canvas: it has to be drawn again.
    if (picture) this.render();
    return picture;
  }

  dispose(): void {
    this.disposed = true;
    this.canvas.removeEventListener('webglcontextlost', this.lost);
    this.canvas.removeEventListener('webglcontextrestored', this.restored);
    this.controls.dispose();
    for (const figure of Object.values(this.figures)) figure?.dispose();
    for (const overlay of Object.values(this.overlays)) overlay.dispose();
    this.marks.dispose();
    this.wrap.dispose();
    this.seats.dispose();
    for (const overlay of Object.values(this.pins)) overlay.dispose();
    this.looks.dispose();
    this.views.dispose();
    this.snapshots.dispose();
    this.renderer.dispose();
  }
}
