import {
  type HumanoidRole,
  type PlaceOn,
  quatBetween,
  quatConjugate,
  quatMultiply,
  rotationOf,
  unit,
  type Quat,
} from '@dimetra/core';
import * as THREE from 'three';
import type { StageFigure } from '../figure/build.ts';
import type { SeatHandle } from '../figure/seats.ts';
import { placeUnder } from './place-under.ts';
import type { Side, StageState } from './state.ts';

/** What is on the stage, as those see it who look for something on it. */
export interface OnStage {
  readonly canvas: HTMLCanvasElement;
  readonly renderer: THREE.WebGLRenderer;
  readonly camera: THREE.PerspectiveCamera;
  readonly scenes: Record<Side, THREE.Scene>;
  readonly figures: Record<Side, StageFigure | null>;
  readonly state: StageState | null;
  /** Looks at a side with the camera where that side is seen from. */
  readonly level: { at<T>(side: Side, camera: THREE.Camera, look: () => T): T };
  /** Place of the wipe, 0 … 1 of the width. */
  readonly wipe: number;
}

/** Finds what lies under a point of the canvas, and what a drag asks for. Points are in pixels of the page. */
export class Picking {
  constructor(private readonly on: OnStage) {}

  /** The joint under a point of the canvas, within a finger's width; only where joints are shown. */
  jointAt(x: number, y: number): { side: Side; joint: number; name: string } | null {
    if (!this.on.state?.skeleton) return null;
    const { side, left, width } = this.paneAt(x),
      figure = this.on.figures[side],
      height = this.on.canvas.clientHeight;
    if (!figure) return null;
    this.aim(width / height);
    let best = 12,
      found: number = -1;
    const p = new THREE.Vector3();
    this.on.level.at(side, this.on.camera, () =>
      figure.bones.forEach((bone, i) => {
        p.setFromMatrixPosition(bone.matrixWorld).project(this.on.camera);
        const off = Math.hypot(left + ((p.x + 1) / 2) * width - x, ((1 - p.y) / 2) * height - y);
        if (p.z < 1 && off < best) {
          best = off;
          found = i;
        }
      }),
    );
    return found < 0 ? null : { side, joint: found, name: figure.skeleton.joints[found].getName() };
  }

  /** The joint found in the source's shape that lies under a point of the canvas. */
  markAt(x: number, y: number): HumanoidRole | null {
    return this.under('source', this.on.state?.marks, x, y)?.role ?? null;
  }

  /** Where a mark comes to lie under a point of the canvas, as far from the eye as it is. */
  markTo(role: HumanoidRole, x: number, y: number): [number, number, number] | null {
    const mark = this.on.state?.marks?.find((one) => one.role === role);
    return mark ? this.asFar('source', mark.at, x, y) : null;
  }

  /** The handle of eyes and bite under a point of the canvas. */
  seatAt(x: number, y: number): SeatHandle['id'] | null {
    return this.under('result', this.on.state?.seats?.handles, x, y)?.id ?? null;
  }

  /** Where such a handle comes to lie under a point of the canvas, as far from the eye as it is. */
  seatTo(id: SeatHandle['id'], x: number, y: number): [number, number, number] | null {
    const handle = this.on.state?.seats?.handles.find((one) => one.id === id);
    return handle ? this.asFar('result', handle.at, x, y) : null;
  }

  /** Of things on a side that which is seen nearest to a point of the canvas, within a finger's width. */
  private under<T extends { at: readonly [number, number, number] }>(
    on: Side,
    things: readonly T[] | null | undefined,
    x: number,
    y: number,
  ): T | null {
    const { side, left, width } = this.paneAt(x);
    if (!things || side !== on) return null;
    const height = this.on.canvas.clientHeight,
      p = new THREE.Vector3();
    let best = 12,
      found: T | null = null;
    this.aim(width / height);
    this.on.level.at(side, this.on.camera, () => {
      for (const thing of things) {
        p.fromArray(thing.at).project(this.on.camera);
        const off = Math.hypot(left + ((p.x + 1) / 2) * width - x, ((1 - p.y) / 2) * height - y);
        if (p.z < 1 && off < best) {
          best = off;
          found = thing;
        }
      }
    });
    return found;
  }

  /** The place under a point of the canvas that is as far from the eye as another. */
  private asFar(side: Side, at: readonly [number, number, number], x: number, y: number): [number, number, number] {
    const { left, width } = this.paneAt(x, side),
      height = this.on.canvas.clientHeight;
    this.aim(width / height);
    return this.on.level.at(side, this.on.camera, () => {
      const { z } = new THREE.Vector3().fromArray(at).project(this.on.camera);
      return new THREE.Vector3(((x - left) / width) * 2 - 1, 1 - (y / height) * 2, z)
        .unproject(this.on.camera)
        .toArray();
    });
  }

