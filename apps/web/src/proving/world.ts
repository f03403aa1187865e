import {
  ACESFilmicToneMapping,
  type Object3D,
  PCFShadowMap,
  PerspectiveCamera,
  Raycaster,
  Scene,
  Vector2,
  WebGLRenderer,
} from 'three';
import type { HumanoidRole } from '@dimetra/core';
import { Actor } from './actor.ts';
import { lookAt } from './camera.ts';
import { bindControls, type Controls } from './controls.ts';
import { Crowd } from './crowd.ts';
import { aheadOf, factsOf } from './facts.ts';
import type { Facts } from './faults.ts';
import { FrameTimes } from './frame-times.ts';
import { joinLevels, LevelSwitch, LevelView } from './levels.ts';
import { loadModel, type Loaded } from './load-model.ts';
import { measured, type Motion, paceOf, shippedMotions } from './motions.ts';
import { chosenMotions, type Movement } from './movements.ts';
import type { Package } from './open-package.ts';
import { buildPort, type Port } from './port.ts';
import { legOf, type Puppet, puppetOf } from './skeleton.ts';
import { discard } from './discard.ts';
import { extentOf, solesOf } from './soles.ts';
import { buildStandIn } from './stand-in.ts';
import { atStart, type Pace, step, towards, type Walker } from './walk.ts';

/** What is going on, told a few times a second. */
export interface Moment {
  walker: Walker;
  /** Milliseconds from frame to frame, on the average of the last ones, and the longest of them. */
  frameMs: number;
  longestMs: number;
  drawCalls: number;
  triangles: number;
  crowd: number;
  frames: number;
  /** Which level of detail it shows, from how far away, and how many of the crowd show each. */
  level: number;
  metres: number;
  crowdLevels: number[];
}

export interface Tried {
  facts: Facts;
  motions: readonly Motion[];
  chosen: Partial<Record<Movement, number>>;
  /** Seconds from bytes to the first picture. */
  seconds: number;
  by: string;
}

const LEG_GUESS = 0.9,
  /** As tall as the stand-in is. */
  USUAL_M = 1.75,
  /** Pictures that cost a machine nothing worth speaking of. */
  QUICK_MS = 40,
  TOLD_EVERY_MS = 200,
  /** More than this at once is no walking: the page was away. */
  LONGEST_STEP = 0.25;
const FEET: readonly HumanoidRole[] = ['leftFoot', 'rightFoot', 'leftToes', 'rightToes'];