  /**
   * The turn that lets a joint follow a point of the canvas: of the joint above it, in the body's frame, added to what
   * that one is turned already. Null for a root.
   */
  follow(grip: { side: Side; joint: number }, x: number, y: number): { joint: string; turn: Quat } | null {
    const figure = this.on.figures[grip.side],
      above = figure?.skeleton.parent[grip.joint] ?? -1;
    if (!figure || !this.on.state || above < 0) return null;
    const { left, width } = this.paneAt(x, grip.side),
      height = this.on.canvas.clientHeight;
    this.aim(width / height);
    const tip = new THREE.Vector3().setFromMatrixPosition(figure.bones[grip.joint].matrixWorld),
      root = new THREE.Vector3().setFromMatrixPosition(figure.bones[above].matrixWorld);
    const wanted = this.on.level.at(grip.side, this.on.camera, () => {
      const depth = tip.clone().project(this.on.camera).z;
      return new THREE.Vector3(((x - left) / width) * 2 - 1, 1 - (y / height) * 2, depth).unproject(this.on.camera);
    });
    const now = tip.sub(root),
      goal = wanted.sub(root);
    if (now.lengthSq() < 1e-10 || goal.lengthSq() < 1e-10) return null;
    const q = quatBetween(unit(now.toArray()), unit(goal.toArray())),
      name = figure.skeleton.joints[above].getName();
    // Turns are given in the frame that the joints above have turned to; the drag is seen in the body's.
    const carried = this.carriedTurn(figure, above),
      before = this.on.state.turned[grip.side].get(name) ?? [0, 0, 0, 1];
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

  /** The part under a point of the canvas, by drawing part numbers into one pixel. */
  pick(x: number, y: number): { side: Side; part: string } | null {
    const { side, left, width } = this.paneAt(x),
      height = this.on.canvas.clientHeight;
    const figure = this.on.figures[side];
    if (!figure) return null;
    this.on.camera.aspect = width / height;
    this.on.camera.setViewOffset(width, height, Math.floor(x - left), Math.floor(y), 1, 1);
    const target = new THREE.WebGLRenderTarget(1, 1);
    const kept = figure.parts.map(({ mesh }) => mesh.material);
    figure.parts.forEach(({ mesh }, i) => {
      mesh.material = new THREE.MeshBasicMaterial({
        color: new THREE.Color().setRGB((i + 1) / 255, 0, 0),
        side: THREE.DoubleSide,
        toneMapped: false,
      });
    });
    const others = this.on.scenes[side].children.filter((child) => child !== figure.group && child.visible);
    for (const other of others) other.visible = false;
    const wires = figure.parts.flatMap(({ mesh }) => mesh.children.filter((child) => child.visible));
    for (const wire of wires) wire.visible = false;
    const environment = this.on.scenes[side].environment;
    this.on.scenes[side].environment = null;
    this.on.renderer.setRenderTarget(target);
    this.on.renderer.setScissorTest(false);
    this.on.renderer.autoClear = true;
    this.on.renderer.setClearColor(0, 0);
    this.on.level.at(side, this.on.camera, () => this.on.renderer.render(this.on.scenes[side], this.on.camera));
    const pixel = new Uint8Array(4);
    this.on.renderer.readRenderTargetPixels(target, 0, 0, 1, 1, pixel);
    this.on.renderer.setRenderTarget(null);
    this.on.renderer.setScissorTest(true);
    this.on.scenes[side].environment = environment;
    figure.parts.forEach(({ mesh }, i) => {
      (mesh.material as THREE.Material).dispose();
      mesh.material = kept[i];
    });
    for (const other of [...others, ...wires]) other.visible = true;
    this.on.camera.clearViewOffset();
    target.dispose();
    const index = pixel[0] - 1;
    return figure.parts[index] ? { side, part: figure.parts[index].part.id } : null;
  }

  /** The triangle of the source under a point of the canvas, as its part counts them. */
  pickFace(x: number, y: number): { part: string; face: number } | null {
    const hit = this.pick(x, y),
      item =
        hit?.side === 'source' ? this.on.figures.source?.parts.find((entry) => entry.part.id === hit.part) : undefined;
    if (!item) return null;
    const { left, width } = this.paneAt(x, 'source'),
      ray = new THREE.Raycaster();
    this.aim(width / this.on.canvas.clientHeight);
    ray.setFromCamera(
      new THREE.Vector2(((x - left) / width) * 2 - 1, 1 - (y / this.on.canvas.clientHeight) * 2),
      this.on.camera,
    );
    // A skinned mesh keeps the sphere of the pose that was asked for last.
    if (item.mesh instanceof THREE.SkinnedMesh) item.mesh.computeBoundingSphere();
    const face = ray.intersectObject(item.mesh, false)[0]?.faceIndex;
    return typeof face === 'number' ? { part: item.part.id, face } : null;
  }

  /** The place of a figure's skin under a point of the canvas. */
  placeAt(x: number, y: number): { side: Side; place: PlaceOn } | null {
    const { side, left, width } = this.paneAt(x),
      figure = this.on.figures[side],
      height = this.on.canvas.clientHeight,
      ray = new THREE.Raycaster();
    if (!figure) return null;
    this.aim(width / height);
    const place = this.on.level.at(side, this.on.camera, () => {
      ray.setFromCamera(new THREE.Vector2(((x - left) / width) * 2 - 1, 1 - (y / height) * 2), this.on.camera);
      return placeUnder(figure, ray);
    });
    return place && { side, place };
  }

  /** The middle of a side's picture. */
  middleOf(side: Side): [number, number] {
    const { left, width } = this.paneAt(0, side);
    return [left + width / 2, this.on.canvas.clientHeight / 2];
  }

  private paneAt(x: number, side?: Side): { side: Side; left: number; width: number } {
    const width = this.on.canvas.clientWidth,
      view = this.on.figures.result ? (this.on.state?.view ?? 'pair') : 'source';
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
        (view === 'wipe' ? (x < width * this.on.wipe ? 'source' : 'result') : view === 'source' ? 'source' : 'result'),
      left: 0,
      width,
    };
  }

  private aim(aspect: number): void {
    this.on.camera.clearViewOffset();
    this.on.camera.aspect = aspect;
    this.on.camera.updateProjectionMatrix();
    this.on.camera.updateMatrixWorld();
  }
}