/** The quay, somebody on it, and what they do. One for a canvas. */
export class World {
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  private readonly camera = new PerspectiveCamera(40, 1, 0.05, 300);
  private readonly port: Port;
  private readonly controls: Controls;
  private actor: Actor;
  private crowd: Crowd | null = null;
  private loaded: Loaded | null = null;
  private motions: readonly Motion[] = [];
  private chosen: Partial<Record<Movement, number>> = {};
  private shown: number | null = null;
  private walker = atStart();
  private shadows = false;
  private goal: { x: number; z: number; run: boolean } | null = null;
  private pace: Pace = { walk: 1.3, run: 3, climb: 0.35 };
  private tall = USUAL_M;
  private leg = LEG_GUESS;
  private crowdWanted = 0;
  private levels = new LevelView([]);
  private figure: LevelSwitch;
  private crowdLevels: number[] = [];
  private readonly times = new FrameTimes();
  private count = 0;
  private last = 0;
  private told = 0;
  private waiting: (() => void)[] = [];
  private ended = false;

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly tell: (moment: Moment) => void,
    /** A package is on its way already. */
    private opening: boolean,
  ) {
    this.renderer = new WebGLRenderer({ canvas, antialias: true });
    this.renderer.toneMapping = ACESFilmicToneMapping;
    this.renderer.shadowMap.enabled = true;
    this.renderer.shadowMap.type = PCFShadowMap;
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    this.port = buildPort(this.scene);
    this.controls = bindControls(canvas, (x, y, run) => this.pointAt(x, y, run));
    const scale = buildStandIn(0x9aa3a8);
    scale.position.set(-1.15, 0, 1.5);
    scale.rotation.y = 0.3;
    this.scene.add(scale);
    const standIn = buildStandIn(0xb9b3a4);
    this.actor = this.stand(standIn, puppetOf(standIn), []);
    this.figure = new LevelSwitch(standIn);
    requestAnimationFrame(this.frame);
  }

  /** Puts a package in the place of whoever stands there. @throws CantTry */
  async open(given: Package): Promise<Tried> {
    this.opening = true;
    try {
      return await this.bringIn(given);
    } finally {
      this.opening = false;
    }
  }

  /** A package is being fetched: it will be opened next. */
  expect(): void {
    this.opening = true;
  }

  /** Nothing came of it. */
  giveUp(): void {
    this.opening = false;
  }

  private async bringIn(given: Package): Promise<Tried> {
    const began = performance.now(),
      loaded = await loadModel(given, this.renderer),
      declared = Object.fromEntries(
        (given.report?.result?.joints ?? []).flatMap(({ name, role }) => (role ? [[name, role]] : [])),
      );
    if (this.ended) throw new Error('closed');
    const { scene } = loaded;
    scene.traverse((object) => {
      object.castShadow = true;
      // Bounds that loaders know are those of the rest pose.
      object.frustumCulled = false;
    });
    const puppet = puppetOf(scene, declared),
      extent = extentOf(scene),
      ahead = puppet && aheadOf(puppet);
    const before = this.actor,
      actor = this.stand(scene, puppet, loaded.clips);
    // Only now does whoever stood there go: what can't be made ready leaves everything as it was.
    this.crowd?.dispose();
    before.dispose();
    discard(before.root);
    this.actor = actor;
    this.loaded = loaded;
    this.tall = extent.isEmpty() ? USUAL_M : Math.max(0.2, extent.max.y - extent.min.y);
    this.shown = null;
    // Facts are the nearest's: what is hung on it now is drawn in its place.
    const facts = factsOf({ loaded, extent, ahead, puppet, motions: this.motions });
    joinLevels(scene, loaded.levels);
    this.levels = new LevelView(loaded.levels.map(({ fromM }) => fromM));
    this.figure = new LevelSwitch(scene);
    this.crowdLevels = [];
    this.crowd = new Crowd(this.scene, scene);
    this.populate(this.crowdWanted);
    this.opening = false;
    this.shadows = false;
    await this.drawn();
    return {
      facts,
      motions: this.motions,
      chosen: this.chosen,
      seconds: (performance.now() - began) / 1000,
      by: loaded.by,
    };
  }

  /** Makes a figure ready to walk: its motions, which of them for what, and how fast they stride. */
  private stand(root: Object3D, puppet: Puppet | null, clips: Loaded['clips']): Actor {
    const leg = puppet ? legOf(puppet) : null,
      motions = this.prepare(root, puppet, clips),
      actor = new Actor(root);
    this.leg = leg ?? LEG_GUESS;
    this.motions = motions;
    this.chosen = chosenMotions(motions.map(({ clip, own }) => ({ name: clip.name, own })));
    this.stride();
    this.scene.add(actor.place);
    return actor;
  }

  /** Its own clips and those that ship, each looked at once. The figure hangs nowhere yet. */
  private prepare(root: Object3D, puppet: Puppet | null, clips: Loaded['clips']): Motion[] {
    const feet = new Set(puppet ? FEET.flatMap((role) => puppet.bones[puppet.roles.get(role) ?? -1] ?? []) : []),
      soles = solesOf(root, feet),
      hips = puppet?.bones[puppet.roles.get('hips') ?? -1] ?? null;
    return [
      ...clips.map((clip) => measured(clip, true, root, hips, soles)),
      ...(puppet ? shippedMotions(puppet) : []).map((clip) => measured(clip, false, root, hips, soles)),
    ];
  }

  /** Walks as fast as its motions stride, so that no foot slides. */
  private stride(): void {
    const of = (movement: Movement) => this.motions[this.chosen[movement] ?? -1];
    const climb = of('climb');
    this.pace = {
      walk: paceOf(of('walk'), this.leg, 1.3),
      run: paceOf(of('run'), this.leg, 3),
      climb: climb && climb.drift.y > 0.1 ? climb.drift.y / climb.clip.duration : 0.35,
    };
  }

  choose(movement: Movement, motion: number): void {
    this.chosen = { ...this.chosen, [movement]: motion };
    this.stride();
    this.crowd?.play(this.motionFor('idle'));
  }

  /** Plays one motion where it stands, whatever it does; null: what it does decides again. */
  show(motion: number | null): void {
    this.shown = motion;
  }

  dial(weights: Record<string, number>): void {
    this.actor.dial(weights);
  }

  /** Shows one level of detail whatever the distance; null: by distance again. */
  holdLevel(level: number | null): void {
    this.levels.held = level;
  }

  light(around: number, above: number, lamps: boolean): void {
    this.port.sun(around, above);
    this.port.lamps(lamps);
  }

  populate(count: number): void {
    this.crowdWanted = count;
    this.crowd?.fill(count, this.motionFor('idle'));
  }

  private motionFor(movement: Movement): Motion | null {
    return this.motions[this.chosen[movement] ?? -1] ?? null;
  }

  private pointAt(x: number, y: number, run: boolean): void {
    const ray = new Raycaster();
    ray.setFromCamera(new Vector2(x, y), this.camera);
    const [hit] = ray.intersectObjects(this.port.ground);
    if (hit && Math.abs(hit.point.y - this.walker.y) < 0.3) this.goal = { x: hit.point.x, z: hit.point.z, run };
  }

  private place(): void {
    const { x, y, z, heading } = this.walker;
    this.actor.place.position.set(x, y, z);
    this.actor.place.rotation.y = heading;
    this.port.follow(x, y, z);
  }

  private readonly frame = (now: number): void => {
    if (this.ended) return;
    requestAnimationFrame(this.frame);
    const since = this.last ? now - this.last : 16;
    this.last = now;
    this.times.add(since);
    // Where pictures are slow, drawing the stand-in would only keep the package waiting.
    if (!this.opening || (this.count > 0 && this.times.average() < QUICK_MS)) {
      this.move(Math.min(LONGEST_STEP, since / 1000));
      this.look();
      // Shadows come with the second picture: the first is there sooner.
      this.renderer.shadowMap.autoUpdate = this.shadows;
      this.renderer.render(this.scene, this.camera);
      this.shadows = true;
      this.count++;
      for (const done of this.waiting.splice(0)) done();
    }
    if (now - this.told > TOLD_EVERY_MS) {
      this.told = now;
      const { calls, triangles } = this.renderer.info.render;
      this.tell({
        walker: this.walker,
        frameMs: this.times.average(),
        longestMs: this.times.longest(),
        drawCalls: calls,
        triangles,
        crowd: this.crowd?.size ?? 0,
        frames: this.count,
        level: this.figure.level,
        metres: this.actor.place.position.distanceTo(this.camera.position),
        crowdLevels: this.crowdLevels,
      });
    }
  };

  private move(seconds: number): void {
    let wish = this.controls.wish();
    if (wish.x || wish.z) this.goal = null;
    else if (this.goal) {
      const on = this.walker.doing === 'climb' ? null : towards(this.walker, this.goal, this.goal.run);
      if (on) wish = on;
      else this.goal = null;
    }
    // Who is shown a motion stands still for it, unless somebody walks them.
    this.walker = step(this.walker, wish, seconds, this.pace);
    const { doing, rate } = this.walker,
      shown = this.shown !== null && doing === 'idle' ? this.motions[this.shown] : null;
    this.actor.play(shown ?? this.motionFor(doing) ?? this.motionFor('idle'), rate);
    this.place();
    this.actor.update(seconds);
    this.crowd?.update(seconds);
    this.loaded?.update?.(seconds);
  }

  private look(): void {
    const { clientWidth: width, clientHeight: height } = this.canvas;
    if (
      width &&
      height &&
      (this.canvas.width !== Math.round(width * this.renderer.getPixelRatio()) || this.camera.aspect !== width / height)
    ) {
      this.renderer.setSize(width, height, false);
      this.camera.aspect = width / height;
      this.camera.updateProjectionMatrix();
    }
    lookAt(this.camera, this.controls.orbit, this.walker, this.tall);
    this.levels.look(this.figure, this.actor.place.position, this.camera.position);
    this.crowdLevels = this.crowd?.look(this.levels, this.camera.position) ?? [];
  }

  private drawn(): Promise<void> {
    return new Promise((done) => this.waiting.push(done));
  }

  dispose(): void {
    this.ended = true;
    this.controls.dispose();
    this.crowd?.dispose();
    discard(this.scene);
    this.renderer.dispose();
  }
}
